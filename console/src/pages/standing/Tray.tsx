// The tray: right by right what converting would change, who is left, and what stands in the way; then the conversion.

import { useState } from 'react'
import { post } from '../../api/call'
import { Button, Input, Right, Section, Shown, Weight, Who, Wrong } from '../../parts/basics'
import { useAct, useData } from '../../parts/data'
import { count } from '../../words/time'
import type { Standing } from './StandingPage'

export function Tray({ chosen, clear }: { chosen: Standing[]; clear: () => void }) {
  const [until, setUntil] = useState('')
  const ids = chosen.map((one) => one.id)
  const plan = useData(['plan', ids.join(',')], ['standing', 'terms', 'people'], () => post('/api/v1/conversions/preview', { chosen: ids }), { keep: true })
  const convert = useAct(
    (shown: string) => post('/api/v1/conversions', { chosen: ids, shown, until: until ? new Date(until).toISOString() : null }),
    clear,
  )
  // Kept as a query's own function so that previews of a passed choice are never acted on.
  const stale = plan.isPlaceholderData
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
          <div className="grid gap-4 px-3.5 py-3">
            <ul className="grid max-h-[46vh] gap-3 overflow-auto" tabIndex={0} aria-label="What would change">
              {plan.items.map((item) => (
                <li key={item.standing.id} className="grid gap-1 border-l-4 border-line pl-3">
                  <span className="flex flex-wrap items-baseline gap-x-3">
                    <span className="mono font-semibold">{item.standing.account}</span>
                    {item.standing.who && <Who name={item.standing.who} />}
                    <Right right={`${item.standing.role}@${item.standing.scope}`} />
                    <Weight weight={item.standing.weight} />
                  </span>
                  <span>
                    <span className="label">Taken away:</span> {item.taken_away}
                  </span>
                  {item.also_lost.length > 0 && (
                    <span className="text-warm">
                      <span className="label">Lost with it:</span> {item.also_lost.join(', ')}
                    </span>
                  )}
                  <span>
                    <span className="label">Afterwards:</span> {item.may_ask}
                  </span>
                </li>
              ))}
            </ul>
            {plan.left.map((left) => (
              <p key={left.target} className="rounded bg-sunk px-3 py-2">
                On <span className="mono">{left.target}</span> {count(left.accounts.length, 'account')} keep everything: <span className="mono">{left.accounts.join(', ')}</span> ({left.least} at least).
              </p>
            ))}
            <Input label="They may be asked for until; for good, where it is left out" type="date" value={until} onChange={(event) => setUntil(event.target.value)} className="max-w-52" />
            <Wrong error={convert.error} />
            <div className="flex flex-wrap items-center gap-3">
              <Button look="main" busy={convert.isPending} disabled={stale} onClick={() => convert.mutate(plan.digest)}>
                Convert {count(chosen.length, 'right')}
              </Button>
              <span className="text-ink-3">Each is taken away on its system and read back; one step undoes all of it.</span>
            </div>
          </div>
        )}
      </Shown>
    </Section>
  )
}

