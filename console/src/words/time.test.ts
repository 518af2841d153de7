// @vitest-environment node
// Times and spans as they are said, by a reader's clock that is an hour or two ahead of the service's.

import { describe, expect, it } from 'vitest'
import {
  about,
  byName,
  clock,
  count,
  date,
  dayOf,
  exact,
  fromDay,
  list,
  local,
  readSpan,
  relative,
  span,
  throughDay,
} from './time'

const NOW = new Date('2026-11-20T12:00:00Z')
const after = (seconds: number) => new Date(NOW.getTime() + seconds * 1000)

describe('spans', () => {
  it.each([
    [0, '0 s'],
    [-5, '0 s'],
    [59.6, '1 min'],
    [90, '1 min 30 s'],
    [3600, '1 h'],
    [5400, '1 h 30 min'],
    [90061, '1 d 1 h'],
  ])('%d seconds are said in their two greatest units', (seconds, said) => expect(span(seconds)).toBe(said))

  it.each([
    [0.2, '1 s'],
    [99, '99 s'],
    [100, '2 min'],
    [7199, '120 min'],
    [7200, '2 h'],
    [172800, '2 d'],
  ])('%d seconds at a glance are one figure', (seconds, said) => expect(about(seconds)).toBe(said))

  it.each([
    ['45', 2700],
    ['90m', 5400],
    ['1h30m', 5400],
    [' 1 H 30 Min ', 5400],
    ['2d', 172800],
    ['30s', 30],
  ])('`%s` is read', (text, seconds) => expect(readSpan(text)).toBe(seconds))

  it.each(['', 'soon', '1.5h', '-5', '1h later', 'h'])('`%s` is no span', (text) =>
    expect(readSpan(text)).toBeUndefined(),
  )

  it('reads what it says', () => {
    for (const seconds of [30, 90, 3600, 5400, 86400, 93600]) expect(readSpan(span(seconds))).toBe(seconds)
  })
})

describe('moments', () => {
  it('are told by the clock alone on the same day of the reader', () => {
    expect(clock(after(3600), NOW)).toBe('14:00')
    // 23:30 UTC is tomorrow already here.
    expect(clock(new Date('2026-11-20T23:30:00Z'), NOW)).toBe('Saturday 00:30')
  })

  it('are told by weekday within six days, and by date beyond', () => {
    expect(clock(after(3 * 86400), NOW)).toBe('Monday 13:00')
    expect(clock(after(-7 * 86400), NOW)).toBe('13 Nov 13:00')
    expect(clock(new Date('2024-10-03T07:12:00Z'), NOW)).toBe('3 Oct 2024 09:12')
  })

  it('say the year only where it is another', () => {
    expect(date(new Date('2026-01-02T12:00:00Z'), NOW)).toBe('2 Jan')
    expect(date(new Date('2025-01-02T12:00:00Z'), NOW)).toBe('2 Jan 2025')
    expect(dayOf('2026-10-03')).toBe('3 Oct')
  })

  it('are exact with their zone', () => expect(exact(NOW)).toBe('20 Nov 2026, 13:00:00 Europe/Oslo'))

  it.each([
    [3, 'just now'],
    [-120, '2 min ago'],
    [10800, 'in 3 h'],
  ])('%d seconds away are said from now', (seconds, said) => expect(relative(after(seconds), NOW)).toBe(said))

  it('are typed by the reader’s clock, in summer and in winter', () => {
    expect(local(new Date('2026-01-15T23:30:00Z'))).toBe('2026-01-16T00:30')
    expect(local(new Date('2026-07-15T22:30:00Z'))).toBe('2026-07-16T00:30')
  })

  it('make a picked day last from its first second to its last', () => {
    expect(fromDay('2026-07-16')).toBe('2026-07-15T22:00:00.000Z')
    expect(throughDay('2026-07-16')).toBe('2026-07-16T21:59:59.000Z')
    // The day on which the clocks go back has 25 hours.
    const hours = (new Date(throughDay('2026-10-25')).getTime() - new Date(fromDay('2026-10-25')).getTime()) / 3600_000
    expect(Math.round(hours)).toBe(25)
  })
})

describe('figures and lists', () => {
  it('are spoken as people do', () => {
    expect(count(1, 'right')).toBe('1 right')
    expect(count(5000, 'right')).toBe('5,000 rights')
    expect(count(2, 'yes', 'yes')).toBe('2 yes')
    expect(list([])).toBe('')
    expect(list(['a'])).toBe('a')
    expect(list(['a', 'b', 'c'])).toBe('a, b and c')
    expect(list(['a', 'b'], 'or')).toBe('a or b')
    expect(['host-10', 'host-9', 'Anna'].sort(byName)).toEqual(['Anna', 'host-9', 'host-10'])
  })
})
