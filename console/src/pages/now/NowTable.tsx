// The same as the chart, to be read and sorted.

import { useState } from 'react'
import type { Api } from '../../api/call'
import { Empty } from '../../parts/shown'
import { Instant, Reference, State, Weight, Who } from '../../parts/told'
import { byName } from '../../words/time'

type Bar = Api['Bar']

const COLUMNS: { key: string; title: string; by: (bar: Bar) => string }[] = [
  { key: 'id', title: 'Reference', by: (bar) => bar.id },
  { key: 'who', title: 'Who', by: (bar) => bar.who },
  { key: 'role', title: 'Role', by: (bar) => bar.role },
  { key: 'scope', title: 'Where', by: (bar) => bar.scope },
  { key: 'state', title: 'State', by: (bar) => (bar.overdue ? '!' : bar.state) },
  { key: 'from', title: 'From', by: (bar) => bar.from },
  { key: 'to', title: 'Until', by: (bar) => bar.to },
]

/** What is in force, as a table. */
export function NowTable({ bars }: { bars: Bar[] }) {
  const [sort, setSort] = useState({ key: 'from', down: true })
  const column = COLUMNS.find((one) => one.key === sort.key) ?? COLUMNS[5]
  const sorted = [...bars].sort((a, b) => byName(column?.by(a) ?? '', column?.by(b) ?? '') * (sort.down ? -1 : 1))
  if (bars.length === 0) return <Empty>Nothing was, is or will be in force in this span.</Empty>
  return (
    <div className="max-h-[70vh] overflow-auto" tabIndex={0} role="region" aria-label="Elevations in this span">
      <table className="w-full text-left">
        <thead className="sticky top-0 bg-sheet">
          <tr>
            {COLUMNS.map((one) => (
              <th
                key={one.key}
                aria-sort={sort.key === one.key ? (sort.down ? 'descending' : 'ascending') : undefined}
                className="border-b border-line px-3 py-1.5"
              >
                <button
                  type="button"
                  className="label hover:text-ink"
                  onClick={() => setSort({ key: one.key, down: sort.key === one.key && !sort.down })}
                >
                  {one.title}
                  {sort.key === one.key ? (sort.down ? ' ↓' : ' ↑') : ''}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {sorted.map((bar) => (
            <tr key={bar.id} className="border-b border-line align-top last:border-0">
              <td className="px-3 py-1.5">
                <Reference id={bar.id} />
              </td>
              <td className="px-3 py-1.5">
                <Who name={bar.who} />
              </td>
              <td className="px-3 py-1.5">
                <span className="mono">{bar.role}</span> <Weight weight={bar.weight} />
              </td>
              <td className="mono px-3 py-1.5 break-words">{bar.scope}</td>
              <td className="px-3 py-1.5">
                <State state={bar.overdue ? 'overdue' : bar.state} />
              </td>
              <td className="px-3 py-1.5 whitespace-nowrap">
                <Instant at={bar.from} />
              </td>
              <td className="px-3 py-1.5 whitespace-nowrap">
                <Instant at={bar.to} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}
