// Cover for an absence, on both people's pages: arranged, ended early, and the account of what was done by it.

import { useState } from 'react'
import { type Api, get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant, Reference, State, Who } from '../../parts/told'
import { useAction, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { count } from '../../words/time'
import { type Absence, AbsenceForm } from './AbsenceForm'

type One = Api['AppointmentView']

function Arrange({ absent, close }: { absent: string; close: () => void }) {
  const send = ({ who, ...rest }: Absence) => post('/api/v1/covers', { absent, stand_in: who, ...rest })
  return <AbsenceForm who="Who stands in" sends="Have them stand in" send={send} close={close} />
}

function Account({ id }: { id: string }) {
  const story = useData(['appointment', id], ['people', 'elevations'], () =>
    get('/api/v1/appointments/{id}', { at: { id } }),
  )
  return (
    <Shown of={`the account of ${id}`} query={story}>
      {({ appointment, elevations }) => (
        <div className="grid gap-3">
          <ul className="mono text-ink-2">
            {appointment.rights.map((right) => (
              <li key={right} className="break-words">
                {right}
              </li>
            ))}
          </ul>
          {elevations.length === 0 && <p className="text-ink-3">Nothing was asked for by it.</p>}
          <ul>
            {elevations.map((done) => (
              <li
                key={done.id}
                className="grid grid-cols-[4.5rem_minmax(0,1fr)_auto] items-baseline gap-x-2 border-b border-line py-1.5 last:border-0"
              >
                <Reference id={done.id} />
                <span className="min-w-0 break-words">
                  <span className="mono">{done.right}</span> <span className="text-ink-2">{done.brought.reason}</span>
                </span>
                <span className="flex items-baseline gap-2">
                  <State state={done.state} />
                  <Instant at={done.asked_at} how="relative" />
                </span>
              </li>
            ))}
          </ul>
        </div>
      )}
    </Shown>
  )
}

function Row({ one, may }: { one: One; may: boolean }) {
  const [open, setOpen] = useState(false)
  const end = useAction(() => post('/api/v1/appointments/{id}/end', undefined, { id: one.id }))
  const runs = one.state === 'made' || one.state === 'waiting'
  return (
    <li className="grid gap-1 border-b border-line px-3.5 py-2 last:border-0">
      <span>
        <span className="mono font-semibold">{one.id}</span> <Who name={one.who} className="font-medium" /> for{' '}
        <Who name={one.covers ?? ''} />, {count(one.rights.length, 'right')}, <Instant at={one.from} /> to{' '}
        {one.until && <Instant at={one.until} />}: {one.state === 'made' ? 'in force' : one.state}
      </span>
      <span className="flex flex-wrap items-center justify-between gap-2">
        <span className="text-ink-3">{one.reason}</span>
        <span className="flex gap-1.5">
          <Button look="quiet" onClick={() => setOpen(true)}>
            Account …
          </Button>
          {may && runs && (
            <Button look="quiet" busy={end.isPending} onClick={() => end.mutate()}>
              End
            </Button>
          )}
        </span>
      </span>
      <Wrong error={end.error} />
      <Dialog wide open={open} onClose={() => setOpen(false)} title={`Account of ${one.id}`} says={`${one.sentence}.`}>
        <Account id={one.id} />
      </Dialog>
    </li>
  )
}

/** `may` where the reader administers people, or it is their own page. */
export function Covers({ of, may }: { of: string; may: boolean }) {
  const [arranging, setArranging] = useState(false)
  const all = useData(['appointments'], ['people', 'elevations'], () => get('/api/v1/appointments'))
  const covers = (all.data ?? []).filter((one) => one.covers && (one.covers === of || one.who === of))
  if (!may && covers.length === 0) return null
  return (
    <Section
      title="Cover for absences"
      aside={may && <Button onClick={() => setArranging(true)}>Have somebody stand in …</Button>}
    >
      {covers.length === 0 && (
        <Empty>
          Nobody stands in for {of}, and {of} for nobody.
        </Empty>
      )}
      <ul>
        {covers.map((one) => (
          <Row key={one.id} one={one} may={may} />
        ))}
      </ul>
      <Dialog
        open={arranging}
        onClose={() => setArranging(false)}
        title={`While ${of} is away`}
        says="Whoever stands in may ask, under the same terms, for all that they may ask for; at the end there is an account of it for both."
      >
        <Arrange absent={of} close={() => setArranging(false)} />
      </Dialog>
    </Section>
  )
}
