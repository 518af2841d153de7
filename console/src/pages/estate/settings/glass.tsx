// Who may break the glass, and with which proof of themselves.

import { METHODS } from '../../../words/proofs'
import { Choice, People, type SettingField, type Settings } from './fields'

type Glass_ = NonNullable<Settings['glass']>
type Method = Glass_['accepts'][number]

const CHOICES = { none: 'nobody', few: 'a few, who are named' }
const ANY = Object.keys(METHODS) as Method[]

/** Whether anybody may break the glass. */
export const Glass = ({ settings: { glass }, set }: SettingField) => (
  <Choice
    label="Who may break the glass"
    value={glass ? (glass.by.length > 0 || glass.accepts.length > 0 ? 'few' : 'none') : undefined}
    choices={CHOICES}
    onChange={(is) =>
      set({ glass: is === 'few' ? { by: [], accepts: ['passkey'] } : is ? { by: [], accepts: [] } : undefined })
    }
  />
)

/** Who they are, and what they prove themselves with. */
export function GlassFew({ settings: { glass }, set }: SettingField) {
  if (!glass || (glass.by.length === 0 && glass.accepts.length === 0)) return null
  const change = (next: Partial<Glass_>) => set({ glass: { ...glass, ...next } })
  return (
    <fieldset className="grid content-start gap-3 rounded border border-line p-3">
      <People
        label="The few"
        hint="People and groups, ten at most. They ask nobody; it is an alarm, and somebody else looks at what they did."
        named={glass.by}
        onChange={(by) => change({ by })}
      />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={glass.accepts.includes('totp-code')}
          onChange={(event) => change({ accepts: event.target.checked ? ANY : ['passkey'] })}
        />
        A code will do as well, not a passkey alone
      </label>
    </fieldset>
  )
}
