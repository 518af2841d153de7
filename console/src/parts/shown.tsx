// What was asked for, or why it isn’t there: yet, at all, or any more.

import type { ReactNode } from 'react'
import { Link } from 'react-router'
import { placeOf } from '../words/commands'
import { opened } from '../words/sentence'
import { Sentence } from './sections'

/** Why a list is empty, and the way on. */
export function Empty({ children }: { children: ReactNode }) {
  return <p className="max-w-[60ch] px-3.5 py-4 text-ink-2">{children}</p>
}

/** Words of the service: what stands between backticks is a value, or a command with a place here. */
export function Plain({ text }: { text: string }) {
  return text.split('`').map((part, n) => {
    if (n % 2 === 0) return part
    const place = placeOf(part)
    // biome-ignore lint: the parts of a sentence have no other key
    const key = `${n}-${part}`
    if (place?.to) {
      return (
        <Link key={key} to={place.to} className="underline">
          {place.label}
        </Link>
      )
    }
    return place ? <strong key={key}>{place.label}</strong> : <code key={key}>{part}</code>
  })
}

/** A refusal, in place. */
export function Wrong({ error }: { error: Error | null | undefined }) {
  if (!error) return null
  return (
    <p role="alert" className="rise rounded border border-alarm bg-alarm-soft px-3 py-2 text-ink">
      <Plain text={opened(error.message)} />
      {/[.!?]$/.test(error.message) ? '' : '.'}
    </p>
  )
}

/** Something of the final shape, while what belongs there is fetched. */
export function Skeleton({ lines = 4, of }: { lines?: number; of: string }) {
  return (
    <div role="status" aria-label={`Fetching ${of}`} className="grid gap-2 px-3.5 py-3">
      {Array.from({ length: lines }, (_, n) => (
        // biome-ignore lint: lines of a skeleton have no other key
        <div key={n} className="breathing h-4 rounded bg-sunk" style={{ width: `${88 - ((n * 17) % 40)}%` }} />
      ))}
    </div>
  )
}

/** What was asked for, or its skeleton, or why it isn't there. A `page` brings its own first sentence otherwise. */
export function Shown<T>({
  of,
  query,
  lines,
  page,
  children,
}: {
  of: string
  query: { data: T | undefined; error: Error | null }
  lines?: number
  page?: boolean
  children: (data: T) => ReactNode
}) {
  if (query.data !== undefined) return <>{children(query.data)}</>
  if (query.error) {
    return (
      <>
        {page && <Sentence>{of} can’t be shown.</Sentence>}
        <div className={page ? '' : 'p-3.5'}>
          <Wrong error={query.error} />
        </div>
      </>
    )
  }
  return <Skeleton of={of} lines={lines} />
}
