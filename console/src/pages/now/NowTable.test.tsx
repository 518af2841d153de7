// The chart's table: sorted as people read, and overdue ones marked.

import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { NowTable } from './NowTable'

const bar = (id: string, who: string, from: string) =>
  ({
    id,
    who,
    role: 'root',
    scope: 'pier',
    target: 'pier',
    weight: 'critical',
    state: 'live',
    from,
    to: '2026-11-20T12:00:00Z',
    overdue: false,
    for_me: false,
    mine: false,
    leftovers: 0,
  }) as Api['Bar']

const BARS = [
  bar('E1000', 'oda', '2026-11-20T09:00:00Z'),
  bar('E999', 'mara', '2026-11-20T10:00:00Z'),
  bar('E1001', 'jan', '2026-11-20T08:00:00Z'),
]

const ids = () => screen.getAllByRole('link', { name: /^E\d/ }).map((link) => link.textContent)

describe('the table', () => {
  it('begins with the newest, and is sorted by any column, either way', async () => {
    show(<NowTable bars={BARS} />)
    expect(ids()).toEqual(['E999', 'E1000', 'E1001'])
    const sort = (title: string) => userEvent.click(screen.getByRole('button', { name: new RegExp(`^${title}`) }))
    await sort('Who')
    expect(ids()).toEqual(['E1001', 'E999', 'E1000'])
    await sort('Who')
    expect(ids()).toEqual(['E1000', 'E999', 'E1001'])
    await sort('Reference')
    expect(ids()).toEqual(['E999', 'E1000', 'E1001'])
  })

  it('without anything says so', () => {
    show(<NowTable bars={[]} />)
    expect(screen.queryByRole('table')).toBeNull()
    expect(screen.getByText(/Nothing was, is or will be in force/)).toBeTruthy()
  })
})
