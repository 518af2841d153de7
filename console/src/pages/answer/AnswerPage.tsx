// Answer: what waits, beside all one needs to decide it. Several at once; every answer is confirmed before it is sent.

import { useRef, useState } from 'react'
import { useSearchParams } from 'react-router'
import { useVirtualizer } from '@tanstack/react-virtual'
import { type Api, get } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Section, Sentence } from '../../parts/sections'
import { Empty, Shown } from '../../parts/shown'
import { Instant, Weight } from '../../parts/told'
import { useData } from '../../parts/data'
import { useKeys } from '../../parts/keys'
import { useSteady } from '../../parts/steady'
import { howLong, why } from '../../words/asked'
import { count, list } from '../../words/time'
import { AskDetail } from './AskDetail'
import { Debriefs } from './Debriefs'
import { SeveralDialog } from './SeveralDialog'
import { Wishes } from './Wishes'

type Ask = Api['ElevationView']
const ROW = 76

function sentence(asks: number, wishes: number, debriefs: number): string {
  const all = asks + wishes + debriefs
  if (all === 0) return 'Nothing waits for your answer.'
  const parts = [
    asks > 0 && count(asks, 'ask'),
    wishes > 0 && count(wishes, 'wish', 'wishes'),
    debriefs > 0 && count(debriefs, 'debrief'),
  ].filter((part) => part !== false)
  return `${list(parts)} ${all === 1 ? 'waits' : 'wait'} for your answer.`
}

/** All that waits for the reader’s answer. */
export default function AnswerPage() {
  const waiting = useData(['waiting'], ['elevations'], () => get('/api/v1/waiting'))
  const all = useData(['appointments'], ['people', 'elevations'], () => get('/api/v1/appointments'))
  const done = useData(['debriefs'], ['elevations', 'people'], () => get('/api/v1/debriefs'))
  const wishes = (all.data ?? []).filter((one) => one.for_me)
  const debriefs = done.data ?? []
  return (
    <>
      <Sentence>
        {waiting.data ? sentence(waiting.data.length, wishes.length, debriefs.length) : 'What waits for your answer'}
      </Sentence>
      <Debriefs all={debriefs} />
      <Wishes wishes={wishes} />
      <Shown of="what waits for you" query={waiting} lines={6}>
        {(asks) => <Desk asks={asks} />}
      </Shown>
    </>
  )
}

interface PickedProps {
  number: number
  answer: (verdict: 'yes' | 'no') => void
  pickAll: () => void
}

/** What to do with those that are picked; where none are, picks all. */
function Picked({ number, answer, pickAll }: PickedProps) {
  if (number === 0) {
    return (
      <label className="flex items-center gap-1.5 text-ink-2">
        <input type="checkbox" checked={false} onChange={pickAll} /> pick all
      </label>
    )
  }
  return (
    <span className="flex items-center gap-1.5">
      <span className="figures text-ink-2">{number} picked</span>
      <Button look="main" onClick={() => answer('yes')}>
        Yes to all
      </Button>
      <Button onClick={() => answer('no')}>No to all</Button>
    </span>
  )
}

/** The ask that the address names, or the first; `j` and `k` go on to the next and back. */
function useChosen(rows: ListProps['rows']) {
  const [search, setSearch] = useSearchParams()
  const named = search.get('ask')
  const at = named ?? rows[0]?.row.id
  const choose = (id: string | undefined) => setSearch(id ? { ask: id } : {}, { replace: true })
  const step = (by: number) => {
    const n = rows.findIndex(({ row }) => row.id === at)
    choose(rows[Math.max(0, Math.min(n + by, rows.length - 1))]?.row.id)
  }
  useKeys((key) => {
    if (key === 'j') step(1)
    if (key === 'k') step(-1)
  })
  return { named, at, choose }
}

/** All that waits beside the one that is looked at. */
function Desk({ asks }: { asks: Ask[] }) {
  const [picked, setPicked] = useState<ReadonlySet<string>>(new Set())
  const [several, setSeveral] = useState<'yes' | 'no'>()
  const steady = useSteady(asks, (ask) => ask.id)
  const rows = steady.rows
  const { named, at, choose } = useChosen(rows)
  const shown = rows.find(({ row }) => row.id === at)
  const chosen = asks.filter((ask) => picked.has(ask.id))
  const pick = (id: string, on: boolean) =>
    setPicked((old) => new Set(on ? [...old, id] : [...old].filter((one) => one !== id)))
  // Not while answers are being told what became of them.
  if (rows.length === 0 && !named && !several) {
    return (
      <Section title="Asks">
        <Empty>
          Asks come here while you are among those who may answer them. What you answered before is in the record.
        </Empty>
      </Section>
    )
  }
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-[minmax(0,0.85fr)_minmax(0,1.15fr)]">
      <Section
        title="Asks"
        className={named ? 'max-lg:order-2' : ''}
        aside={
          <Picked
            number={chosen.length}
            answer={setSeveral}
            pickAll={() => setPicked(new Set(asks.map((ask) => ask.id)))}
          />
        }
      >
        {steady.waiting > 0 && (
          <button
            type="button"
            onClick={steady.release}
            className="w-full bg-sea-soft py-1.5 text-center font-medium text-sea"
          >
            {count(steady.waiting, 'new ask')}: show
          </button>
        )}
        <List rows={rows} at={at} picked={picked} pick={pick} choose={choose} hold={steady.hold} />
      </Section>
      {shown ? (
        <AskDetail key={shown.row.id} ask={shown.row} gone={shown.gone} next={() => choose(undefined)} />
      ) : named ? (
        <Elsewhere id={named} />
      ) : null}
      <SeveralDialog
        verdict={several}
        asks={chosen}
        onClose={() => setSeveral(undefined)}
        done={() => setPicked(new Set())}
      />
    </div>
  )
}

/** An ask that a link named and that doesn't wait for me any more. */
function Elsewhere({ id }: { id: string }) {
  const one = useData(['elevation', id], ['elevations'], () => get('/api/v1/elevations/{id}', { at: { id } }))
  return (
    <Section title={id}>
      <Shown of={id} query={one}>
        {(one) => (
          <p className="px-3.5 py-3">
            {one.id} doesn’t wait for your answer: it is {one.state}, {one.sentence}.
          </p>
        )}
      </Shown>
    </Section>
  )
}

interface ListProps {
  rows: { row: Ask; gone: boolean }[]
  at: string | undefined
  picked: ReadonlySet<string>
  pick: (id: string, on: boolean) => void
  choose: (id: string) => void
  hold: object
}

interface LineProps {
  ask: Ask
  gone: boolean
  chosen: boolean
  picked: boolean
  pick: ListProps['pick']
  choose: ListProps['choose']
}

/** One ask, in three lines: who, what, why. */
function Line({ ask, gone, chosen, picked, pick, choose }: LineProps) {
  return (
    <>
      <input
        type="checkbox"
        aria-label={`Pick ${ask.id}`}
        checked={picked}
        disabled={gone}
        onChange={(event) => pick(ask.id, event.target.checked)}
        className="mt-1.5"
      />
      <button
        type="button"
        aria-current={chosen || undefined}
        onClick={() => choose(ask.id)}
        className="grid min-w-0 flex-1 text-left"
      >
        <span className="flex items-baseline justify-between gap-2">
          <span className="truncate">
            <span className="mono font-semibold text-sea">{ask.id}</span> <span className="font-medium">{ask.who}</span>
          </span>
          <Weight weight={ask.weight} />
        </span>
        <span className="mono truncate text-ink-2">{ask.right}</span>
        <span className="truncate text-ink-3">
          {gone ? 'settled meanwhile' : `${howLong(ask)}: ${why(ask) ?? 'no reason given'}`} ·{' '}
          <Instant at={ask.asked_at} how="relative" />
        </span>
      </button>
    </>
  )
}

/** All that wait; only those on the screen are drawn. */
function List({ rows, at, picked, pick, choose, hold }: ListProps) {
  const scroll = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW,
    overscan: 8,
  })
  return (
    <div
      ref={scroll}
      {...hold}
      tabIndex={0}
      role="region"
      aria-label="Asks that wait for you"
      className="max-h-[68vh] overflow-auto"
    >
      <ul className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((item) => {
          const one = rows[item.index]
          if (!one) return null
          const { row: ask, gone } = one
          const chosen = ask.id === at
          return (
            <li
              key={ask.id}
              className={`absolute inset-x-0 flex items-start gap-2.5 border-b border-line px-3 py-2 ${chosen ? 'bg-sea-soft' : ''} ${gone ? 'opacity-60' : ''}`}
              style={{ height: ROW, transform: `translateY(${item.start}px)` }}
            >
              <Line {...{ ask, gone, chosen, pick, choose }} picked={picked.has(ask.id)} />
            </li>
          )
        })}
      </ul>
    </div>
  )
}
