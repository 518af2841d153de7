// What is typed or chosen, each with its label, a hint, and what is wrong with it.

import {
  type InputHTMLAttributes,
  type ReactNode,
  type SelectHTMLAttributes,
  type TextareaHTMLAttributes,
  useId,
} from 'react'
import { join } from './classes'

const BOX = 'w-full min-w-0 rounded border border-edge bg-sheet px-2.5 py-1.5 text-ink placeholder:text-ink-3'

interface FieldProps {
  label: ReactNode
  hint?: ReactNode
  wrong?: string
}

function Field({ label, hint, wrong, id, children }: FieldProps & { id: string; children: ReactNode }) {
  return (
    <div className="grid min-w-0 content-start gap-1">
      <label htmlFor={id} className="label">
        {label}
      </label>
      {children}
      {hint && (
        <p id={`${id}-hint`} className="text-[0.86rem] text-ink-3">
          {hint}
        </p>
      )}
      {wrong && (
        <p role="alert" className="text-alarm">
          {wrong}
        </p>
      )}
    </div>
  )
}

const described = (id: string, hint?: ReactNode) => (hint ? `${id}-hint` : undefined)

/** A line to write in, with its label, a hint, and what is wrong. */
export function Input({ label, hint, wrong, className, ...rest }: FieldProps & InputHTMLAttributes<HTMLInputElement>) {
  const id = useId()
  return (
    <Field {...{ label, hint, wrong, id }}>
      <input
        id={id}
        aria-describedby={described(id, hint)}
        aria-invalid={!!wrong || undefined}
        className={join(BOX, className)}
        {...rest}
      />
    </Field>
  )
}

/** The code that somebody's authenticator shows. */
export function CodeInput({
  className,
  onCode,
  ...rest
}: Omit<InputHTMLAttributes<HTMLInputElement>, 'onChange'> & { onCode: (code: string) => void }) {
  return (
    <Input
      label="Code from your authenticator"
      onChange={(event) => onCode(event.target.value)}
      inputMode="numeric"
      autoComplete="one-time-code"
      maxLength={8}
      className={join('mono tracking-widest', className)}
      {...rest}
    />
  )
}

/** Several lines to write in. */
export function TextArea({ label, hint, wrong, ...rest }: FieldProps & TextareaHTMLAttributes<HTMLTextAreaElement>) {
  const id = useId()
  return (
    <Field {...{ label, hint, wrong, id }}>
      <textarea
        id={id}
        aria-describedby={described(id, hint)}
        aria-invalid={!!wrong || undefined}
        className={BOX}
        rows={3}
        {...rest}
      />
    </Field>
  )
}

/** One of a few. */
export function Select({
  label,
  hint,
  wrong,
  children,
  ...rest
}: FieldProps & SelectHTMLAttributes<HTMLSelectElement>) {
  const id = useId()
  return (
    <Field {...{ label, hint, wrong, id }}>
      <select id={id} aria-describedby={described(id, hint)} className={BOX} {...rest}>
        {children}
      </select>
    </Field>
  )
}

/** A number that may be left out. */
export function NumberInput({
  label,
  value,
  set,
}: {
  label: string
  value?: number | null
  set: (value?: number) => void
}) {
  return (
    <Input
      label={label}
      type="number"
      min={0}
      value={value ?? ''}
      onChange={(event) => set(event.target.value === '' ? undefined : +event.target.value)}
    />
  )
}
