// How the end of what is held must come.

import { Choice, type SettingField, type Settings } from './fields'

const CHOICES = { any: 'any right', 'by-itself': 'only what the system ends by itself' }

/** What has to see to the end. */
export const Lapse = ({ settings: { lapse }, set }: SettingField) => (
  <Choice
    label="How its end comes"
    value={lapse ?? undefined}
    choices={CHOICES}
    onChange={(lapse) => set({ lapse: lapse as Settings['lapse'] })}
  />
)
