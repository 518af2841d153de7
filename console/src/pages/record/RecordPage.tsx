// The record: everything that happened, filtered; each entry with its proof, checked here in the browser.

import { useState } from 'react'
import { useSearchParams } from 'react-router'
import { type Api, get } from '../../api/call'
import { Button, TakeAway } from '../../parts/buttons'
import { Input, Select } from '../../parts/fields'
import { Section, Sentence } from '../../parts/sections'
import { Empty, Shown } from '../../parts/shown'
import { Instant } from '../../parts/told'
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

const TOPICS = ['record', 'elevations', 'standing', 'people', 'estate', 'terms', 'alarms', 'stops'] as const

/** What is looked for, as the address of the page has it. */
function useFilter() {
  const [search, setSearch] = useSearchParams()
  const wanted = {
    kind: search.get('kind') || undefined,
    who: search.get('who') || undefined,
    elevation: search.get('elevation') || undefined,
    since: midnight(search.get('since') ?? '', 0),
    until: midnight(search.get('until') ?? '', 1),
  }
  const set = (key: string, value: string) =>
    setSearch((old) => {
      old.delete('entry')
      if (value) old.set(key, value)
      else old.delete(key)
      return old
    })
  const choose = (n: number) => setSearch((old) => (old.set('entry', String(n)), old))
  return { wanted, typed: (key: string) => search.get(key) ?? '', chosen: search.get('entry'), set, choose }
}

type Filter = ReturnType<typeof useFilter>

/** What may be taken away as a file. */
function Files({ filter }: { filter: Filter }) {
  const me = useMe()
  const csv = new URLSearchParams(Object.entries(filter.wanted).filter((one): one is [string, string] => !!one[1]))
  return (
    <span className="flex flex-wrap gap-2">
      <TakeAway href={`/api/v1/ledger/csv?${csv}`} as="tempestas-record.csv">
        For a spreadsheet
      </TakeAway>
      {me.data?.sees_all && (
        <TakeAway href="/api/v1/ledger/export" as="tempestas-ledger.jsonl">
          The whole, to be verified
        </TakeAway>
      )}
    </span>
  )
}

/** A filter that is typed, and holds once it is left or confirmed. */
function Typed({
  filter,
  of,
  ...field
}: {
  filter: Filter
  of: string
  label: string
  placeholder: string
  className?: string
}) {
  return (
    <Input
      key={`${of} ${filter.typed(of)}`}
      defaultValue={filter.typed(of)}
      onBlur={(event) => filter.set(of, event.target.value.trim())}
      onKeyDown={(event) => event.key === 'Enter' && filter.set(of, event.currentTarget.value.trim())}
      {...field}
    />
  )
}

function Filters({ filter }: { filter: Filter }) {
  const day = (of: string, label: string) => (
    <Input
      label={label}
      type="date"
      value={filter.typed(of)}
      onChange={(event) => filter.set(of, event.target.value)}
    />
  )
  return (
    <div className="grid gap-3 border-b border-line px-3.5 py-3 sm:grid-cols-3">
      <Select label="What" value={filter.typed('kind')} onChange={(event) => filter.set('kind', event.target.value)}>
        {KINDS.map(([value, says]) => (
          <option key={value} value={value}>
            {says}
          </option>
        ))}
      </Select>
      <Typed filter={filter} of="who" label="Who" placeholder="a name" />
      <Typed filter={filter} of="elevation" label="Elevation" placeholder="E1042" className="mono" />
      {day('since', 'From')}
      {day('until', 'Until')}
    </div>
  )
}

/** Most entries that are shown at once. */
const MOST = 1000

/** The record: searched, narrowed, and each entry with its proof. */
export default function RecordPage() {
  const filter = useFilter()
  const [most, setMost] = useState(100)
  const { chosen, wanted } = filter
  const filtered = Object.values(wanted).some(Boolean)
  // Around the chosen one, unless something else is looked for.
  const query = { ...wanted, most, before: chosen && !filtered ? Number(chosen) + 21 : undefined }
  const record = useData(['record', JSON.stringify(query)], [...TOPICS], () => get('/api/v1/ledger', { query }), {
    keep: true,
  })
  const newest = record.data?.entries[0]
  const upTo = filtered || chosen ? ' up to the newest shown' : ''
  return (
    <>
      <Sentence aside={<Files filter={filter} />}>
        {newest ? `${count(newest.n + 1, 'entry', 'entries')}${upTo}; nothing can be changed unseen.` : 'The record'}
      </Sentence>
      <Checkpoint />
      <DaysChart />
      <div className="mt-4 grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-[minmax(0,1.25fr)_minmax(0,0.75fr)]">
        <Section title="Entries, newest first">
          <Filters filter={filter} />
          <Shown of="the record" query={record} lines={10}>
            {(reply) => (
              <>
                <Entries entries={reply.entries} chosen={chosen} choose={filter.choose} />
                {reply.before != null && most < MOST && (
                  <div className="px-3.5 py-2">
                    <Button look="quiet" onClick={() => setMost(Math.min(most * 3, MOST))}>
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
