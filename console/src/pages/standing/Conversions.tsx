// Conversions: how far each is, and undo.

import { useState } from 'react'
import { type Api, get, post } from '../../api/call'
import { Button, Empty, Instant, Right, Section, Shown, Who, Wrong } from '../../parts/basics'
import { useAct, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { count, list } from '../../words/time'

type Conversion = Api['ConversionView']

const WORDS: Record<string, string> = {
  taking: 'being taken away',
  taken: 'taken away',
  restoring: 'being put back',
  restored: 'put back',
  'put-back-by-others': 'put back by somebody else',
}

function progress(one: Conversion): string {
  const counts = new Map<string, number>()
  for (const item of one.items) counts.set(item.state, (counts.get(item.state) ?? 0) + 1)
  return list([...counts.entries()].map(([state, number]) => `${number} ${WORDS[state] ?? state.replaceAll('-', ' ')}`))
}

function One({ one }: { one: Conversion }) {
  const [open, setOpen] = useState(false)
  const [sure, setSure] = useState(false)
  const undo = useAct(
    () => post('/api/v1/conversions/{id}/undo', undefined, { id: one.id }),
    () => setSure(false),
  )
  const done = one.items.filter((item) => !['taking', 'restoring'].includes(item.state)).length
  return (
    <li className="grid gap-1.5 border-b border-line px-3.5 py-2.5 last:border-0">
      <div className="flex flex-wrap items-center justify-between gap-2">
        <span>
          <span className="mono font-semibold">{one.id}</span> by <Who name={one.by} /> <Instant at={one.at} />: {progress(one)}
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
          {!one.undone_at && <Button onClick={() => setSure(true)}>Undo</Button>}
        </span>
      </div>
      {!one.settled && (
        <div role="progressbar" aria-valuenow={done} aria-valuemax={one.items.length} aria-label={`${one.id}: read back`} className="h-1.5 rounded bg-sunk">
          <div className="h-full rounded bg-warm-fill" style={{ width: `${(100 * done) / one.items.length}%` }} />
        </div>
      )}
      {open && (
        <ul className="grid gap-1">
          {one.items.map((item) => (
            <li key={item.standing} className="flex flex-wrap items-baseline gap-x-3">
              <span className="mono">{item.account}</span> <Right right={item.right} />
              <span className="text-ink-2">{WORDS[item.state] ?? item.state}</span>
              {item.trouble && <span className="text-alarm">{item.trouble}</span>}
            </li>
          ))}
        </ul>
      )}
      <Dialog open={sure} onClose={() => setSure(false)} title={`Undo ${one.id}`} says={`Puts ${count(one.items.length, 'standing right')} back on their systems and ends the eligibilities made for them. What somebody changed in between is left, and said.`}>
        <Wrong error={undo.error} />
        <Button look="main" busy={undo.isPending} onClick={() => undo.mutate()}>
          Undo it
        </Button>
      </Dialog>
    </li>
  )
}

export function Conversions() {
  const all = useData(['conversions'], ['standing'], () => get('/api/v1/conversions'))
  return (
    <Section title="Conversions">
      <Shown of="conversions" query={all} lines={2}>
        {(all) =>
          all.length === 0 ? (
            <Empty>Nothing was converted yet. Pick rights above: they go to a tray that shows what would change before anything does.</Empty>
          ) : (
            <ul>
              {[...all].sort((a, b) => b.at.localeCompare(a.at)).slice(0, 20).map((one) => (
                <One key={one.id} one={one} />
              ))}
            </ul>
          )
        }
      </Shown>
    </Section>
  )
}
