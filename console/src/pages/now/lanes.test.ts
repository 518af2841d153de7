// @vitest-environment node
// Where bars go: a lane for each system or person, and nothing over anything else.

import { describe, expect, it } from 'vitest'
import { type Bar, gathered, labelRoom, place } from './lanes'

const BEGAN = Date.parse('2026-11-20T08:00:00Z')
const PIXEL = 60_000

function bar(n: number, target: string, who: string, from: number, minutes: number): Bar {
  const at = (minute: number) => new Date(BEGAN + minute * 60_000).toISOString()
  const one = {
    id: `E${1000 + n}`,
    who,
    role: 'crane-operator',
    target,
    scope: target,
    state: 'live',
    weight: 'critical',
  }
  return {
    ...one,
    from: at(from),
    to: at(from + minutes),
    overdue: false,
    for_me: false,
    mine: false,
    leftovers: 0,
  } as Bar
}

/** Many bars, spread without a pattern and the same each time. */
function many(count: number): Bar[] {
  let seed = 7
  const next = (below: number) => {
    seed = (seed * 1103515245 + 12345) % 2 ** 31
    return Math.floor(seed / 65536) % below
  }
  const one = (_: unknown, n: number) =>
    bar(n, `pier/mooring-${next(12)}`, `person-${next(9)}`, next(600), 1 + next(90))
  return Array.from({ length: count }, one)
}

describe('lanes', () => {
  it('are in the order of names as people read them, each with all of its bars', () => {
    const bars = many(200)
    for (const by of ['system', 'person'] as const) {
      const lanes = place(bars, by, PIXEL)
      const last = by === 'system' ? ['pier/mooring-9', 'pier/mooring-10', 'pier/mooring-11'] : ['person-7', 'person-8']
      expect(lanes.map((lane) => lane.name).slice(-last.length)).toEqual(last)
      expect(
        lanes
          .flatMap((lane) => lane.bars)
          .map((one) => one.bar.id)
          .sort(),
      ).toEqual(bars.map((one) => one.id).sort())
      const of = (one: Bar) => (by === 'system' ? one.target : one.who)
      for (const lane of lanes) expect(new Set(lane.bars.map((one) => of(one.bar)))).toEqual(new Set([lane.name]))
    }
  })

  it('keep bars and the labels beside them apart', () => {
    for (const lane of place(many(300), 'system', PIXEL)) {
      const ends = new Map<number, number>()
      for (const { bar, row } of lane.bars) {
        const [from, to] = [Date.parse(bar.from), Date.parse(bar.to)]
        expect(from).toBeGreaterThanOrEqual(ends.get(row) ?? 0)
        const room = labelRoom(bar, 'system') * PIXEL
        ends.set(row, to - from >= room ? to : to + room)
      }
      expect(lane.rows).toBe(ends.size)
    }
  })

  it('use a row again as soon as it is free', () => {
    const apart = [bar(1, 'pier', 'mara', 0, 300), bar(2, 'pier', 'oda', 300, 300), bar(3, 'pier', 'piet', 310, 300)]
    expect(place(apart, 'system', PIXEL).map((lane) => [lane.rows, lane.bars.map((one) => one.row)])).toEqual([
      [2, [0, 0, 1]],
    ])
  })

  it('without a system stand under a dash', () =>
    expect(place([bar(1, '', 'mara', 0, 9)], 'system', PIXEL)[0]?.name).toBe('—'))

  it('are gathered where all together are too many, and only the tall ones', () => {
    const tall = Array.from({ length: 20 }, (_, n) => bar(n, 'pier/tall', `person-${n}`, 0, 500))
    const low = Array.from({ length: 3 }, (_, n) => bar(100 + n, 'pier/low', `person-${n}`, 0, 500))
    expect([...gathered(place([...tall, ...low], 'system', PIXEL))]).toEqual(['pier/tall'])
    expect(gathered(place([...tall.slice(0, 6), ...low], 'system', PIXEL)).size).toBe(0)
  })
})
