// A small line of what will happen when.

import type { Api } from '../../api/call'
import { clock, span } from '../../words/time'

/** Who answers in one stage, in a few words. */
function answers({ approvers, yes }: Api['StageAskedView']): string {
  const more = approvers.length - 2
  const who = `${approvers.slice(0, 2).join(' or ')}${more > 0 ? ` or ${more} more` : ''}`
  return yes > 1 ? `${yes} of ${who} answer` : `${who} answers`
}

/** What happens one after another once it is asked for. */
export function Course({
  demand,
  start,
  from,
  now,
}: {
  demand: Api['DemandView']
  start: string
  from: Date
  now: Date
}) {
  const begins =
    start === 'on-begin'
      ? 'when you begin'
      : start === 'at'
        ? clock(from, now)
        : demand.stages.length > 0
          ? 'at the last yes'
          : 'at once'
  const points = [
    ['now', 'you ask'],
    ...demand.stages.map((stage) => ['then', answers(stage)]),
    [begins, 'given, and read back on the system'],
    [
      `${span(demand.duration)} later`,
      demand.ends.by_itself ? 'the system itself ends it' : 'the service takes it away',
    ],
  ]
  return (
    <ol className="grid gap-0 border-l-2 border-line pl-4" aria-label="What will happen when">
      {points.map(([when, what], n) => (
        <li key={n} className="relative py-1">
          <span
            className={`absolute top-[0.8rem] -left-[1.33rem] h-2.5 w-2.5 rounded-full border-2 ${n >= points.length - 2 ? 'border-warm bg-warm-fill' : 'border-sea bg-sheet'}`}
            aria-hidden="true"
          />
          <span className="figures font-medium">{when}</span> <span className="text-ink-2">{what}</span>
        </li>
      ))}
    </ol>
  )
}
