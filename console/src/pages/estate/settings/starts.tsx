// How the clock may start; all of it is left out, or some of it allowed.

import { Choice, type SettingField, type Settings, Time } from './fields'

type Ways = NonNullable<Settings['starts']>

/** The ways to start that are allowed. */
export function Starts({ settings: { starts }, set }: SettingField) {
  if (!starts) {
    const begin = () => set({ starts: { at_yes: true, at_time_within: null, begin_within: null } })
    return (
      <Choice label="How its time may start" value={undefined} choices={{ set: 'as said here' }} onChange={begin} />
    )
  }
  const change = (next: Partial<Ways>) => set({ starts: { ...starts, ...next } })
  return (
    <fieldset className="grid gap-2 rounded border border-line px-2.5 pt-1 pb-2.5">
      <legend className="label px-1">How its time may start</legend>
      <label className="flex items-center gap-1.5">
        <input type="checkbox" checked={starts.at_yes} onChange={(event) => change({ at_yes: event.target.checked })} />{' '}
        at the yes, or at once
      </label>
      <div className="grid grid-cols-2 gap-2">
        <Time
          label="At a set time, ahead at most"
          seconds={starts.at_time_within}
          onChange={(seconds) => change({ at_time_within: seconds ?? null })}
        />
        <Time
          label="When the holder begins, within"
          seconds={starts.begin_within}
          onChange={(seconds) => change({ begin_within: seconds ?? null })}
        />
      </div>
      <button type="button" className="justify-self-start text-ink-3 underline" onClick={() => set({ starts: null })}>
        Leave it out
      </button>
    </fieldset>
  )
}

/** With everything that it leaves out named. */
export const wholeStarts = (starts: Ways) => ({
  at_yes: starts.at_yes,
  at_time_within: starts.at_time_within ?? null,
  begin_within: starts.begin_within ?? null,
})
