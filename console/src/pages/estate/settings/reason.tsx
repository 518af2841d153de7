// How much has to be said for it: a purpose out of a list, and a reason in words.

import { useState } from 'react'
import { Input, TextArea } from '../../../parts/fields'
import { Choice, type SettingField, type Settings } from './fields'

type ReasonRule = NonNullable<Settings['reason']>

const CHOICES = { hidden: 'not asked for', optional: 'optional', required: 'required' }

/** Whether a reason is needed. */
export function Reason({ settings: { reason }, set }: SettingField) {
  const change = (is: string | undefined) =>
    set({ reason: is ? (is === 'required' ? { is, at_least: 8 } : ({ is } as ReasonRule)) : undefined })
  return <Choice label="Reason" value={reason?.is} choices={CHOICES} onChange={change} />
}

/** How long a one, where it is needed. */
export function ReasonLetters({ settings: { reason }, set }: SettingField) {
  const [text, setText] = useState(reason?.is === 'required' ? String(reason.at_least) : '8')
  if (reason?.is !== 'required') return null
  return (
    <Input
      label="Letters of a reason at least"
      type="number"
      min={1}
      max={500}
      value={text}
      onChange={(event) => {
        setText(event.target.value)
        if (Number(event.target.value) > 0) set({ reason: { is: 'required', at_least: Number(event.target.value) } })
      }}
    />
  )
}

/** The purposes of which one is named. */
export function Purposes({ settings: { purposes }, set }: SettingField) {
  const [text, setText] = useState(purposes?.join('\n') ?? '')
  const read = (typed: string) =>
    typed
      .split('\n')
      .map((line) => line.trim())
      .filter((line) => line !== '')
  return (
    <TextArea
      label="Purposes to choose from, a line each"
      value={text}
      rows={2}
      placeholder="left out"
      onChange={(event) => {
        setText(event.target.value)
        const next = read(event.target.value)
        set({ purposes: next.length > 0 ? next : undefined })
      }}
    />
  )
}
