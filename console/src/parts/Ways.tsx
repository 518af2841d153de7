// Ways: who reaches a place, or what somebody reaches, step by step.

import { useState } from 'react'
import { get } from '../api/call'
import { figure } from '../words/time'
import { Button } from './buttons'
import { Section } from './sections'
import { Empty, Shown } from './shown'
import { Weight, Who } from './told'
import { useData } from './data'

const FIRST = 6

/** Either `to` a path, or `of` somebody. Asked for only when opened: it walks over everything. */
export function Ways({ to, of }: { to?: string; of?: string }) {
  const [open, setOpen] = useState(false)
  return (
    <Section
      title={to ? 'How it is reached' : 'What is reached, and how'}
      aside={
        <Button look="quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
          {open ? 'Close' : 'Work it out'}
        </Button>
      }
    >
      {open ? (
        <List to={to} of={of} />
      ) : (
        <p className="px-3.5 py-2.5 text-ink-3">
          Through groups, keys and systems that run on others, all the time or on asking.
        </p>
      )}
    </Section>
  )
}

function List({ to, of }: { to?: string; of?: string }) {
  const [all, setAll] = useState(false)
  const query = useData(['ways', to ?? '', of ?? ''], ['standing', 'people', 'estate'], () =>
    get('/api/v1/ways', { query: { to, of } }),
  )
  return (
    <Shown of="the ways" query={query}>
      {(reply) => (
        <>
          <p className="px-3.5 pt-2.5 font-medium">
            {figure(reply.without_asking)} all the time, {figure(reply.total - reply.without_asking)} on asking.
          </p>
          {reply.total === 0 && <Empty>{to ? 'Nobody that is known reaches it.' : 'Nothing that you may see.'}</Empty>}
          <ul>
            {reply.ways.slice(0, all ? undefined : FIRST).map((way) => (
              <li key={`${way.who} ${way.to}`} className="grid gap-0.5 border-b border-line px-3.5 py-2 last:border-0">
                <span className="flex items-baseline justify-between gap-3">
                  <span className="min-w-0 break-words">
                    {to ? <Who name={way.who} className="font-medium" /> : <span className="mono">{way.to}</span>}
                  </span>
                  <span className="flex gap-2">
                    {way.on_request && <span className="text-sea">on asking</span>}
                    <Weight weight={way.weight} />
                  </span>
                </span>
                <ol className="text-[0.92rem] text-ink-2">
                  {way.steps.map((step, n) => (
                    // biome-ignore lint: two steps may read the same
                    <li key={`${n}${step}`} className="break-words" style={{ paddingLeft: `${n * 0.9}rem` }}>
                      {step.replaceAll('`', '')}
                    </li>
                  ))}
                </ol>
              </li>
            ))}
          </ul>
          {reply.ways.length > FIRST && !all && (
            <div className="px-2 py-1.5">
              <Button look="quiet" onClick={() => setAll(true)}>
                All {figure(reply.ways.length)}
              </Button>
            </div>
          )}
        </>
      )}
    </Shown>
  )
}
