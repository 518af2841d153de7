// How much has to be said for it.

import { Input } from '../../../parts/fields'
import type { SettingField } from './fields'

/** Whether a reason is needed, and how long a one. */
export function Reason({ settings: { reason }, set }: SettingField) {
  const letters = reason?.is === 'required' ? reason.at_least : reason ? 0 : ''
  const change = (text: string) => {
    const least = Number(text)
    if (text === '') set({ reason: undefined })
    else set({ reason: least > 0 ? { is: 'required', at_least: least } : { is: 'optional' } })
  }
  return (
    <Input
      label="Letters of a reason; 0 for none needed"
      type="number"
      min={0}
      max={500}
      placeholder="left out"
      value={letters}
      onChange={(event) => change(event.target.value)}
    />
  )
}
