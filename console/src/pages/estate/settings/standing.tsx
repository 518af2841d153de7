// Whether it may be held all the time.

import { Choice, type SettingField, type Settings } from './fields'

const CHOICES = { allowed: 'may be', never: 'never' }

/** Whether the right may be held all the time. */
export const Standing = ({ settings: { standing }, set }: SettingField) => (
  <Choice
    label="Held all the time"
    value={standing ?? undefined}
    choices={CHOICES}
    onChange={(is) => set({ standing: is as Settings['standing'] })}
  />
)
