// The live line: fetches anew what changed, and says when the line is lost.

import { useEffect, useRef, useState } from 'react'
import { listen, type Line as LineState, type Topic } from '../api/live'
import { invalidate, useNow } from '../parts/data'
import { clock, relative } from '../words/time'

/** Changes that come together are fetched together. */
const GATHER = 120

/** Listens to what changes, and says how the line stands. */
export function useLive(): LineState {
  const [line, setLine] = useState<LineState>({ state: 'open' })
  const gathered = useRef<Set<Topic> | 'all'>(new Set())
  useEffect(() => {
    let timer: number | undefined
    const changed = (topics: Topic[] | 'all') => {
      if (topics === 'all') gathered.current = 'all'
      else if (gathered.current !== 'all') for (const one of topics) gathered.current.add(one)
      timer ??= window.setTimeout(() => {
        timer = undefined
        const all = gathered.current
        gathered.current = new Set()
        invalidate(all === 'all' ? 'all' : [...all])
      }, GATHER)
    }
    const stop = listen(changed, (next) => {
      setLine(next)
      if (next.state === 'open') changed('all')
    })
    return () => {
      window.clearTimeout(timer)
      stop()
    }
  }, [])
  return line
}

/** Says so where nothing is heard of what changes. */
export function Line({ line }: { line: LineState }) {
  const now = useNow()
  if (line.state === 'open') return null
  // A second's break mends itself unseen.
  if (now.getTime() - line.since.getTime() < 1500) return null
  return (
    <section aria-label="Connection" className="border-b border-warm-fill bg-warm-soft px-4 py-1.5 text-center">
      <p role="status">
        The connection is lost since {relative(line.since, now)}. What you see is as of {clock(line.since, now)}; it is
        tried again every two seconds.
      </p>
    </section>
  )
}
