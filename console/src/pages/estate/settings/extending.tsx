// How often what is held may be extended, and the grace at its end.

import { Choice, type SettingField, Time } from './fields'

const TIMES = { 0: 'never', 1: 'once', 2: 'twice', 3: '3 times', 5: '5 times', 10: '10 times' }

/** How often it may be extended. */
export const Extensions = ({ settings: { extensions }, set }: SettingField) => (
  <Choice
    label="May be extended"
    value={extensions == null ? undefined : String(extensions)}
    choices={extensions == null || extensions in TIMES ? TIMES : { ...TIMES, [extensions]: `${extensions} times` }}
    onChange={(times) => set({ extensions: times === undefined ? undefined : Number(times) })}
  />
)

/** How much longer its holder may take once, at its end. */
export const Grace = ({ settings, set }: SettingField) => (
  <Time label="Grace at its end, once" seconds={settings.grace} onChange={(grace) => set({ grace })} />
)
