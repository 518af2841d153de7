// The first day: where it stands, and whose the accounts are.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { standing, target } from '../../testing/views'
import FirstDayPage from './FirstDayPage'

type Reply = Api['FirstDayReply']

const STEPS = ['second-keeper', 'connect', 'look', 'hand-on', 'convert']

/** A first day of which so many steps are done. */
const day = (done: number): Reply => ({
  done: done === STEPS.length,
  steps: STEPS.map((step, n) => ({ step, done: n < done, says: `what ${step} does`, stands: 'nothing yet' })),
  worst: [],
  conversions: [],
})

const port = (done: number, people: unknown[] = []) =>
  serve(({ url, method }) => {
    if (method === 'PUT') return [200, {}]
    if (url === '/api/v1/first-day') return [200, day(done)]
    if (url === '/api/v1/standing')
      return [200, [standing({ who: null }), standing({ id: 'H13', account: 'o.brandt' })]]
    if (url === '/api/v1/targets') return [200, [target()]]
    if (url === '/api/v1/people') return [200, people]
    return [200, []]
  })

const opened = () =>
  screen
    .getAllByRole('button')
    .filter((one) => one.getAttribute('aria-expanded') === 'true')
    .map((one) => one.textContent)

describe('the first day', () => {
  it.each<[number, string]>([
    [0, 'Welcome. Five steps to the first right that ends by itself.'],
    [2, '2 of five steps done; go on where you left off.'],
    [5, 'The first day is done: all five steps.'],
  ])('of which %i steps are done says so', async (done, words) => {
    port(done)
    show(<FirstDayPage />)
    expect(await screen.findByRole('heading', { level: 1, name: words })).toBeTruthy()
  })

  it('opens the next step, and any other by a press', async () => {
    port(2)
    const user = userEvent.setup()
    show(<FirstDayPage />)
    await screen.findByText('Look')
    expect(opened()).toEqual(['Close'])
    expect(await screen.findByText(/nobody is named for yet/)).toBeTruthy()
    await user.click(screen.getAllByRole('button', { name: 'Look again' })[0] as HTMLElement)
    expect(screen.queryByText(/nobody is named for yet/)).toBeNull()
    expect(screen.getByText(/Add a colleague/)).toBeTruthy()
  })
})

describe('whose an account is', () => {
  it('is said of those that nobody is named for, against what is known of the person', async () => {
    const asked = port(2, [
      {
        id: 'P2',
        name: 'tomas.reyes',
        about: 'Tomas Reyes',
        accounts: [{ target: '/harbour/pier', account: 'old', digest: 'a1' }],
      },
    ])
    const user = userEvent.setup()
    show(<FirstDayPage />)
    expect((await screen.findByText(/nobody is named for yet/)).textContent).toContain(
      '1 account nobody is named for yet.',
    )
    const say = screen.getByRole<HTMLButtonElement>('button', { name: 'Say so' })
    await user.type(screen.getByLabelText('Whose it is'), 'tomas.reyes')
    await user.type(screen.getByLabelText('Account'), 'nobody-has-this')
    expect(say.disabled).toBe(true)
    await user.clear(screen.getByLabelText('Account'))
    await user.type(screen.getByLabelText('Account'), 't.reyes')
    await user.click(say)
    await waitFor(() => expect(asked.some((one) => one.method === 'PUT')).toBe(true))
    expect(asked.find((one) => one.method === 'PUT')).toMatchObject({
      url: '/api/v1/people/tomas.reyes/account',
      headers: { 'if-match': '"a1"' },
      body: { target: '/harbour/pier', account: 't.reyes' },
    })
    await waitFor(() => expect(screen.getByLabelText<HTMLInputElement>('Account').value).toBe(''))
  })
})
