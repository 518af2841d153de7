// Right by right: what converting would change, how it is used, and why it may not be safe.

import { TriangleAlert } from 'lucide-react'
import type { Api } from '../../api/call'
import { Right, Weight, Who } from '../../parts/told'
import { usedAndAdvised } from '../../words/use'
import { opened } from '../../words/sentence'

type Item = Api['PlanItemView']

interface Pilot {
  pilot: ReadonlySet<string>
  setPilot: (pilot: ReadonlySet<string>) => void
}

/** Whose right it is, which, and whether it goes first. */
function Heading({ standing, pilot, setPilot }: Pilot & { standing: Item['standing'] }) {
  const others = [...pilot].filter((id) => id !== standing.id)
  return (
    <span className="flex flex-wrap items-baseline gap-x-3">
      <span className="mono font-semibold">{standing.account}</span>
      {standing.who && <Who name={standing.who} />}
      <Right right={`${standing.role}@${standing.scope}`} />
      <Weight weight={standing.weight} />
      <label className="ml-auto inline-flex min-h-7 items-center gap-1.5">
        <input
          type="checkbox"
          className="size-[26px]"
          checked={pilot.has(standing.id)}
          aria-label={`${standing.id} goes first, in a pilot`}
          onChange={(event) => setPilot(new Set(event.target.checked ? [...others, standing.id] : others))}
        />
        <span className="label">Pilot</span>
      </label>
    </span>
  )
}

/** Each right that would be converted, with its cautions first. */
export function PlanItems({ items, pilot, setPilot }: Pilot & { items: Item[] }) {
  return (
    <ul className="grid max-h-[46vh] gap-3 overflow-auto" tabIndex={0} aria-label="What would change">
      {items.map((item) => (
        <li
          key={item.standing.id}
          className={`grid gap-1 border-l-4 pl-3 ${item.cautions.length > 0 ? 'border-warm' : 'border-line'}`}
        >
          <Heading standing={item.standing} pilot={pilot} setPilot={setPilot} />
          {item.cautions.map((caution) => (
            <span key={caution} className="flex items-start gap-1.5 text-warm">
              <TriangleAlert size={15} aria-hidden="true" className="mt-1 shrink-0" />
              <span>{opened(caution)}.</span>
            </span>
          ))}
          <span className="text-ink-2">{usedAndAdvised(item)}</span>
          <span>
            <span className="label">Taken away:</span> {item.taken_away.replaceAll('`', '')}
          </span>
          {item.also_lost.length > 0 && (
            <span className="text-warm">
              <span className="label">Lost with it:</span> {item.also_lost.join(', ')}
            </span>
          )}
          <span>
            <span className="label">Afterwards:</span> {item.may_ask}
          </span>
        </li>
      ))}
    </ul>
  )
}
