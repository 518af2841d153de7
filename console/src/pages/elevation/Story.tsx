// Each step with who and when and its ledger entry, newest at the end, as it comes.

import { Link } from 'react-router'
import type { Api } from '../../api/call'
import { Section } from '../../parts/sections'
import { Instant } from '../../parts/told'
import { Said } from '../../parts/Said'

const MARK: Record<string, string> = {
  opening: 'border-warm bg-warm-soft',
  verified: 'border-warm bg-warm-fill',
  'login-shown': 'border-warm bg-warm-soft',
  ended: 'border-edge bg-edge',
  delayed: 'border-alarm bg-alarm-soft',
  refused: 'border-alarm bg-alarm-soft',
}

/** What happened, entry by entry. */
export function Story({ of, entries }: { of: string; entries: Api['LedgerEntry'][] }) {
  return (
    <Section title="Its story">
      <ol className="px-3.5 py-2" aria-live="polite">
        {entries.map((entry, n) => (
          <li key={entry.n} className="rise relative grid grid-cols-[1.1rem_minmax(0,1fr)] gap-2">
            <span className="relative grid justify-items-center" aria-hidden="true">
              {n < entries.length - 1 && <span className="absolute top-4 bottom-[-0.6rem] w-0.5 bg-line" />}
              <span
                className={`mt-[0.45rem] h-2.5 w-2.5 rounded-full border-2 ${MARK[entry.what.kind] ?? 'border-sea bg-sheet'}`}
              />
            </span>
            <span className="pb-2.5">
              <span>
                <span className="font-medium">{entry.who}</span> <Said words={entry.words} about={of} />
              </span>
              <span className="block text-[0.86rem] text-ink-3">
                <Instant at={entry.at} /> ·{' '}
                <Link to={`/record?entry=${entry.n}`} className="underline">
                  entry {entry.n}
                </Link>
                {entry.from && ` · from ${entry.from}`}
              </span>
            </span>
          </li>
        ))}
      </ol>
    </Section>
  )
}
