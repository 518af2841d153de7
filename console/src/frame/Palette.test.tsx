// The palette: what it finds, what it does, and by whom.

import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import type { Me } from '../parts/me'
import { address, show } from '../testing/page'
import { serve } from '../testing/replies'
import { Palette } from './Palette'

const HITS = [
  { kind: 'person', name: 'mara lindqvist', says: 'a person' },
  { kind: 'elevation', name: 'E1042', says: 'live' },
  { kind: 'right', name: 'root@pier/a&b', says: 'critical' },
  { kind: 'scope', name: 'pier/a&b', says: 'a system' },
]

function opened(duties: { duty: string }[] = []) {
  const asked = serve(() => [200, HITS])
  const [closed, stopped] = [vi.fn(), vi.fn()]
  show(<Palette open onClose={closed} me={{ name: 'mara', duties } as unknown as Me} onStop={stopped} />)
  return { asked, closed, stopped, user: userEvent.setup() }
}

const options = () => screen.getAllByRole('option').map((one) => one.textContent)
const chosen = () =>
  screen.getAllByRole('option').find((one) => one.getAttribute('aria-selected') === 'true')?.textContent

describe('the palette', () => {
  it('offers what its reader may do, and Stop to administrators alone', () => {
    opened()
    expect(options().some((one) => one?.includes('Standing rights'))).toBe(false)
    expect(options().some((one) => one?.includes('Stop'))).toBe(false)
  })

  it('knows the trade’s other words', async () => {
    const { user } = opened([{ duty: 'administrator' }])
    await user.type(screen.getByRole('combobox'), 'polic')
    expect(options().some((one) => one?.includes('Estate and terms'))).toBe(true)
    await user.clear(screen.getByRole('combobox'))
    await user.type(screen.getByRole('combobox'), 'kill')
    expect(options().some((one) => one?.startsWith('doStop'))).toBe(true)
  })

  it.each([
    [0, '/person/mara%20lindqvist'],
    [1, '/elevation/E1042'],
    [2, '/ask?right=root%40pier%2Fa%26b'],
    [3, '/estate?at=pier%2Fa%26b'],
  ])('leads from hit %d to its page', async (n, to) => {
    const { user, closed, asked } = opened()
    await user.type(screen.getByRole('combobox'), 'pier')
    await screen.findByText('E1042')
    for (let step = 0; step < n; step += 1) await user.keyboard('{ArrowDown}')
    await user.keyboard('{Enter}')
    expect(address()).toBe(to)
    expect(closed).toHaveBeenCalled()
    expect(asked.at(-1)?.url).toBe('/api/v1/search?q=pier')
  })

  it('moves by keyboard within what is found', async () => {
    const { user } = opened()
    await user.click(screen.getByRole('combobox'))
    const [first, second] = options()
    expect(chosen()).toBe(first)
    await user.keyboard('{ArrowUp}')
    expect(chosen()).toBe(first)
    await user.keyboard('{ArrowDown}')
    expect(chosen()).toBe(second)
    for (let n = 0; n < 40; n += 1) await user.keyboard('{ArrowDown}')
    expect(chosen()).toBe(options().at(-1))
  })

  it('stops everything only by what comes after it', async () => {
    const { user, stopped, closed } = opened([{ duty: 'administrator' }])
    await user.type(screen.getByRole('combobox'), 'emergency')
    await user.click(screen.getAllByRole('option').at(-1) ?? document.body)
    expect([stopped.mock.calls.length, closed.mock.calls.length]).toEqual([1, 1])
  })
})
