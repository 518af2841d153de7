// Whether who isn't eligible may ask to be.

import { Choice, type SettingField, type Settings } from './fields'

const CHOICES = { open: 'sees it, and may ask to be', closed: 'does not see it' }

/** Whether the right is offered to whoever isn't eligible for it. */
export const Offered = ({ settings: { offered }, set }: SettingField) => (
  <Choice
    label="Who isn’t eligible"
    value={offered ?? undefined}
    choices={CHOICES}
    onChange={(is) => set({ offered: is as Settings['offered'] })}
  />
)
