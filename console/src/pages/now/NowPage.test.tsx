// Now: what it looks at, by its address; and what it says at the top.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { address, show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { me } from '../../testing/views'
import NowPage from './NowPage'

const QUIET: Api['NowReply'] = {
  bars: [],
  live: 0,
  overdue: 0,
  scheduled: 0,
  waiting_for_me: 0,
  now: '2026-11-20T12:00:00Z',
}

const port = (now: Partial<Api['NowReply']> = {}) =>
  serve(({ url }) => {
    if (url.startsWith('/api/v1/now')) return [200, { ...QUIET, ...now }]
    return [200, url === '/api/v1/me' ? me({ waiting_for_me: now.waiting_for_me ?? 0 }) : []]
  })

/** Hours between the ends of the span that was asked for last. */
function span(asked: ReturnType<typeof port>) {
  const last = asked.filter((one) => one.url.startsWith('/api/v1/now')).at(-1)
  const query = new URLSearchParams(last?.url.split('?')[1])
  const [from, to] = ['from', 'to'].map((end) => new Date(query.get(end) ?? '').getTime())
  return { hours: ((to ?? 0) - (from ?? 0)) / 3600_000, from: from ?? 0 }
}

describe('its first sentence', () => {
  it.each<[Partial<Api['NowReply']>, string]>([
    [{}, '0 live and nothing overdue.'],
    [{ live: 3, waiting_for_me: 1, scheduled: 2 }, '3 live, 1 waits for you, 2 to begin and nothing overdue.'],
    [{ overdue: 1, waiting_for_me: 2 }, '0 live, 2 wait for you and 1 end overdue.'],
    [{ standing: 210 }, '0 live and nothing overdue. 210 standing rights left.'],
    [
      { standing: 210, standing_before: { day: '2026-11-01', standing: 250 } },
      '0 live and nothing overdue. 210 standing rights left, 40 fewer than on 1 Nov.',
    ],
    [
      { standing: 210, standing_before: { day: '2026-11-01', standing: 210 } },
      '0 live and nothing overdue. 210 standing rights left.',
    ],
  ])('of %j', async (now, words) => {
    port(now)
    show(<NowPage />)
    expect((await screen.findByRole('heading', { level: 1, name: words })).textContent).toBe(words)
  })
})

describe('what breaks a separation', () => {
  const separation = (breaches: Partial<Api['BreachView']>[]) =>
    serve(({ url }) => {
      if (url.startsWith('/api/v1/now')) return [200, QUIET]
      if (url === '/api/v1/separations') return [200, [{ name: 'five-critical', breaches }]]
      return [
        200,
        url === '/api/v1/me' ? me({ duties: [{ id: 'D1', who: 'ines.kowal', duty: 'auditor', scope: '/' }] }) : [],
      ]
    })

  it('and nobody tolerates is named', async () => {
    const says = 'holds root@/harbour/cranes all the time'
    const many = ['a', 'b', 'c', 'd'].map((who) => ({ who, says }))
    separation([
      { who: 'piet.sol', says },
      { who: 'jonas.weir', says, tolerated_until: '2026-12-24T16:00:00Z' },
      ...many,
    ])
    show(<NowPage />)
    const section = (await screen.findByRole('heading', { name: 'Breaks a separation' })).closest('section')
    expect(section?.textContent).toContain(`five-critical: piet.sol ${says}.`)
    expect(section?.textContent).not.toContain('jonas.weir')
    expect(section?.textContent).toContain('1 more in Estate.')
  })

  it('is not spoken of where nothing does', async () => {
    separation([{ who: 'jonas.weir', says: 'holds it', tolerated_until: '2026-12-24T16:00:00Z' }])
    show(<NowPage />)
    expect(await screen.findByText('No alarm is up.')).toBeTruthy()
    expect(screen.queryByText('Breaks a separation')).toBeNull()
  })
})

describe('what waits', () => {
  it('and is no ask is counted, and leads on', async () => {
    port({ waiting_for_me: 2 })
    show(<NowPage />)
    expect(await screen.findByText('2 under Answer.')).toBeTruthy()
    expect(screen.getByRole('link', { name: 'Answer' }).getAttribute('href')).toBe('/answer')
  })
})

describe('where it looks', () => {
  it('is six hours to either side, and goes further by a choice and back to now by a button', async () => {
    const asked = port()
    const user = userEvent.setup()
    show(<NowPage />)
    await screen.findByText(/nothing overdue/)
    const began = span(asked)
    expect(began.hours).toBe(12)
    expect(screen.queryByRole('button', { name: 'Now' })).toBeNull()
    await user.selectOptions(screen.getByLabelText('How far to either side'), '24')
    await waitFor(() => expect(span(asked).hours).toBe(48))
    await user.click(screen.getByRole('button', { name: 'Earlier' }))
    expect(address()).toBe('/?hours=24&shift=-24')
    await waitFor(() => expect(span(asked).from).toBeLessThan(began.from - 24 * 3600_000))
    await user.click(screen.getByRole('button', { name: 'Now' }))
    expect(address()).toBe('/?hours=24&shift=0')
  })

  it('turns by keys to a table and to people, and back', async () => {
    port()
    const user = userEvent.setup()
    show(<NowPage />)
    await screen.findByText(/nothing overdue/)
    await user.keyboard('t')
    expect(screen.getByRole('heading', { name: 'In force, as a table' })).toBeTruthy()
    await user.keyboard('tp')
    expect(screen.getByRole('heading', { name: 'In force, by person' })).toBeTruthy()
    expect(address()).toContain('lanes=person')
    await user.keyboard('p')
    expect(screen.getByRole('heading', { name: 'In force, by system' })).toBeTruthy()
  })
})
