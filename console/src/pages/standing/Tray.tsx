// The tray: what converting would change and why not, how it would have fared, in which waves; then the conversion.

import { useState } from 'react'
import { type Api, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Input } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Shown, Wrong } from '../../parts/shown'
import { useAction, useData } from '../../parts/data'
import { count, readSpan, throughDay } from '../../words/time'
import { PlanItems } from './PlanItems'
import { Rehearsal } from './Rehearsal'
import type { Standing } from './StandingPage'

type Plan = Api['PlanView']

interface Waves {
  name: string
  size: string
  pace: string
  until: string
}

function WaveFields({
  waves,
  set,
  pilot,
  chosen,
}: {
  waves: Waves
  set: (waves: Waves) => void
  pilot: number
  chosen: number
}) {
  const field = (key: keyof Waves) => ({
    value: waves[key],
    onChange: (event: { target: { value: string } }) => set({ ...waves, [key]: event.target.value }),
  })
  const rest = chosen - pilot
  return (
    <fieldset className="grid gap-3">
      <legend className="label mb-1">
        {pilot > 0
          ? `The pilot (${pilot}) goes first; the other ${rest} wait for you`
          : 'All at once, unless some are picked as a pilot or a size is given'}
      </legend>
      <div className="grid gap-3 sm:grid-cols-2 lg:grid-cols-4">
        <Input label="What to call it" placeholder="Cranes, spring" maxLength={80} {...field('name')} />
        <Input
          label="Rights in a wave"
          hint="All that are left, where it is empty"
          inputMode="numeric"
          {...field('size')}
        />
        <Input
          label="The next wave after"
          hint="By itself, like 1d; you begin it, where it is empty"
          wrong={waves.pace && readSpan(waves.pace) === undefined ? 'Write it like 8h or 1d' : undefined}
          {...field('pace')}
        />
        <Input label="May be asked for until" hint="For good, where it is empty" type="date" {...field('until')} />
      </div>
    </fieldset>
  )
}

function Left({ left }: { left: Plan['left'] }) {
  return left.map((one) => (
    <p key={one.target} className="rounded bg-sunk px-3 py-2">
      On <span className="mono">{one.target}</span> {count(one.accounts.length, 'account')} keep everything:{' '}
      <span className="mono">{one.accounts.join(', ')}</span> ({one.least} at least).
    </p>
  ))
}

/** A rehearsal of what is chosen, opened when it is wanted. */
function Rehearsed({ ids, at }: { ids: string[]; at: boolean }) {
  const [open, setOpen] = useState(at)
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-2 rounded border border-line p-3">
      <span className="flex flex-wrap items-center gap-3">
        <Button aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? 'Close the rehearsal' : 'Rehearse'}
        </Button>
        <span className="text-ink-3">
          Replays what was recorded of these rights against the terms; nothing is changed.
        </span>
      </span>
      {open && <Rehearsal chosen={ids} />}
    </div>
  )
}

const isWrong = (waves: Waves) => (waves.pace !== '' && readSpan(waves.pace) === undefined) || !/^\d*$/.test(waves.size)

/** A conversion as it is sent: what is left empty is decided by the service. */
const asConversion = (chosen: string[], pilot: string[], waves: Waves, shown: string) => ({
  chosen,
  shown,
  until: waves.until ? throughDay(waves.until) : null,
  name: waves.name || null,
  pilot,
  wave_size: waves.size ? Number(waves.size) : null,
  pace: waves.pace ? (readSpan(waves.pace) ?? null) : null,
  stop_percent: null,
  undo_days: null,
})

/** What is chosen, all that converting it would do, and the step itself. */
export function Tray({ chosen, clear, rehearsed }: { chosen: Standing[]; clear: () => void; rehearsed: boolean }) {
  const [waves, setWaves] = useState<Waves>({ name: '', size: '', pace: '', until: '' })
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set())
  const ids = chosen.map((one) => one.id)
  const pilot = ids.filter((id) => picked.has(id))
  const plan = useData(
    ['plan', ids.join(',')],
    ['standing', 'terms', 'people'],
    () => post('/api/v1/conversions/preview', { chosen: ids }),
    { keep: true },
  )
  const convert = useAction(
    (shown: string) => post('/api/v1/conversions', asConversion(ids, pilot, waves, shown)),
    clear,
  )
  // A preview of a choice that has passed is never acted on.
  const stale = plan.isPlaceholderData || isWrong(waves)
  const first = pilot.length || Number(waves.size) || chosen.length
  return (
    <Section
      className="rise border-sea"
      title={`${count(chosen.length, 'right')} to convert`}
      aside={
        <Button look="quiet" onClick={clear}>
          Empty the tray
        </Button>
      }
    >
      <Shown of="what converting would do" query={plan}>
        {(plan) => (
          <div className="grid grid-cols-[minmax(0,1fr)] gap-4 px-3.5 py-3">
            <PlanItems items={plan.items} pilot={picked} setPilot={setPicked} />
            <Left left={plan.left} />
            <Rehearsed ids={ids} at={rehearsed} />
            <WaveFields waves={waves} set={setWaves} pilot={pilot.length} chosen={chosen.length} />
            <Wrong error={convert.error} />
            <div className="flex flex-wrap items-center gap-3">
              <Button look="main" busy={convert.isPending} disabled={stale} onClick={() => convert.mutate(plan.digest)}>
                {first < chosen.length
                  ? `Begin with ${count(first, 'right')}`
                  : `Convert ${count(chosen.length, 'right')}`}
              </Button>
              <span className="text-ink-3">
                Each is taken away on its system and read back; for 30 days one step undoes all of it.
              </span>
            </div>
          </div>
        )}
      </Shown>
    </Section>
  )
}
