// Facets: each value with how many would be left if it were picked too.

import { figure } from '../../words/time'
import type { Row } from './StandingPage'

const QUARTER = 90 * 86400_000

interface Facet {
  key: string
  title: string
  of: (one: Row) => string[]
}

function used(one: Row): string {
  if (!one.last_used) return one.use_is_told ? 'never seen used' : 'use not known'
  const age = Date.now() - new Date(one.last_used).getTime()
  return age > QUARTER ? 'not for 90 days' : 'within 90 days'
}

/** What standing rights are narrowed by. */
export const FACETS: Facet[] = [
  { key: 'weight', title: 'Harm', of: (one) => [one.weight] },
  { key: 'used', title: 'Last used', of: (one) => [used(one)] },
  { key: 'terms', title: 'By the terms', of: (one) => [one.against ? 'never held all the time' : 'may be held'] },
  { key: 'way', title: 'Comes by', of: (one) => [one.direct ? 'directly' : 'a group or other role'] },
  { key: 'holder', title: 'Holder', of: (one) => [one.who ? 'known' : 'nobody named yet'] },
  { key: 'top', title: 'System', of: (one) => [one.target] },
  { key: 'label', title: 'Labelled', of: (one) => one.labels },
  { key: 'says', title: 'Says of itself', of: (one) => one.says },
  { key: 'role', title: 'Role', of: (one) => [one.role] },
]

/** What is picked of each facet. */
export type Picked = Record<string, string[]>

/** Whether a right is among what is picked and searched for. */
export function fits(one: Row, picked: Picked, q: string, except?: string): boolean {
  const words = q.toLowerCase().split(/\s+/).filter(Boolean)
  const text = words.length ? `${one.account} ${one.who ?? ''} ${one.role} ${one.scope} ${one.id}`.toLowerCase() : ''
  return (
    words.every((word) => text.includes(word)) &&
    FACETS.every((facet) => {
      const values = picked[facet.key] ?? []
      return facet.key === except || values.length === 0 || facet.of(one).some((value) => values.includes(value))
    })
  )
}

/** Each facet with its values and how many there are of each. */
export function Facets({
  all,
  picked,
  q,
  onPick,
}: {
  all: Row[]
  picked: Picked
  q: string
  onPick: (key: string, value: string, on: boolean) => void
}) {
  return (
    <div className="grid gap-3 max-lg:grid-cols-2 max-sm:grid-cols-1" role="group" aria-label="Narrow by">
      {FACETS.map((facet) => {
        // What was picked stays, even where nothing fits it any more.
        const counts = new Map((picked[facet.key] ?? []).map((value) => [value, 0]))
        for (const one of all)
          if (fits(one, picked, q, facet.key))
            for (const value of facet.of(one)) counts.set(value, (counts.get(value) ?? 0) + 1)
        const values = [...counts.entries()].sort((a, b) => b[1] - a[1])
        if (values.length === 0) return null
        return (
          <fieldset key={facet.key} className="min-w-0">
            <legend className="label mb-1">{facet.title}</legend>
            {values.slice(0, 8).map(([value, number]) => (
              <label key={value} className="flex min-h-7 items-center gap-2 rounded px-1 hover:bg-sunk">
                <input
                  type="checkbox"
                  checked={picked[facet.key]?.includes(value) ?? false}
                  onChange={(event) => onPick(facet.key, value, event.target.checked)}
                />
                <span className="min-w-0 flex-1 truncate" title={value}>
                  {value}
                </span>
                <span className="figures text-ink-3">{figure(number)}</span>
              </label>
            ))}
            {values.length > 8 && (
              <p className="px-1 text-[0.82rem] text-ink-3">and {values.length - 8} more: search</p>
            )}
          </fieldset>
        )
      })}
    </div>
  )
}
