// What of the house's own a rule goes by, by name: assurances that must be met, calendars that close it, circumstances.

import { useState } from 'react'
import { get } from '../../../api/call'
import { useData } from '../../../parts/data'
import { Input } from '../../../parts/fields'
import { readNames, writeNames } from '../../../words/names'
import type { SettingField } from './fields'

interface NamesProps {
  label: string
  names?: string[] | null
  /** Which there are. */
  known?: { name: string }[]
  set: (names: string[] | undefined) => void
}

function Names({ label, names, known = [], set }: NamesProps) {
  const [text, setText] = useState(writeNames(names))
  return (
    <Input
      label={label}
      value={text}
      placeholder="left out; or names, or none"
      hint={known.length > 0 ? `There are ${known.map((one) => one.name).join(', ')}.` : undefined}
      onChange={(event) => {
        setText(event.target.value)
        set(readNames(event.target.value))
      }}
    />
  )
}

/** The assurances that must be met. */
export function Assured({ settings: { assured }, set }: SettingField) {
  const { data } = useData(['assurances'], ['terms'], () => get('/api/v1/assurances'))
  return <Names label="Assurances that must be met" names={assured} known={data} set={(assured) => set({ assured })} />
}

/** The calendars in whose entries it is not held. */
export function Closed({ settings: { closed }, set }: SettingField) {
  const { data } = useData(['calendars'], ['terms'], () => get('/api/v1/calendars'))
  return <Names label="Not held during" names={closed} known={data} set={(closed) => set({ closed })} />
}

/** The circumstances while which alone it is held. */
export function OnlyWhile({ settings: { only_while }, set }: SettingField) {
  const { data } = useData(['circumstances'], ['terms'], () => get('/api/v1/circumstances'))
  return <Names label="Held only while" names={only_while} known={data} set={(only_while) => set({ only_while })} />
}
