// How often it may be used before it ends.

import { Choice, type SettingField, type Settings } from './fields'

const CHOICES = { any: 'as often as they like', one: 'once' }

/** How often the right may be used before it ends. */
export const Uses = ({ settings: { uses }, set }: SettingField) => (
  <Choice
    label="How often it may be used"
    value={uses ?? undefined}
    choices={CHOICES}
    onChange={(is) => set({ uses: is as Settings['uses'] })}
  />
)
