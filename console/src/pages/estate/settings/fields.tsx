// Fields that settings of a rule are typed in. Each may be left out; what can't be read is said and not taken in.

import { useState } from 'react'
import type { Api } from '../../../api/call'
import { Input, Select } from '../../../parts/fields'
import { NAMED_FORM, readNamed, writeNamed } from '../../../words/named'
import { readSpan, span } from '../../../words/time'

/** The settings of a rule, each of which may be left out. */
export type Settings = Api['SettingsView']

/** What the field of a setting is given: all settings of the rule, and how to change some. */
export interface SettingField {
  settings: Settings
  set: (next: Partial<Settings>) => void
}

/** A span of time as text. */
export function Time({
  label,
  seconds,
  onChange,
}: {
  label: string
  seconds: number | null | undefined
  onChange: (seconds: number | undefined) => void
}) {
  const [text, setText] = useState(seconds == null ? '' : span(seconds).replaceAll(' ', ''))
  const read = text ? readSpan(text) : undefined
  return (
    <Input
      label={label}
      value={text}
      placeholder="left out"
      wrong={text && read === undefined ? 'Write it like 30m or 2h.' : undefined}
      onChange={(event) => {
        setText(event.target.value)
        const next = event.target.value ? readSpan(event.target.value) : undefined
        if (!event.target.value || next !== undefined) onChange(next)
      }}
    />
  )
}

/** Names and values as text. */
export function Named({
  label,
  hint,
  named,
  onChange,
}: {
  label: string
  hint: string
  named: Record<string, string> | undefined
  onChange: (named: Record<string, string>) => void
}) {
  const [text, setText] = useState(() => writeNamed(named))
  return (
    <Input
      label={label}
      value={text}
      placeholder={hint}
      wrong={readNamed(text) ? undefined : NAMED_FORM}
      onChange={(event) => {
        setText(event.target.value)
        const next = readNamed(event.target.value)
        if (next) onChange(next)
      }}
    />
  )
}

/** One of a few, or left out. */
export function Choice({
  label,
  value,
  choices,
  onChange,
}: {
  label: string
  value: string | undefined
  choices: Record<string, string>
  onChange: (value: string | undefined) => void
}) {
  return (
    <Select label={label} value={value ?? ''} onChange={(event) => onChange(event.target.value || undefined)}>
      <option value="">left out</option>
      {Object.entries(choices).map(([choice, says]) => (
        <option key={choice} value={choice}>
          {says}
        </option>
      ))}
    </Select>
  )
}

/** Who may be named where somebody answers, or looks at what was done. */
export const WHO = 'People, groups; or: administrators, the owners, the manager'

const names = (text: string) =>
  text
    .split(',')
    .map((one) => one.trim())
    .filter(Boolean)

/** People and groups, as they are being typed: a space may be one between two words. */
export function People({
  label,
  hint,
  named,
  onChange,
}: {
  label: string
  hint?: string
  named: string[]
  onChange: (named: string[]) => void
}) {
  const [text, setText] = useState(() => named.join(', '))
  return (
    <Input
      label={label}
      hint={hint}
      value={text}
      onChange={(event) => {
        setText(event.target.value)
        onChange(names(event.target.value))
      }}
    />
  )
}
