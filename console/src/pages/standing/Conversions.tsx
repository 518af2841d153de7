// Conversions: how far each is, and undo.

import { useState } from 'react'
import { type Api, get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant, Right, Who } from '../../parts/told'
import { useAction, useData, useNow } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { count, list } from '../../words/time'

type Conversion = Api['ConversionView']

const WORDS: Record<Conversion['items'][number]['state'], string> = {
  waiting: 'waiting for their wave',
  taking: 'being taken away',
  taken: 'taken away',
  restoring: 'being put back',
  restored: 'put back',
  superseded: 'put back by somebody else',
  untouched: 'never touched',
}

function progress(one: Conversion): string {
  const counts = new Map<keyof typeof WORDS, number>()
  for (const item of one.items) counts.set(item.state, (counts.get(item.state) ?? 0) + 1)
  return list([...counts.entries()].map(([state, number]) => `${number} ${WORDS[state]}`))
}

/** Where it stands among its waves, and the way on. */
function Waves({ one, may }: { one: Conversion; may: boolean }) {
  const next = useAction(() => post('/api/v1/conversions/{id}/next', undefined, { id: one.id }))
  const { waves } = one
  if (!waves || one.undone_at || (waves.count === 1 && !waves.stopped)) return null
  return (
    <div
      className={`flex flex-wrap items-center justify-between gap-2 rounded px-3 py-1.5 ${waves.stopped ? 'bg-alarm-soft' : 'bg-sunk'}`}
    >
      <span>
        Wave {waves.begun} of {waves.count}
        {waves.stopped ? `. It stopped by itself: ${waves.stopped}.` : waves.may_go_on ? ', read back whole' : ''}
        {waves.goes_on_at && (
          <>
            ; the next begins <Instant at={waves.goes_on_at} />
          </>
        )}
      </span>
      {waves.may_go_on && may && (
        <Button busy={next.isPending} onClick={() => next.mutate()}>
          Begin wave {waves.begun + 1}
        </Button>
      )}
      <Wrong error={next.error} />
    </div>
  )
}

/** How much of it was read back. */
function Progress({ one }: { one: Conversion }) {
  const done = one.items.filter((item) => !['waiting', 'taking', 'restoring'].includes(item.state)).length
  return (
    <div
      role="progressbar"
      aria-valuenow={done}
      aria-valuemax={one.items.length}
      aria-label={`${one.id}: read back`}
      className="h-1.5 rounded bg-sunk"
    >
      <div className="h-full rounded bg-warm-fill" style={{ width: `${(100 * done) / one.items.length}%` }} />
    </div>
  )
}

/** Each of its rights: its wave, how far it is, and what is in the way. */
function Items({ one }: { one: Conversion }) {
  return (
    <ul className="grid gap-1">
      {one.items.map((item) => (
        <li key={item.standing} className="flex flex-wrap items-baseline gap-x-3">
          {(one.waves?.count ?? 1) > 1 && <span className="text-ink-3">wave {item.wave}</span>}
          <span className="mono">{item.account}</span> <Right right={item.right} />
          <span className="text-ink-2">{WORDS[item.state]}</span>
          {item.trouble && <span className="text-alarm">{item.trouble}</span>}
        </li>
      ))}
    </ul>
  )
}

function One({ one, may }: { one: Conversion; may: boolean }) {
  const now = useNow()
  const [open, setOpen] = useState(false)
  const [sure, setSure] = useState(false)
  const undo = useAction(
    () => post('/api/v1/conversions/{id}/undo', undefined, { id: one.id }),
    () => setSure(false),
  )
  const past = one.waves != null && new Date(one.waves.undo_until) < now
  return (
    <li className="grid gap-1.5 border-b border-line px-3.5 py-2.5 last:border-0">
      <div className="flex flex-wrap items-center justify-between gap-2">
        <span>
          <span className="mono font-semibold">{one.id}</span>{' '}
          {one.name && <span className="font-medium">{one.name}, </span>}by <Who name={one.by} />{' '}
          <Instant at={one.at} />: {progress(one)}
          {one.undone_at && (
            <>
              ; undone <Instant at={one.undone_at} />
            </>
          )}
        </span>
        <span className="flex gap-1.5">
          <Button look="quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
            {open ? 'Less' : 'Right by right'}
          </Button>
          {may && !one.undone_at && !past && <Button onClick={() => setSure(true)}>Undo</Button>}
        </span>
      </div>
      {!one.settled && <Progress one={one} />}
      <Waves one={one} may={may} />
      {open && <Items one={one} />}
      <Dialog
        open={sure}
        onClose={() => setSure(false)}
        title={`Undo ${one.id}`}
        says={`Puts ${count(one.items.length, 'standing right')} back on their systems and ends the eligibilities made for them. What somebody changed in between is left, and said.`}
      >
        <Wrong error={undo.error} />
        <Button look="main" busy={undo.isPending} onClick={() => undo.mutate()}>
          Undo it
        </Button>
      </Dialog>
    </li>
  )
}

/** All conversions, the newest first. */
export function Conversions({ may }: { may: boolean }) {
  const all = useData(['conversions'], ['standing'], () => get('/api/v1/conversions'))
  return (
    <Section title="Conversions">
      <Shown of="conversions" query={all} lines={2}>
        {(all) =>
          all.length === 0 ? (
            <Empty>
              Nothing was converted yet. Pick rights above: they go to a tray that shows what would change before
              anything does.
            </Empty>
          ) : (
            <ul>
              {[...all]
                .sort((a, b) => b.at.localeCompare(a.at))
                .slice(0, 20)
                .map((one) => (
                  <One key={one.id} one={one} may={may} />
                ))}
            </ul>
          )
        }
      </Shown>
    </Section>
  )
}
