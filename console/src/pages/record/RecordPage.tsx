// The record: everything that happened, filtered; each entry with its proof, checked here in the browser.

import { Download } from 'lucide-react'
import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { type Api, get } from '../../api/call'
import { Button, Empty, Input, Instant, Section, Select, Sentence, Shown } from '../../parts/basics'
import { Said } from '../../parts/Said'
import { useData } from '../../parts/data'
import { useMe } from '../../parts/me'
import { useSteady } from '../../parts/steady'
import { count } from '../../words/time'
import { DaysChart } from './DaysChart'
import { EntryDetail } from './EntryDetail'
import { goesOn } from './proof'

type Entry = Api['LedgerEntry']

const KINDS: [string, string][] = [
  ['', 'everything'],
  ['asked', 'asks'],
  ['answered', 'answers'],
  ['verified', 'grants read back'],
  ['ended', 'ends'],
  ['refused', 'refused attempts'],
  ['signed-in', 'sign-ins'],
  ['sign-in-failed', 'failed sign-ins'],
  ['converted', 'conversions'],
  ['terms-set', 'terms set'],
  ['stopped', 'stops'],
  ['alarm-raised', 'alarms'],
  ['duty-given', 'duties given'],
  ['surveyed', 'surveys'],
]

function midnight(day: string, later: number): string | undefined {
  if (!day) return undefined
  const at = new Date(`${day}T00:00`)
  at.setDate(at.getDate() + later)
  return at.toISOString()
}

export default function RecordPage() {
  const [search, setSearch] = useSearchParams()
  const me = useMe()
  const [most, setMost] = useState(100)
  const chosen = search.get('entry')
  const filter = {
    kind: search.get('kind') || undefined,
    who: search.get('who') || undefined,
    elevation: search.get('elevation') || undefined,
    since: midnight(search.get('since') ?? '', 0),
    until: midnight(search.get('until') ?? '', 1),
  }
  const before = chosen ? Number(chosen) + 21 : undefined
  const filtered = Object.values(filter).some(Boolean)
  const query = { ...filter, most, before: chosen && !filtered ? before : undefined }
  const record = useData(
    ['record', JSON.stringify(query)],
    ['record', 'elevations', 'standing', 'people', 'estate', 'terms', 'alarms', 'stops'],
    () => get('/api/v1/ledger', { query: query }),
    { keep: true },
  )
  const set = (key: string, value: string) =>
    setSearch((old) => {
      old.delete('entry')
      if (value) old.set(key, value)
      else old.delete(key)
      return old
    })
  const csv = new URLSearchParams(Object.entries(filter).filter((one): one is [string, string] => !!one[1]))
  return (
    <>
      <Sentence
        aside={
          <span className="flex flex-wrap gap-2">
            <a
              href={`/api/v1/ledger/csv?${csv}`}
              download="tempestas-record.csv"
              className="inline-flex items-center gap-1.5 rounded border border-line bg-sheet px-3 py-1.5 font-medium hover:border-edge"
            >
              <Download size={15} aria-hidden="true" /> For a spreadsheet
            </a>
            {me.data?.sees_all && (
              <a
                href="/api/v1/ledger/export"
                download="tempestas-ledger.jsonl"
                className="inline-flex items-center gap-1.5 rounded border border-line bg-sheet px-3 py-1.5 font-medium hover:border-edge"
              >
                <Download size={15} aria-hidden="true" /> The whole, to be verified
              </a>
            )}
          </span>
        }
      >
        {record.data?.entries[0]
          ? `${count(record.data.entries[0].n + 1, 'entry', 'entries')}${filtered || chosen ? ' up to the newest shown' : ''}; nothing can be changed unseen.`
          : 'The record'}
      </Sentence>
      <Checkpoint />
      <DaysChart />
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-[minmax(0,1.25fr)_minmax(0,0.75fr)]">
        <Section title="Entries, newest first">
          <div className="grid gap-3 border-b border-line px-3.5 py-3 sm:grid-cols-3">
            <Select label="What" value={search.get('kind') ?? ''} onChange={(event) => set('kind', event.target.value)}>
              {KINDS.map(([value, says]) => (
                <option key={value} value={value}>
                  {says}
                </option>
              ))}
            </Select>
            <Input
              key={`who ${search.get('who')}`}
              label="Who"
              defaultValue={search.get('who') ?? ''}
              onBlur={(event) => set('who', event.target.value.trim())}
              onKeyDown={(event) => event.key === 'Enter' && set('who', event.currentTarget.value.trim())}
              placeholder="a name"
            />
            <Input
              key={`e ${search.get('elevation')}`}
              label="Elevation"
              defaultValue={search.get('elevation') ?? ''}
              onBlur={(event) => set('elevation', event.target.value.trim())}
              onKeyDown={(event) => event.key === 'Enter' && set('elevation', event.currentTarget.value.trim())}
              placeholder="E1042"
              className="mono"
            />
            <Input
              label="From"
              type="date"
              value={search.get('since') ?? ''}
              onChange={(event) => set('since', event.target.value)}
            />
            <Input
              label="Until"
              type="date"
              value={search.get('until') ?? ''}
              onChange={(event) => set('until', event.target.value)}
            />
          </div>
          <Shown of="the record" query={record} lines={10}>
            {(reply) => (
              <>
                <Entries
                  entries={reply.entries}
                  chosen={chosen}
                  choose={(n) => setSearch((old) => (old.set('entry', String(n)), old))}
                />
                {reply.before != null && most < 1000 && (
                  <div className="px-3.5 py-2">
                    <Button look="quiet" onClick={() => setMost(Math.min(most * 3, 1000))}>
                      Older ones
                    </Button>
                  </div>
                )}
              </>
            )}
          </Shown>
        </Section>
        {chosen ? (
          <EntryDetail n={chosen} entry={record.data?.entries.find((one) => String(one.n) === chosen)} />
        ) : (
          <div className="hidden rounded-md border border-dashed border-line p-6 text-ink-3 lg:block">
            Choose an entry to see all it says, and to check its proof here.
          </div>
        )}
      </div>
    </>
  )
}

function Entries({
  entries,
  chosen,
  choose,
}: {
  entries: Entry[]
  chosen: string | null
  choose: (n: number) => void
}) {
  const steady = useSteady(entries, (entry) => String(entry.n))
  if (entries.length === 0) return <Empty>No entry fits that you may see. Take a filter off, or widen the days.</Empty>
  return (
    <div {...steady.hold}>
      {steady.waiting > 0 && (
        <button
          type="button"
          onClick={steady.release}
          className="w-full bg-sea-soft py-1.5 text-center font-medium text-sea"
        >
          {count(steady.waiting, 'newer entry', 'newer entries')}: show
        </button>
      )}
      <ul className="max-h-[62vh] overflow-auto" tabIndex={0} aria-label="Entries">
        {steady.rows.map(({ row: entry }) => (
          <li key={entry.n} className="border-b border-line last:border-0">
            <button
              type="button"
              onClick={() => choose(entry.n)}
              aria-current={String(entry.n) === chosen || undefined}
              className={`grid w-full grid-cols-[4rem_7.2rem_minmax(0,1fr)] items-baseline gap-2 px-3.5 py-1.5 text-left hover:bg-sunk max-sm:grid-cols-[minmax(0,1fr)] ${String(entry.n) === chosen ? 'bg-sea-soft' : ''}`}
            >
              <span className="mono text-ink-3">{entry.n}</span>
              <span className="text-ink-3">
                <Instant at={entry.at} />
              </span>
              <span
                className={`break-words ${entry.what.kind === 'refused' || entry.what.kind === 'sign-in-failed' ? 'text-alarm' : ''}`}
              >
                <span className="font-medium">{entry.who}</span> <Said words={entry.words} plain />
              </span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  )
}

/** Whether the ledger goes on from what this browser saw of it last. */
function Checkpoint() {
  const outcome = useData(['checkpoint'], [], goesOn)
  if (!outcome.data) return null
  const { holds, says } = outcome.data
  return (
    <p
      role="status"
      className={`-mt-2 mb-4 ${holds ? 'text-ink-2' : 'rounded border border-alarm bg-alarm-soft px-3 py-2'}`}
    >
      <span className={holds ? 'text-sure' : 'text-alarm'}>{holds ? '✓' : '✗'}</span> {says}
    </p>
  )
}
