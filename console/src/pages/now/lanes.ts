// Which bar goes where: lanes by system or person, and rows within a lane so that bars don't overlap.

import type { Api } from '../../api/call'
import { byName } from '../../words/time'

/** An elevation, as it is drawn in time. */
export type Bar = Api['Bar']

/** A bar in its row within a lane. */
export interface Placed {
  bar: Bar
  row: number
}

/** What belongs together, in as many rows as overlap. */
export interface Lane {
  name: string
  bars: Placed[]
  rows: number
}

/** A lane with more rows than this is gathered until somebody opens it, where all lanes together have too many. */
const GATHERED = 5
const ROWS_MOST = 22
/** Width of a letter of the labels, in pixels. */
const LETTER = 6.4

/** What makes a lane: a system or a person. */
export type By = 'system' | 'person'

/** What a bar says that its lane doesn't. */
export const labelOf = (bar: Bar, by: By) =>
  `${bar.role} · ${by === 'system' ? bar.who : bar.target.split('/').at(-1) || bar.target}`
/** Room that a bar's label takes, in pixels. */
export const labelRoom = (bar: Bar, by: By) => labelOf(bar, by).length * LETTER + (bar.state === 'waiting' ? 26 : 14)

/** Lanes that are drawn as one dense band. */
export function gathered(lanes: Lane[]): ReadonlySet<string> {
  const rows = lanes.reduce((sum, lane) => sum + lane.rows, 0)
  return new Set(rows > ROWS_MOST ? lanes.filter((lane) => lane.rows > GATHERED).map((lane) => lane.name) : [])
}

/** `pixel` is how much time one pixel is, in milliseconds. */
export function place(bars: Bar[], by: By, pixel: number): Lane[] {
  const lanes = new Map<string, Bar[]>()
  for (const bar of bars) {
    const name = by === 'system' ? bar.target || '—' : bar.who
    const lane = lanes.get(name)
    if (lane) lane.push(bar)
    else lanes.set(name, [bar])
  }
  return [...lanes.entries()]
    .sort(([a], [b]) => byName(a, b))
    .map(([name, all]) => {
      const ends: number[] = []
      const placed = all
        .sort((a, b) => a.from.localeCompare(b.from))
        .map((bar) => {
          const from = new Date(bar.from).getTime()
          // A label that doesn't fit into its bar stands beside it, and nothing else does.
          const end = new Date(bar.to).getTime()
          const room = labelRoom(bar, by) * pixel
          const to = end - from >= room ? end : end + room
          let row = ends.findIndex((end) => end <= from)
          if (row < 0) row = ends.length
          ends[row] = to
          return { bar, row }
        })
      return { name, bars: placed, rows: ends.length }
    })
}
