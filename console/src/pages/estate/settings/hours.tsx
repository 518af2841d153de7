// On which days and between which hours it may be held.

import { useState } from 'react'
import { TextArea } from '../../../parts/fields'
import { HOURS_FORM, readHours, writeHours } from '../../../words/hours'
import type { SettingField } from './fields'

/** The weeks in which it may be held. */
export function Hours({ settings: { hours }, set }: SettingField) {
  const [text, setText] = useState(writeHours(hours))
  if (text === undefined)
    return <p className="text-ink-2">Hours: two weeks in one zone, which are changed by a file alone.</p>
  return (
    <TextArea
      label="Held only within these hours, a line each"
      value={text}
      rows={2}
      placeholder="left out; or Europe/Oslo mon-fri 07:00-17:00"
      wrong={readHours(text) ? undefined : HOURS_FORM}
      onChange={(event) => {
        setText(event.target.value)
        const next = readHours(event.target.value)
        if (next) set({ hours: next.length > 0 ? next : undefined })
      }}
    />
  )
}
