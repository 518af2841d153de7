// The small parts that everything is made of.

import {
  type ButtonHTMLAttributes,
  type InputHTMLAttributes,
  type ReactNode,
  type SelectHTMLAttributes,
  type TextareaHTMLAttributes,
  useId,
  useState,
} from 'react'
import { Check, Copy } from 'lucide-react'
import { Link } from 'react-router'
import type { Api } from '../api/call'
import { placeOf } from '../words/commands'
import { clock, exact, relative } from '../words/time'
import { opened } from '../words/sentence'
import { useNow } from './data'

const join = (...names: (string | false | undefined)[]) => names.filter(Boolean).join(' ')

const BUTTON = {
  main: 'bg-sea text-on-sea border-sea hover:brightness-110',
  plain: 'bg-sheet border-line text-ink hover:border-edge',
  quiet: 'border-transparent text-ink-2 hover:text-ink hover:bg-sunk',
  alarm: 'bg-sheet border-alarm text-alarm hover:bg-alarm-soft',
}

/** A button. While busy it says so and can't be pressed. */
export function Button({
  look = 'plain',
  busy,
  className,
  children,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { look?: keyof typeof BUTTON; busy?: boolean }) {
  return (
    <button
      type="button"
      {...rest}
      disabled={rest.disabled || busy}
      aria-busy={busy || undefined}
      className={join(
        'inline-flex min-h-9 items-center justify-center gap-1.5 rounded border px-3 py-1 font-medium whitespace-nowrap disabled:opacity-55',
        BUTTON[look],
        className,
      )}
    >
      {busy ? 'One moment …' : children}
    </button>
  )
}

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

/** An instant: spoken shortly, exact on hover and for screen readers. */
export function Instant({ at, how = 'clock' }: { at: string; how?: 'clock' | 'relative' }) {
  const now = useNow()
  const when = new Date(at)
  return (
    <time dateTime={at} title={exact(when)}>
      {how === 'clock' ? clock(when, now) : relative(when, now)}
    </time>
  )
}

const WEIGHT = {
  critical: 'text-alarm',
  privileged: 'text-warm',
  ordinary: 'text-ink-3',
}

/** How much harm a role can do: a word, with strokes that are told apart without colour. */
export function Weight({ weight }: { weight: Api['Weight'] }) {
  const strokes = { critical: 3, privileged: 2, ordinary: 1 }[weight]
  return (
    <span className={join('inline-flex items-center gap-1', WEIGHT[weight])}>
      <svg width="11" height="11" viewBox="0 0 11 11" aria-hidden="true">
        {[0, 1, 2].map((n) => (
          <rect
            key={n}
            x={n * 4}
            y={7 - n * 3.5}
            width="3"
            height={4 + n * 3.5}
            fill="currentColor"
            opacity={n < strokes ? 1 : 0.22}
          />
        ))}
      </svg>
      {weight}
    </span>
  )
}

const STATE: Record<string, string> = {
  live: 'bg-warm-soft text-warm',
  opening: 'bg-warm-soft text-warm',
  closing: 'bg-warm-soft text-warm',
  waiting: 'bg-sea-soft text-sea',
  scheduled: 'bg-sea-soft text-sea',
  ready: 'bg-sea-soft text-sea',
  refused: 'bg-sunk text-alarm',
  failed: 'bg-sunk text-alarm',
  revoked: 'bg-sunk text-alarm',
}

/** The state of an elevation, as a word. */
export function State({ state }: { state: string }) {
  return (
    <span
      className={join(
        'inline-block rounded px-1.5 text-[0.86rem] font-medium whitespace-nowrap',
        STATE[state] ?? 'bg-sunk text-ink-2',
      )}
    >
      {state.replace('-', ' ')}
    </span>
  )
}

/** A right, broken where it may be. */
export function Right({ right }: { right: string }) {
  const [role, path] = right.split('@')
  return (
    <span className="mono break-words">
      <span className="font-semibold">{role}</span>
      <span className="text-ink-3">@</span>
      {path?.split('/').map((part, n) => (
        // biome-ignore lint: the parts of a path have no other key
        <span key={`${n}-${part}`} className="text-ink-2">
          {n > 0 && <wbr />}
          {n > 0 ? `/${part}` : part}
        </span>
      ))}
    </span>
  )
}

/** Somebody, leading to their page. */
export function Who({ name, className }: { name: string; className?: string }) {
  return (
    <Link
      to={`/person/${encodeURIComponent(name)}`}
      className={join('underline decoration-line underline-offset-2 hover:decoration-current', className)}
    >
      {name}
    </Link>
  )
}

/** An elevation's reference, leading to it. */
export function Reference({ id }: { id: string }) {
  return (
    <Link to={`/elevation/${id}`} className="mono inline-block min-h-6 font-semibold text-sea hover:underline">
      {id}
    </Link>
  )
}

/** The first thing on a page: the one sentence worth knowing. */
export function Sentence({ children, aside }: { children: ReactNode; aside?: ReactNode }) {
  return (
    <div className="mb-4 flex flex-wrap items-baseline justify-between gap-x-6 gap-y-2">
      <h1 className="figures max-w-[70ch] text-[1.35rem] leading-snug font-semibold tracking-tight text-balance">
        {children}
      </h1>
      {aside}
    </div>
  )
}

/** A part of a page, with its heading. */
export function Section({
  title,
  aside,
  children,
  className,
}: {
  title: ReactNode
  aside?: ReactNode
  children: ReactNode
  className?: string
}) {
  return (
    <section className={join('rounded-md border border-line bg-sheet', className)}>
      <header className="flex min-h-10 flex-wrap items-center justify-between gap-2 border-b border-line px-3.5 py-1.5">
        <h2 className="font-semibold">{title}</h2>
        {aside}
      </header>
      {children}
    </section>
  )
}

/** Why a list is empty, and the way on. */
export function Empty({ children }: { children: ReactNode }) {
  return <p className="max-w-[60ch] px-3.5 py-4 text-ink-2">{children}</p>
}

/** Words of the service: what stands between backticks is a value, or a command with a place here. */
function Plain({ text }: { text: string }) {
  return text.split('`').map((part, n) => {
    if (n % 2 === 0) return part
    const place = placeOf(part)
    // biome-ignore lint: the parts of a sentence have no other key
    const key = `${n}-${part}`
    if (place?.to) {
      return (
        <Link key={key} to={place.to} className="underline">
          {place.label}
        </Link>
      )
    }
    return place ? <strong key={key}>{place.label}</strong> : <code key={key}>{part}</code>
  })
}

/** A refusal, in place. */
export function Wrong({ error }: { error: Error | null | undefined }) {
  if (!error) return null
  return (
    <p role="alert" className="rise rounded border border-alarm bg-alarm-soft px-3 py-2 text-ink">
      <Plain text={opened(error.message)} />
      {/[.!?]$/.test(error.message) ? '' : '.'}
    </p>
  )
}

/** Something of the final shape, while what belongs there is fetched. */
export function Skeleton({ lines = 4, of }: { lines?: number; of: string }) {
  return (
    <div role="status" aria-label={`Fetching ${of}`} className="grid gap-2 px-3.5 py-3">
      {Array.from({ length: lines }, (_, n) => (
        // biome-ignore lint: lines of a skeleton have no other key
        <div key={n} className="breathing h-4 rounded bg-sunk" style={{ width: `${88 - ((n * 17) % 40)}%` }} />
      ))}
    </div>
  )
}

/** What was asked for, or its skeleton, or why it isn't there. A `page` brings its own first sentence otherwise. */
export function Shown<T>({
  of,
  query,
  lines,
  page,
  children,
}: {
  of: string
  query: { data: T | undefined; error: Error | null }
  lines?: number
  page?: boolean
  children: (data: T) => ReactNode
}) {
  if (query.data !== undefined) return <>{children(query.data)}</>
  if (query.error) {
    return (
      <>
        {page && <Sentence>{of} can’t be shown.</Sentence>}
        <div className={page ? '' : 'p-3.5'}>
          <Wrong error={query.error} />
        </div>
      </>
    )
  }
  return <Skeleton of={of} lines={lines} />
}

/** Something to copy: a line, or a block that keeps its lines. */
export function Copyable({
  text,
  label,
  secret,
  block,
}: {
  text: string
  label: string
  secret?: boolean
  block?: boolean
}) {
  const [copied, setCopied] = useState(false)
  const [open, setOpen] = useState(!secret)
  return (
    <div className="grid gap-1">
      <span className="label">{label}</span>
      <div className="flex items-start gap-2">
        {block ? (
          <pre
            tabIndex={0}
            aria-label={label}
            className="mono max-h-72 min-w-0 flex-1 overflow-auto rounded border border-line bg-sunk px-2 py-1.5 text-[0.86rem]"
          >
            {text}
          </pre>
        ) : (
          <code className="min-w-0 flex-1 rounded border border-line bg-sunk px-2 py-1.5 break-all">
            {open ? text : '•'.repeat(16)}
          </code>
        )}
        {secret && (
          <Button look="quiet" onClick={() => setOpen(!open)}>
            {open ? 'Hide' : 'Show'}
          </Button>
        )}
        <Button
          onClick={() => {
            void navigator.clipboard?.writeText(text).then(() => setCopied(true))
          }}
          aria-label={`Copy ${label}`}
        >
          {copied ? <Check size={15} /> : <Copy size={15} />}
          {copied ? 'Copied' : 'Copy'}
        </Button>
      </div>
    </div>
  )
}
