// Beside the chart: what waits for me, what is mine, and alarms.

import { Link } from 'react-router'
import { type Api, get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant, Reference, State, Who } from '../../parts/told'
import { Said } from '../../parts/Said'
import { useAction, useData, useNow } from '../../parts/data'
import { isOverseer, type Me } from '../../parts/me'
import { about } from '../../words/time'
import type { Bar } from './lanes'

/** So many seconds before its end it is offered to go on with something. */
const SOON = 15 * 60

function Alarms() {
  const alarms = useData(['alarms'], ['alarms'], () => get('/api/v1/alarms'))
  const settle = useAction((id: string) => post('/api/v1/alarms/{id}/settle', undefined, { id }))
  return (
    <Section title="Alarms">
      <Shown of="alarms" query={alarms} lines={2}>
        {(all) => {
          const open = all.filter((alarm) => !alarm.settled)
          if (open.length === 0) return <Empty>No alarm is up.</Empty>
          return (
            <>
              <ul>
                {open.map((alarm) => (
                  <li
                    key={alarm.id}
                    className="grid grid-cols-[minmax(0,1fr)] gap-1 border-b border-l-4 border-line border-l-alarm px-3 py-2 last:border-b-0"
                  >
                    <p className="break-words">
                      <Said words={alarm.words} alone />.
                    </p>
                    <p className="flex items-center justify-between text-ink-3">
                      <span>
                        since <Instant at={alarm.since} />
                      </span>
                      {alarm.may_settle && (
                        <Button
                          look="quiet"
                          busy={settle.isPending && settle.variables === alarm.id}
                          onClick={() => settle.mutate(alarm.id)}
                        >
                          Seen to
                        </Button>
                      )}
                    </p>
                  </li>
                ))}
              </ul>
              <Wrong error={settle.error} />
            </>
          )
        }}
      </Shown>
    </Section>
  )
}

function Waiting({ bars, count }: { bars: Bar[]; count: number }) {
  const shown = bars.filter((bar) => bar.for_me).slice(0, 6)
  const more = count - shown.length
  return (
    <Section
      title="Waits for you"
      aside={
        count > 0 && (
          <Link to="/answer" className="font-medium text-sea underline">
            Answer
          </Link>
        )
      }
    >
      {count === 0 ? (
        <Empty>Nothing waits for your answer.</Empty>
      ) : (
        <ul>
          {shown.map((bar) => (
            <li key={bar.id} className="border-b border-line px-3 py-2 last:border-0">
              <Link to={`/answer?ask=${bar.id}`} className="grid gap-0.5 hover:underline">
                <span>
                  <span className="font-medium">{bar.who}</span> asks {bar.state === 'live' ? 'to go on with' : 'for'}{' '}
                  <span className="mono">{bar.role}</span>
                </span>
                <span className="truncate text-ink-3">{bar.reason ?? bar.scope}</span>
              </Link>
            </li>
          ))}
          {more > 0 && (
            <li className="px-3 py-2 text-ink-3">
              {more}
              {shown.length > 0 && ' more'} under Answer.
            </li>
          )}
        </ul>
      )}
    </Section>
  )
}

/** How long is left of what is live; near its end with the way to go on, where there is one. */
function Left({ one, now }: { one: Api['ElevationView']; now: Date }) {
  const left = (new Date(one.grant?.until ?? one.asked_at).getTime() - now.getTime()) / 1000
  const offered = left < SOON && (one.may_extend || one.grace != null)
  return (
    <span className="figures font-semibold whitespace-nowrap text-warm">
      {about(left)} left
      {offered && (
        <>
          {' · '}
          <Link to={`/elevation/${one.id}`} className="font-medium text-sea underline">
            go on
          </Link>
        </>
      )}
    </span>
  )
}

function Mine() {
  const now = useNow()
  const mine = useData(['elevations', 'mine'], ['elevations'], () => get('/api/v1/elevations'))
  return (
    <Section
      title="Yours"
      aside={
        <Link to="/past" className="font-medium text-sea underline">
          All you asked for
        </Link>
      }
    >
      <Shown of="your elevations" query={mine} lines={2}>
        {(all) =>
          all.length === 0 ? (
            <Empty>
              You hold nothing and wait for nothing.{' '}
              <Link to="/ask" className="underline">
                Ask for a right
              </Link>
              .
            </Empty>
          ) : (
            <ul>
              {all.slice(0, 8).map((one) => (
                <li
                  key={one.id}
                  className="flex items-baseline justify-between gap-2 border-b border-line px-3 py-2 last:border-0"
                >
                  <span className="min-w-0 truncate">
                    <Reference id={one.id} /> <span className="mono">{one.right.split('@')[0]}</span>
                  </span>
                  {one.state === 'live' && one.grant ? <Left one={one} now={now} /> : <State state={one.state} />}
                </li>
              ))}
            </ul>
          )
        }
      </Shown>
    </Section>
  )
}

/** So many breaches are in sight at once. */
const BREACHES = 4

/** What breaks a separation, and nobody tolerates; nothing where nothing does. */
function KeptApart() {
  const all = useData(['separations'], ['terms', 'people', 'standing', 'elevations'], () => get('/api/v1/separations'))
  const open = (all.data ?? []).flatMap(({ name, breaches }) =>
    breaches.filter((breach) => !breach.tolerated_until).map((breach) => ({ ...breach, name })),
  )
  if (open.length === 0) return null
  return (
    <Section
      title="Breaks a separation"
      aside={
        <Link to="/estate" className="font-medium text-sea underline">
          Estate
        </Link>
      }
    >
      <ul>
        {open.slice(0, BREACHES).map(({ name, who, says }) => (
          <li key={`${name} ${who ?? ''}`} className="border-b border-line px-3 py-2 break-words last:border-0">
            <span className="mono font-semibold">{name}</span>: {who && <Who name={who} />} {says}.
          </li>
        ))}
        {open.length > BREACHES && <li className="px-3 py-2 text-ink-3">{open.length - BREACHES} more in Estate.</li>}
      </ul>
    </Section>
  )
}

/** What wants the reader: alarms, asks, what ends soon, and what breaks a separation. */
export function Aside({ me, bars }: { me: Me; bars: Bar[] }) {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
      <Waiting bars={bars} count={me.waiting_for_me} />
      <Mine />
      {isOverseer(me) && <Alarms />}
      {isOverseer(me) && <KeptApart />}
    </div>
  )
}
