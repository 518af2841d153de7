// Whether somebody else looks at what was done, and whom it goes to where nobody does.

import { Choice, People, type SettingField, type Settings, Time, WHO } from './fields'

type Debrief_ = NonNullable<Settings['debrief']>
type Wanted = Extract<Debrief_, { is: 'wanted' }>

const CHOICES = { none: 'nobody has to', wanted: 'somebody other than its holder' }

/** What one begins with. */
const BEGUN: Record<keyof typeof CHOICES, Debrief_> = {
  none: { is: 'none' },
  wanted: { is: 'wanted', by: ['administrators'], within: 86400, higher: ['administrators'] },
}

/** Whether anybody looks at what was done. */
export const Debrief = ({ settings: { debrief }, set }: SettingField) => (
  <Choice
    label="Who looks at what was done"
    value={debrief?.is}
    choices={CHOICES}
    onChange={(is) => set({ debrief: is ? BEGUN[is as keyof typeof BEGUN] : undefined })}
  />
)

/** Who, and by when. */
export function DebriefWho({ settings: { debrief }, set }: SettingField) {
  if (debrief?.is !== 'wanted') return null
  const change = (next: Partial<Wanted>) => set({ debrief: { ...debrief, ...next } })
  return (
    <fieldset className="grid content-start gap-3 rounded border border-line p-3">
      <People label="Who signs it off" hint={WHO} named={debrief.by} onChange={(by) => change({ by })} />
      <Time
        label="How long after its end"
        seconds={debrief.within}
        onChange={(within) => within !== undefined && change({ within })}
      />
      <People label="If nobody did by then, also" named={debrief.higher} onChange={(higher) => change({ higher })} />
    </fieldset>
  )
}
