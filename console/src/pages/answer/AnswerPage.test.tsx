// What waits for an answer: which is looked at, by key, click and address; which are picked.

import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Api } from '../../api/call'
import { NOTHING } from '../../parts/Brings'
import { address, show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { CONTEXT, elevation } from '../../testing/views'
import AnswerPage from './AnswerPage'

const ASKS = ['E1', 'E2', 'E3'].map((id) =>
  elevation({ id, state: 'waiting', for_me: true, brought: { ...NOTHING, reason: `reason of ${id}` } }),
)

beforeEach(() => {
  // The list draws what has room on the screen.
  vi.spyOn(Element.prototype, 'clientHeight', 'get').mockReturnValue(600)
  vi.spyOn(Element.prototype, 'clientWidth', 'get').mockReturnValue(600)
})

const waiting = (asks: Api['ElevationView'][], wishes: unknown[] = [], debriefs: Api['ElevationView'][] = []) =>
  serve(({ url }) => {
    if (url === '/api/v1/debriefs') return [200, debriefs]
    if (url === '/api/v1/waiting') return [200, asks]
    if (url === '/api/v1/appointments') return [200, wishes]
    if (url.endsWith('/context')) return [200, CONTEXT]
    return [
      200,
      asks.find((one) => url.includes(one.id)) ?? elevation({ id: 'E9', state: 'lapsed', sentence: 'lapsed at noon' }),
    ]
  })

async function opened() {
  show(<AnswerPage />)
  await screen.findByRole('region', { name: 'Asks that wait for you' })
  return userEvent.setup()
}

const looked = () =>
  within(screen.getByRole('region', { name: 'Asks that wait for you' }))
    .getAllByRole('button')
    .filter((one) => one.getAttribute('aria-current'))
    .map((one) => one.textContent.slice(0, 2))

describe('the ask that is looked at', () => {
  it('is the first, and the next and the one before by a key; there is none beyond the ends', async () => {
    waiting(ASKS)
    const user = await opened()
    expect(looked()).toEqual(['E1'])
    await user.keyboard('k')
    expect(looked()).toEqual(['E1'])
    await user.keyboard('jj')
    expect(looked()).toEqual(['E3'])
    await user.keyboard('j')
    expect(looked()).toEqual(['E3'])
    expect(address()).toBe('/?ask=E3')
    await user.keyboard('k')
    expect(looked()).toEqual(['E2'])
  })

  it('is one that is clicked', async () => {
    waiting(ASKS)
    const user = await opened()
    await user.click(screen.getByRole('button', { name: /^E2/ }))
    expect(looked()).toEqual(['E2'])
  })
})

describe('several', () => {
  it('are picked one by one or all, and answered at once', async () => {
    waiting(ASKS)
    const user = await opened()
    await user.click(screen.getByRole('checkbox', { name: 'Pick E3' }))
    expect(screen.getByText('1 picked')).toBeTruthy()
    await user.click(screen.getByRole('checkbox', { name: 'Pick E3' }))
    await user.click(screen.getByRole('checkbox', { name: 'pick all' }))
    expect(screen.getByText('3 picked')).toBeTruthy()
    await user.click(screen.getByRole('button', { name: 'No to all' }))
    expect(screen.getByRole('dialog', { name: 'No to 3 asks' })).toBeTruthy()
  })
})

describe('its first sentence', () => {
  it.each<[Api['ElevationView'][], unknown[], string]>([
    [[], [], 'Nothing waits for your answer.'],
    [ASKS.slice(0, 1), [], '1 ask waits for your answer.'],
    [ASKS, [{ id: 'W1', for_me: false }], '3 asks wait for your answer.'],
  ])('counts what is for the reader', async (asks, wishes, words) => {
    waiting(asks, wishes)
    show(<AnswerPage />)
    await waitFor(() => expect(screen.getByRole('heading', { level: 1 }).textContent).toBe(words))
  })

  it('is followed by where asks come from, while there is none', async () => {
    waiting([])
    show(<AnswerPage />)
    expect(await screen.findByText(/Asks come here while you are among those who may answer/)).toBeTruthy()
  })
})

describe('what was done', () => {
  const debrief = { by: ['oda'], until: '2026-11-21T13:00:00Z', higher: 0, for_me: true, signed: null }

  it('and waits to be looked at is named with how it came to be, beside the asks', async () => {
    const done = elevation({ id: 'E7', state: 'lapsed', debrief })
    waiting(
      ASKS.slice(0, 1),
      [],
      [
        { ...done, glass: true },
        { ...done, id: 'E8', debrief: { ...debrief, higher: 1 } },
      ],
    )
    await opened()
    expect(screen.getByRole('heading', { level: 1 }).textContent).toBe('1 ask and 2 debriefs wait for your answer.')
    expect(screen.getByText('broke the glass')).toBeTruthy()
    expect(screen.getByText('Nobody looked in time.')).toBeTruthy()
    const links = screen.getAllByRole('link', { name: 'Look at it' })
    expect(links.map((link) => link.getAttribute('href'))).toEqual(['/elevation/E7', '/elevation/E8'])
  })
})
