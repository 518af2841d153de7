// Facets: what is left by what was picked, and how many would be.

import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { show } from '../../testing/page'
import { Facets, fits, type Picked } from './facets'
import type { Row } from './StandingPage'

const right = (id: string, but: Partial<Row>) =>
  ({
    id,
    account: 'mlindqvist',
    who: 'mara',
    role: 'root',
    scope: 'pier/mooring-1',
    target: 'pier/mooring-1',
    weight: 'critical',
    direct: true,
    use_is_told: true,
    last_used: new Date().toISOString(),
    labels: [],
    says: [],
    ...but,
  }) as Row

const ALL = [
  right('h1', {}),
  right('h2', { who: null, account: 'ghost', last_used: null }),
  right('h3', {
    weight: 'privileged',
    target: 'books',
    scope: 'books/ledger',
    role: 'teller',
    against: 't523',
    labels: ['stage=production'],
  }),
  right('h4', {
    weight: 'privileged',
    target: 'books',
    direct: false,
    use_is_told: false,
    last_used: null,
    role: 'teller',
  }),
  right('h5', { weight: 'ordinary', last_used: '2020-01-01T00:00:00Z', labels: ['stage=production', 'quay=north'] }),
]

const left = (picked: Picked, q = '') => ALL.filter((one) => fits(one, picked, q)).map((one) => one.id)

describe('what is picked', () => {
  it.each<[Picked, string, string[]]>([
    [{}, '', ['h1', 'h2', 'h3', 'h4', 'h5']],
    [{ weight: ['critical'] }, '', ['h1', 'h2']],
    [{ weight: ['critical', 'ordinary'] }, '', ['h1', 'h2', 'h5']],
    [{ weight: ['critical'], holder: ['nobody named yet'] }, '', ['h2']],
    [{ used: ['never seen used'] }, '', ['h2']],
    [{ used: ['use not known'] }, '', ['h4']],
    [{ used: ['not for 90 days'] }, '', ['h5']],
    [{ label: ['quay=north', 'nothing'] }, '', ['h5']],
    [{ way: ['a group or other role'] }, '', ['h4']],
    [{ terms: ['never held all the time'] }, '', ['h3']],
    [{}, 'MARA books', ['h3']],
    [{}, 'h2', ['h2']],
    [{ top: ['books'] }, 'nobody', []],
  ])('%o with `%s` leaves what fits all of it', (picked, q, ids) => expect(left(picked, q)).toEqual(ids))
})

describe('counts', () => {
  it('say how many would be left, by everything that is picked but their own facet', async () => {
    const picks: unknown[] = []
    show(
      <Facets all={ALL} picked={{ weight: ['critical'], top: ['gone'] }} q="" onPick={(...pick) => picks.push(pick)} />,
    )
    const facet = (name: string) =>
      within(screen.getByRole('group', { name }))
        .getAllByRole('checkbox')
        .map((box) => box.closest('label')?.textContent)
    // Nothing critical is on a system that is gone; what was picked stays to be taken back.
    expect(facet('System')).toEqual(['pier/mooring-12', 'gone0'])
    expect(facet('Harm')).toEqual(['critical0'])
    await userEvent.click(screen.getByRole('checkbox', { name: /gone/ }))
    await userEvent.click(screen.getByRole('checkbox', { name: /pier/ }))
    expect(picks).toEqual([
      ['top', 'gone', false],
      ['top', 'pier/mooring-1', true],
    ])
  })
})
