// Ask: one search over everything I may ask for; the choice opens its sheet.

import { useState } from 'react'
import { Link, useSearchParams } from 'react-router'
import { type Api, get } from '../../api/call'
import { Section, Sentence } from '../../parts/sections'
import { Empty, Shown } from '../../parts/shown'
import { Right, Weight } from '../../parts/told'
import { useData } from '../../parts/data'
import { useMe } from '../../parts/me'
import { count } from '../../words/time'
import { AskSheet } from './AskSheet'
import { Offers } from './Offers'

/** What was asked for often comes first; what can't be had at present, last. */
function ranked(eligible: Api['EligibilityView'][], mine: Api['ElevationView'][], q: string) {
  const times = (right: string) => mine.filter((one) => one.right === right || one.asked?.right === right).length
  const words = q.toLowerCase().split(/\s+/).filter(Boolean)
  const barred = (one: Api['EligibilityView']) => Number(!one.takes?.sentence)
  return eligible
    .filter((one) => words.every((word) => `${one.right} ${one.says}`.toLowerCase().includes(word)))
    .map((one) => ({ one, times: times(one.right) }))
    .sort((a, b) => barred(a.one) - barred(b.one) || b.times - a.times || a.one.right.localeCompare(b.one.right))
}

interface RowProps {
  one: Api['EligibilityView']
  times: number
  chosen: boolean
  choose: () => void
}

/** One right in a line of its own: what it is, what it takes, how often it was asked for. */
function Row({ one, times, chosen, choose }: RowProps) {
  const now = one.takes?.sentence
  return (
    <li className="border-b border-line last:border-0">
      <button
        type="button"
        aria-pressed={chosen}
        onClick={choose}
        title={one.says}
        className={`grid w-full grid-cols-[minmax(0,1fr)] gap-0.5 px-3.5 py-2 text-left hover:bg-sunk ${chosen ? 'bg-sea-soft' : ''}`}
      >
        <span className="flex flex-wrap items-baseline justify-between gap-x-3">
          <Right right={one.right} />
          <Weight weight={one.weight} />
        </span>
        <span className={`figures flex justify-between gap-3 ${now ? 'text-ink-3' : 'text-alarm'}`}>
          <span className="truncate">{now ? one.takes?.brief : `Not at present: ${one.takes?.brief}`}</span>
          {times > 0 && <span className="whitespace-nowrap text-ink-3">asked {count(times, 'time')}</span>}
        </span>
      </button>
    </li>
  )
}

interface ListProps {
  reply: Api['EligibleReply']
  mine: Api['ElevationView'][]
  q: string
  chosen: string | null
  choose: (right: string) => void
}

function List({ reply, mine, q, chosen, choose }: ListProps) {
  const shown = ranked(reply.eligible, mine, q)
  if (reply.eligible.length === 0)
    return <Empty>{reply.empty_because?.replace(/^./, (letter) => letter.toUpperCase())}.</Empty>
  if (shown.length === 0)
    return <Empty>Nothing you may ask for is called so. An administrator can make you eligible for more.</Empty>
  return (
    <ul>
      {shown.map(({ one, times }) => (
        <Row key={one.id} {...{ one, times }} chosen={one.right === chosen} choose={() => choose(one.right)} />
      ))}
    </ul>
  )
}

/** What may be asked for, and the sheet of what is chosen. */
export default function AskPage() {
  const [search, setSearch] = useSearchParams()
  const [q, setQ] = useState('')
  const chosen = search.get('right')
  const eligible = useData(['eligible'], ['people', 'terms', 'stops', 'estate'], () => get('/api/v1/eligible'))
  const mine = useData(['elevations', 'mine', 'ended'], ['elevations'], () =>
    get('/api/v1/elevations', { query: { ended: true } }),
  )
  const me = useMe()
  const choose = (right: string | null) => setSearch(right ? { right } : {})
  const last = chosen ? mine.data?.find((one) => one.right === chosen || one.asked?.right === chosen) : undefined
  return (
    <>
      <Sentence
        aside={
          <Link to="/past" className="font-medium text-sea underline">
            All you asked for
          </Link>
        }
      >
        {eligible.data
          ? `You may ask for ${eligible.data.eligible.length ? count(eligible.data.eligible.length, 'right') : 'nothing yet'}.`
          : 'What you may ask for'}
      </Sentence>
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-2">
        <div className={`grid grid-cols-[minmax(0,1fr)] gap-4 ${chosen ? 'max-lg:hidden' : ''}`}>
          <Section
            title="Rights"
            aside={
              <input
                type="search"
                value={q}
                onChange={(event) => setQ(event.target.value)}
                aria-label="Search what you may ask for"
                placeholder="Search"
                autoFocus
                className="h-8 w-52 rounded border border-edge bg-sheet px-2"
              />
            }
          >
            <Shown of="what you may ask for" query={eligible} lines={6}>
              {(reply) => <List {...{ reply, q, chosen, choose }} mine={mine.data ?? []} />}
            </Shown>
          </Section>
          <Offers q={q} me={me.data?.name} />
        </div>
        {chosen ? (
          <AskSheet
            key={chosen}
            right={chosen}
            last={last}
            mayBreakGlass={eligible.data?.eligible.find((one) => one.right === chosen)?.takes?.may_break_glass}
            onClose={() => choose(null)}
          />
        ) : (
          <div className="hidden rounded-md border border-dashed border-line p-6 text-ink-3 lg:block">
            Choose a right, and all it demands is said here before you ask.
          </div>
        )}
      </div>
    </>
  )
}
