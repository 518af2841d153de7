// Lists that don't move under the reader: while somebody points at one or is within it by keyboard, rows change in
// place, those that are gone stay as they were, and new ones wait at the end of a count.

import { useState } from 'react'

/** A list that holds still while it is looked at. */
export interface Steady<T> {
  rows: { row: T; gone: boolean }[]
  /** How many new ones wait until the reader looks away. */
  waiting: number
  /** To spread over the element that holds the list. */
  hold: {
    onPointerEnter: () => void
    onPointerLeave: () => void
    onFocus: () => void
    onBlur: (event: React.FocusEvent) => void
  }
  /** Takes the new ones in now. */
  release: () => void
}

/** Holds a list still while it is pointed at or within the keyboard’s focus. */
export function useSteady<T>(fresh: T[], key: (row: T) => string): Steady<T> {
  const [held, setHeld] = useState<T[]>()
  const byKey = new Map(fresh.map((row) => [key(row), row]))
  const kept = held ?? fresh
  const known = new Set(kept.map(key))
  const rows = kept.map((row) => ({ row: byKey.get(key(row)) ?? row, gone: !byKey.has(key(row)) }))
  const waiting = fresh.filter((row) => !known.has(key(row))).length
  return {
    rows,
    waiting,
    hold: {
      onPointerEnter: () => setHeld(kept),
      onPointerLeave: () => setHeld(undefined),
      onFocus: () => setHeld(kept),
      onBlur: (event) => {
        if (!event.currentTarget.contains(event.relatedTarget)) setHeld(undefined)
      },
    },
    release: () => setHeld(undefined),
  }
}
