// What one asked for: why, what was answered and what came of it; found by any of these words, on paper and as a file.

import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { elevation, waiting } from '../../testing/views'
import PastPage from './PastPage'

const REFUSED: Api['ElevationView'] = elevation({
  id: 'E1007',
  right: 'writer@/harbour/cranes',
  state: 'refused',
  sentence: 'oda.brandt said no',
  brought: { purpose: 'repair', reason: 'a stuck hoist', ticket: 'OPS-12', references: { visit: 'V-3' } },
  rounds: [
    {
      extends_to: null,
      stages: [
        {
          ...waiting('oda.brandt'),
          answers: [{ who: 'oda.brandt', verdict: 'no', less: null, reason: 'not today', at: '2026-11-02T08:00:00Z' }],
        },
      ],
    },
  ],
})

function house(all: Api['ElevationView'][]) {
  const asked = serve(() => [200, all])
  return { asked, user: userEvent.setup() }
}

const rows = () => screen.getAllByRole('row').slice(1)

describe('what one asked for', () => {
  it('stands with why, what was answered, and what came of it', async () => {
    const { asked } = house([REFUSED, elevation({ id: 'E1001', rounds: [] })])
    show(<PastPage />)
    expect(await screen.findByText('You asked 2 times.')).toBeTruthy()
    const [refused, other] = rows().map((row) => row.textContent)
    for (const said of ['E1007', 'writer', '/harbour/cranes', 'repair', 'a stuck hoist', 'ticket OPS-12', 'visit V-3'])
      expect(refused).toContain(said)
    expect(refused).toContain('oda.brandt no: “not today”')
    expect(refused).toContain('oda.brandt said no')
    expect(other).toContain('nobody asked')
    expect(asked.map((one) => one.url)).toEqual(['/api/v1/elevations?ended=true'])
  })

  it('is found by any of these words', async () => {
    const { user } = house([REFUSED, elevation({ id: 'E1001', rounds: [] })])
    show(<PastPage />)
    const field = await screen.findByRole('searchbox', { name: 'Search your asks' })
    for (const word of ['HOIST', 'ops-12', 'not today', 'oda']) {
      await user.clear(field)
      await user.type(field, word)
      expect(rows()).toHaveLength(1)
      expect(within(rows()[0] ?? field).getByText('E1007')).toBeTruthy()
    }
    await user.type(field, ' of nothing')
    expect(screen.getByText('Nothing that you asked for is here.')).toBeTruthy()
  })

  it('is put on paper, and taken away as a file', async () => {
    const print = vi.spyOn(window, 'print').mockImplementation(() => undefined)
    const { user } = house([REFUSED])
    show(<PastPage />)
    await user.click(await screen.findByRole('button', { name: 'Print' }))
    expect(print).toHaveBeenCalledOnce()
    const file = screen.getByRole('link', { name: 'For a spreadsheet' })
    expect(file.getAttribute('href')).toBe('/api/v1/elevations/csv?ended=true')
  })

  it('comes a hundred at a time', async () => {
    const many = Array.from({ length: 130 }, (_, n) => elevation({ id: `E${2000 + n}` }))
    const { user } = house(many)
    show(<PastPage />)
    await user.click(await screen.findByRole('button', { name: 'Show more of 130 asks' }))
    expect(rows()).toHaveLength(130)
    expect(screen.queryByRole('button', { name: /Show more/ })).toBeNull()
  })
})
