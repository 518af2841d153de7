// Weeks of hours, from text and as text.

import { describe, expect, it } from 'vitest'
import { readHours, writeHours } from './hours'

const OSLO = { zone: 'Europe/Oslo', open: ['mon-fri 07:00-17:00', 'sat 08:00-12:00'] }
const SINGAPORE = { zone: 'Asia/Singapore', open: ['mon,wed 22:00-06:00'] }

describe('hours', () => {
  it('are read as they are written', () => {
    const text = 'Europe/Oslo mon-fri 07:00-17:00\nEurope/Oslo sat 08:00-12:00\nAsia/Singapore mon,wed 22:00-06:00'
    expect(writeHours([OSLO, SINGAPORE])).toBe(text)
    expect(readHours(text)).toEqual([OSLO, SINGAPORE])
    expect(readHours(`\n  ${text}  \n\n`)).toEqual([OSLO, SINGAPORE])
  })

  it('are none where nothing is written', () => {
    expect([writeHours(undefined), writeHours(null), writeHours([])]).toEqual(['', '', ''])
    expect(readHours(' \n')).toEqual([])
  })

  it('that can’t be read are none, and no line of them is dropped', () => {
    for (const wrong of ['mon-fri 07:00-17:00', 'Europe/Oslo mon-fri 7-17', 'Europe/Oslo', 'Europe/Oslo mon 07:00']) {
      expect(readHours(`${wrong}\nUTC sat 08:00-12:00`)).toBeUndefined()
    }
  })

  it('of two weeks in one zone are not shown as one', () => {
    expect(writeHours([OSLO, { zone: 'Europe/Oslo', open: ['sun 00:00-24:00'] }])).toBeUndefined()
  })
})
