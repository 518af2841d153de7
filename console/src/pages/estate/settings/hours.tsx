// On which days and between which hours it may be held.

import { useState } from 'react'
import { TextArea } from '../../../parts/fields'
import { HOURS_FORM, readHours, writeHours } from '../../../words/hours'
import type { SettingField, Settings } from './fields'

type Weeks_ = NonNullable<Settings['hours']>

interface WeeksProps {
  label: string
  weeks: Settings['hours']
  set: (weeks: Weeks_ | undefined) => void
}

/** Weeks, as they are being typed. */
export function Weeks({ label, weeks, set }: WeeksProps) {
  const [text, setText] = useState(writeHours(weeks))
  if (text === undefined)
    return <p className="text-ink-2">Hours: two weeks in one zone, which are changed by a file alone.</p>
  return (
    <TextArea
      label={label}
      value={text}
      rows={2}
      placeholder="left out; or Europe/Oslo mon-fri 07:00-17:00"
      wrong={readHours(text) ? undefined : HOURS_FORM}
      onChange={(event) => {
        setText(event.target.value)
        const next = readHours(event.target.value)
        if (next) set(next.length > 0 ? next : undefined)
      }}
    />
  )
}

/** The weeks in which it may be held. */
export function Hours({ settings: { hours }, set }: SettingField) {
  return <Weeks label="Held only within these hours, a line each" weeks={hours} set={(hours) => set({ hours })} />
}
