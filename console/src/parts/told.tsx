// What is told the same wherever it comes: moments, weights, states, rights, people, references.

import { Link } from 'react-router'
import type { Api } from '../api/call'
import { openStage } from '../words/asked'
import { clock, exact, list, relative } from '../words/time'
import { join } from './classes'
import { useNow } from './data'

/** An instant: spoken shortly, exact on hover and for screen readers. */
export function Instant({ at, how = 'clock' }: { at: string; how?: 'clock' | 'relative' }) {
  const now = useNow()
  const when = new Date(at)
  return (
    <time dateTime={at} title={exact(when)}>
      {how === 'clock' ? clock(when, now) : relative(when, now)}
    </time>
  )
}

const WEIGHT = {
  critical: 'text-alarm',
  privileged: 'text-warm',
  ordinary: 'text-ink-3',
}

/** How much harm a role can do: a word, with strokes that are told apart without colour. */
export function Weight({ weight }: { weight: Api['Weight'] }) {
  const strokes = { critical: 3, privileged: 2, ordinary: 1 }[weight]
  return (
    <span className={join('inline-flex items-center gap-1', WEIGHT[weight])}>
      <svg width="11" height="11" viewBox="0 0 11 11" aria-hidden="true">
        {[0, 1, 2].map((n) => (
          <rect
            key={n}
            x={n * 4}
            y={7 - n * 3.5}
            width="3"
            height={4 + n * 3.5}
            fill="currentColor"
            opacity={n < strokes ? 1 : 0.22}
          />
        ))}
      </svg>
      {weight}
    </span>
  )
}

const STATE: Record<string, string> = {
  live: 'bg-warm-soft text-warm',
  opening: 'bg-warm-soft text-warm',
  closing: 'bg-warm-soft text-warm',
  waiting: 'bg-sea-soft text-sea',
  scheduled: 'bg-sea-soft text-sea',
  ready: 'bg-sea-soft text-sea',
  refused: 'bg-sunk text-alarm',
  failed: 'bg-sunk text-alarm',
  revoked: 'bg-sunk text-alarm',
}

/** The state of an elevation, as a word. */
export function State({ state }: { state: string }) {
  return (
    <span
      className={join(
        'inline-block rounded px-1.5 text-[0.86rem] font-medium whitespace-nowrap',
        STATE[state] ?? 'bg-sunk text-ink-2',
      )}
    >
      {state.replace('-', ' ')}
    </span>
  )
}

/** A right, broken where it may be. */
export function Right({ right }: { right: string }) {
  const [role, path] = right.split('@')
  return (
    <span className="mono break-words">
      <span className="font-semibold">{role}</span>
      <span className="text-ink-3">@</span>
      {path?.split('/').map((part, n) => (
        // biome-ignore lint: the parts of a path have no other key
        <span key={`${n}-${part}`} className="text-ink-2">
          {n > 0 && <wbr />}
          {n > 0 ? `/${part}` : part}
        </span>
      ))}
    </span>
  )
}

/** Somebody, leading to their page. */
export function Who({ name, className }: { name: string; className?: string }) {
  return (
    <Link
      to={`/person/${encodeURIComponent(name)}`}
      className={join('underline decoration-line underline-offset-2 hover:decoration-current', className)}
    >
      {name}
    </Link>
  )
}

/** An elevation's reference, leading to it. */
export function Reference({ id }: { id: string }) {
  return (
    <Link to={`/elevation/${id}`} className="mono inline-block min-h-6 font-semibold text-sea hover:underline">
      {id}
    </Link>
  )
}

/** People by name, one after another. */
export function Names({ names }: { names: string[] }) {
  return names.map((name, n) => (
    <span key={name}>
      {n > 0 && ', '}
      <Who name={name} />
    </span>
  ))
}

/** That a wish to be made eligible was taken in, and whom it waits for. */
export function WaitsForYes({ wish: { id, stages } }: { wish: Pick<Api['AppointmentView'], 'id' | 'stages'> }) {
  return (
    <p className="rounded bg-sea-soft px-3 py-2">
      {id} waits for a yes from {list(openStage(stages)?.approvers ?? [], 'or')}.
    </p>
  )
}
