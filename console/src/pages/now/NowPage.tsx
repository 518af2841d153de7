// Now: what is in force, was and will be, on one line of time; and what wants me.

import { useSearchParams } from 'react-router'
import { type Api, get } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Section, Sentence } from '../../parts/sections'
import { Shown } from '../../parts/shown'
import { useData, useNow } from '../../parts/data'
import { useKeys } from '../../parts/keys'
import { useMe } from '../../parts/me'
import { count, dayOf, figure, list } from '../../words/time'
import { Aside } from './Aside'
import { NowTable } from './NowTable'
import { TideChart } from './TideChart'

const SPANS = { '6': '6 hours', '24': 'a day', '168': 'a week' }

function opening(now: Api['NowReply']) {
  const parts = [
    `${now.live} live`,
    now.waiting_for_me > 0 && `${now.waiting_for_me} ${now.waiting_for_me === 1 ? 'waits' : 'wait'} for you`,
    now.scheduled > 0 && `${now.scheduled} to begin`,
    now.overdue > 0 ? `${count(now.overdue, 'end')} overdue` : 'nothing overdue',
  ].filter((part) => part !== false)
  return list(parts)
}

function standing(now: Api['NowReply']) {
  if (now.standing == null) return null
  const before = now.standing_before
  const change = before ? before.standing - now.standing : 0
  const than =
    before && change
      ? `, ${figure(Math.abs(change))} ${change > 0 ? 'fewer' : 'more'} than on ${dayOf(before.day)}`
      : ''
  return ` ${count(now.standing, 'standing right')} left${than}.`
}

/** Where the page looks, as its address says; and the means to look elsewhere. */
function usePlace() {
  const [search, setSearch] = useSearchParams()
  const set = (key: string, value: string) => {
    setSearch(
      (old) => {
        old.set(key, value)
        return old
      },
      { replace: true },
    )
  }
  const table = search.get('view') === 'table'
  const lanes = search.get('lanes') === 'person' ? 'person' : 'system'
  return {
    hours: Number(search.get('hours') ?? 6),
    shift: Number(search.get('shift') ?? 0),
    lanes,
    table,
    set,
    turnTable: () => set('view', table ? 'chart' : 'table'),
    turnLanes: () => set('lanes', lanes === 'person' ? 'system' : 'person'),
  } as const
}

/** Another view, other lanes, another span, earlier and later. */
function Controls({ place }: { place: ReturnType<typeof usePlace> }) {
  const { hours, shift, lanes, table, set } = place
  return (
    <div className="flex flex-wrap items-center gap-1.5">
      <Button look="quiet" onClick={place.turnLanes} title="Key: p">
        {lanes === 'person' ? 'By system' : 'By person'}
      </Button>
      <Button look="quiet" onClick={place.turnTable} title="Key: t">
        {table ? 'As a chart' : 'As a table'}
      </Button>
      <Button look="quiet" aria-label="Earlier" onClick={() => set('shift', String(shift - hours))}>
        ‹
      </Button>
      {shift !== 0 && (
        <Button look="quiet" onClick={() => set('shift', '0')}>
          Now
        </Button>
      )}
      <Button look="quiet" aria-label="Later" onClick={() => set('shift', String(shift + hours))}>
        ›
      </Button>
      <select
        aria-label="How far to either side"
        value={String(hours)}
        onChange={(event) => set('hours', event.target.value)}
        className="h-9 rounded border border-edge bg-sheet px-1.5"
      >
        {Object.entries(SPANS).map(([value, says]) => (
          <option key={value} value={value}>
            {says}
          </option>
        ))}
      </select>
    </div>
  )
}

/** What was, is and will be in force around this moment, and what wants the reader. */
export default function NowPage() {
  const me = useMe()
  const clock = useNow()
  const place = usePlace()
  const { hours, shift, lanes, table } = place
  // A minute's grain, so that the span moves on without fetching each second.
  const minute = Math.floor(clock.getTime() / 60000) * 60000
  const middle = minute + shift * 3600_000
  const from = new Date(middle - hours * 3600_000)
  const to = new Date(middle + hours * 3600_000)
  const now = useData(
    ['now', hours, shift, minute],
    ['elevations', 'standing'],
    () => get('/api/v1/now', { query: { from: from.toISOString(), to: to.toISOString() } }),
    { keep: true },
  )
  useKeys((key) => {
    if (key === 't') place.turnTable()
    if (key === 'p') place.turnLanes()
  })
  return (
    <>
      <Sentence>
        {now.data ? (
          <>
            {opening(now.data)}.{standing(now.data)}
          </>
        ) : (
          'What is in force now'
        )}
      </Sentence>
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-[minmax(0,1fr)_290px]">
        <Section
          title={table ? 'In force, as a table' : lanes === 'system' ? 'In force, by system' : 'In force, by person'}
          aside={<Controls place={place} />}
        >
          <Shown of="what is in force" query={now} lines={8}>
            {(data) =>
              table ? (
                <NowTable bars={data.bars} />
              ) : (
                <TideChart bars={data.bars} from={from} to={to} now={clock} lanes={lanes} />
              )
            }
          </Shown>
        </Section>
        {me.data && <Aside me={me.data} bars={now.data?.bars ?? []} />}
      </div>
    </>
  )
}
