// Which assurances whoever acts must meet.

import { useState } from 'react'
import { get } from '../../../api/call'
import { useData } from '../../../parts/data'
import { Input } from '../../../parts/fields'
import { readNames, writeNames } from '../../../words/names'
import type { SettingField } from './fields'

/** The assurances that must be met, by name. */
export function Assured({ settings: { assured }, set }: SettingField) {
  const [text, setText] = useState(writeNames(assured))
  const known = useData(['assurances'], ['terms'], () => get('/api/v1/assurances'))
  const names = (known.data ?? []).map((one) => one.name)
  return (
    <Input
      label="Assurances that must be met"
      value={text}
      placeholder="left out; or names, or none"
      hint={names.length > 0 ? `There are ${names.join(', ')}.` : undefined}
      onChange={(event) => {
        setText(event.target.value)
        set({ assured: readNames(event.target.value) })
      }}
    />
  )
}
