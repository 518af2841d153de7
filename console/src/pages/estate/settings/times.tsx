// How long, how long where nobody says, and how old a proof may be.

import { type SettingField, Time } from './fields'

export const Longest = ({ settings, set }: SettingField) => (
  <Time label="Longest" seconds={settings.longest} onChange={(longest) => set({ longest })} />
)

export const Usual = ({ settings, set }: SettingField) => (
  <Time label="Usual" seconds={settings.usual} onChange={(usual) => set({ usual })} />
)

export const Assurance = ({ settings, set }: SettingField) => (
  <Time label="Proof no older than" seconds={settings.assurance} onChange={(assurance) => set({ assurance })} />
)
