// How long, how long where nobody says, and how old a proof may be.

import { type SettingField, Time } from './fields'

/** The longest time. */
export const Longest = ({ settings, set }: SettingField) => (
  <Time label="Longest" seconds={settings.longest} onChange={(longest) => set({ longest })} />
)

/** The time that a sheet begins with. */
export const Usual = ({ settings, set }: SettingField) => (
  <Time label="Usual" seconds={settings.usual} onChange={(usual) => set({ usual })} />
)

/** How old a proof may be. */
export const Assurance = ({ settings, set }: SettingField) => (
  <Time label="Proof no older than" seconds={settings.assurance} onChange={(assurance) => set({ assurance })} />
)
