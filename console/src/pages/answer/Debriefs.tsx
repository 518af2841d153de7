// What was done and is over, that waits for the reader to look at it.

import { Link } from 'react-router'
import type { Api } from '../../api/call'
import { Section } from '../../parts/sections'
import { Instant, Right, Who } from '../../parts/told'

/** What waits to be looked at; nothing where nothing does. */
export function Debriefs({ all }: { all: Api['ElevationView'][] }) {
  if (all.length === 0) return null
  return (
    <Section title="What was done" className="mb-4">
      <ul>
        {all.map((one) => (
          <li
            key={one.id}
            className="flex flex-wrap items-center justify-between gap-2 border-b border-line px-3.5 py-2 last:border-0"
          >
            <span className="min-w-0 break-words">
              <span className="mono font-semibold">{one.id}</span> <Who name={one.who} />{' '}
              {one.glass ? <strong className="text-alarm">broke the glass</strong> : 'is done'} with{' '}
              <Right right={one.right} />.{' '}
              <span className={one.debrief?.higher ? 'text-alarm' : 'text-ink-3'}>
                {one.debrief?.higher ? (
                  'Nobody looked in time.'
                ) : (
                  <>It goes higher {one.debrief && <Instant at={one.debrief.until} how="relative" />}.</>
                )}
              </span>
            </span>
            <Link to={`/elevation/${one.id}`} className="rounded border border-edge px-3 py-1.5">
              Look at it
            </Link>
          </li>
        ))}
      </ul>
    </Section>
  )
}
