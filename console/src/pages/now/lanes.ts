// Which bar goes where: lanes by system or person, and rows within a lane so that bars don't overlap.

import type { Api } from '../../api/call'

export type Bar = Api['Bar']

export interface Placed {
  bar: Bar
  row: number
}

export interface Lane {
  name: string
  bars: Placed[]
  rows: number
}

/** A lane with more rows than this is gathered until somebody opens it. */
export const GATHERED = 5
/** Bars at least this long in the chart's time, so that labels have room. */
const LEAST_SHARE = 0.09

export function place(bars: Bar[], by: 'system' | 'person', span: number): Lane[] {
  const lanes = new Map<string, Bar[]>()
  for (const bar of bars) {
    const name = by === 'system' ? bar.target || '—' : bar.who
    lanes.set(name, [...(lanes.get(name) ?? []), bar])
  }
  return [...lanes.entries()]
    .sort(([a], [b]) => a.localeCompare(b))
    .map(([name, all]) => {
      const ends: number[] = []
      const placed = all
        .sort((a, b) => a.from.localeCompare(b.from))
        .map((bar) => {
          const from = new Date(bar.from).getTime()
          const to = Math.max(new Date(bar.to).getTime(), from + span * LEAST_SHARE)
          let row = ends.findIndex((end) => end <= from)
          if (row < 0) row = ends.length
          ends[row] = to
          return { bar, row }
        })
      return { name, bars: placed, rows: ends.length }
    })
}
