// What the reader asked for, the newest first: why, what was answered, and what came of it; on screen, on paper, as a file.

import { Printer } from 'lucide-react'
import { useState } from 'react'
import { type Api, get } from '../../api/call'
import { Button, TakeAway } from '../../parts/buttons'
import { useData } from '../../parts/data'
import { Section, Sentence } from '../../parts/sections'
import { Empty, Plain, Shown } from '../../parts/shown'
import { Instant, Reference, State } from '../../parts/told'
import { referencesOf } from '../../words/asked'
import { count, span } from '../../words/time'

type Past = Api['ElevationView']

/** So many at first, and more of them with each step. */
const STEP = 100

/** Everything that was said of one, in which somebody looks for a word. */
function words(one: Past): string {
  const { purpose, reason } = one.brought
  const answers = one.rounds.flatMap((round) => round.stages).flatMap((stage) => stage.answers)
  const said = answers.flatMap((answer) => [answer.who, answer.reason])
  return [one.id, one.right, purpose, reason, ...referencesOf(one.brought).flat(), one.sentence, ...said]
    .join('\n')
    .toLowerCase()
}

function Why({ one }: { one: Past }) {
  const { purpose, reason } = one.brought
  return (
    <>
      {purpose && <p className="font-medium">{purpose}</p>}
      {reason && <p className="break-words">{reason}</p>}
      {referencesOf(one.brought).map(([name, text]) => (
        <p key={name} className="break-words text-ink-2">
          {name} <span className="mono">{text}</span>
        </p>
      ))}
    </>
  )
}

/** Who said what of it. */
function Said({ one }: { one: Past }) {
  const stages = one.rounds.flatMap((round) => round.stages)
  const answers = stages.flatMap((stage) => stage.answers)
  if (answers.length === 0)
    return <span className="text-ink-2">{stages.length > 0 ? 'nobody yet' : 'nobody asked'}</span>
  return (
    <>
      {answers.map((answer) => (
        <p key={`${answer.who} ${answer.at}`} className="break-words">
          {answer.who} <strong>{answer.verdict}</strong>
          {answer.less && ` (${answer.less})`}
          {answer.reason && `: “${answer.reason}”`}
        </p>
      ))}
    </>
  )
}

function Row({ one }: { one: Past }) {
  const [role, place] = one.right.split(/@(.*)/)
  return (
    <tr className="break-inside-avoid border-b border-line align-top last:border-0">
      <td className="py-2 pr-3 pl-3.5 whitespace-nowrap">
        <Reference id={one.id} />
        <p className="text-ink-2">
          <Instant at={one.asked_at} />
        </p>
      </td>
      <td className="py-2 pr-3">
        <span className="mono">{role}</span>
        <p className="mono break-all text-ink-2">{place}</p>
        <p className="text-ink-2">for {span(one.duration)}</p>
      </td>
      <td className="py-2 pr-3">
        <Why one={one} />
      </td>
      <td className="py-2 pr-3">
        <Said one={one} />
      </td>
      <td className="py-2 pr-3.5">
        <State state={one.state} />
        <p className="break-words text-ink-2">
          <Plain text={one.sentence} />
        </p>
      </td>
    </tr>
  )
}

function Table({ rows }: { rows: Past[] }) {
  return (
    <div className="overflow-x-auto">
      <table className="w-full min-w-[56rem] table-fixed print:min-w-0 text-left">
        <thead>
          <tr className="label border-b border-line">
            {['Asked', 'Right', 'Why', 'Answers', 'What came of it'].map((name) => (
              <th key={name} scope="col" className="px-3.5 py-1.5 pl-0 font-[550] first:w-36 first:pl-3.5">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((one) => (
            <Row key={one.id} one={one} />
          ))}
        </tbody>
      </table>
    </div>
  )
}

function Files() {
  return (
    <span className="flex flex-wrap gap-2 print:hidden">
      <TakeAway href="/api/v1/elevations/csv?ended=true" as="tempestas-asks.csv">
        For a spreadsheet
      </TakeAway>
      <Button onClick={() => window.print()}>
        <Printer size={15} aria-hidden="true" /> Print
      </Button>
    </span>
  )
}

/** All that the reader asked for. */
export default function PastPage() {
  const [q, setQ] = useState('')
  const [most, setMost] = useState(STEP)
  const mine = useData(['elevations', 'mine', 'ended'], ['elevations'], () =>
    get('/api/v1/elevations', { query: { ended: true } }),
  )
  const fitting = (mine.data ?? []).filter((one) => words(one).includes(q.trim().toLowerCase()))
  return (
    <>
      <Sentence aside={<Files />}>
        {mine.data
          ? `You asked ${mine.data.length ? count(mine.data.length, 'time') : 'for nothing yet'}.`
          : 'Your asks'}
      </Sentence>
      <Section
        title={q ? `${count(fitting.length, 'ask')} with these words` : 'Your asks'}
        aside={
          <input
            type="search"
            value={q}
            onChange={(event) => setQ(event.target.value)}
            aria-label="Search your asks"
            placeholder="Right, reason, ticket, name"
            className="h-8 w-64 rounded border border-edge bg-sheet px-2 print:hidden"
          />
        }
      >
        <Shown of="your asks" query={mine} lines={6}>
          {() =>
            fitting.length === 0 ? (
              <Empty>Nothing that you asked for is here.</Empty>
            ) : (
              <Table rows={fitting.slice(0, most)} />
            )
          }
        </Shown>
        {fitting.length > most && (
          <Button look="quiet" className="m-2 print:hidden" onClick={() => setMost(most + STEP)}>
            Show more of {count(fitting.length, 'ask')}
          </Button>
        )}
      </Section>
    </>
  )
}
