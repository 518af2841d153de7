// The tray: a conversion is sent as it was looked at, in the waves that were chosen.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { standing } from '../../testing/views'
import { Tray } from './Tray'

const CHOSEN = [standing(), standing({ id: 'H13', account: 'o.brandt' }), standing({ id: 'H14', account: 'ci-runner' })]

function plan(but: Partial<Api['PlanView']> = {}): Api['PlanView'] {
  const item = (one: Api['StandingView']): Api['PlanItemView'] => ({
    advice: 'convert',
    also_lost: [],
    cautions: one.id === 'H14' ? ['a program uses it every night'] : [],
    may_ask: 'root@/harbour/pier for up to 4 h',
    rhythm: 'never',
    standing: one,
    taken_away: 'root from `t.reyes`',
    uses: 0,
  })
  return { digest: 'p1', items: CHOSEN.map(item), left: [], ...but }
}

function open(but: Partial<Api['PlanView']> = {}) {
  const asked = serve(({ url }) => (url.endsWith('/preview') ? [200, plan(but)] : [201, { id: 'C1' }]))
  const clear = vi.fn()
  show(<Tray chosen={CHOSEN} clear={clear} rehearsed={false} />)
  const sent = () => asked.filter((one) => one.url === '/api/v1/conversions').map((one) => one.body)
  return { clear, sent, user: userEvent.setup() }
}

describe('a conversion', () => {
  it('of all at once is sent by the digest of what was shown', async () => {
    const { sent, clear, user } = open()
    await user.click(await screen.findByRole('button', { name: 'Convert 3 rights' }))
    await waitFor(() => expect(clear).toHaveBeenCalled())
    expect(sent()).toEqual([
      {
        chosen: ['H12', 'H13', 'H14'],
        shown: 'p1',
        until: null,
        name: null,
        pilot: [],
        wave_size: null,
        pace: null,
        stop_percent: null,
        undo_days: null,
      },
    ])
  })

  it('begins with its pilot, and goes on in waves', async () => {
    const { sent, user } = open()
    await user.click(await screen.findByRole('checkbox', { name: /^H13 goes first/ }))
    expect(screen.getByText('The pilot (1) goes first; the other 2 wait for you')).toBeTruthy()
    await user.type(screen.getByLabelText(/^What to call it/), 'Cranes')
    await user.type(screen.getByLabelText(/^Rights in a wave/), '2')
    await user.type(screen.getByLabelText(/^The next wave after/), '1d')
    await user.type(screen.getByLabelText(/^May be asked for until/), '2027-01-31')
    await user.click(screen.getByRole('button', { name: 'Begin with 1 right' }))
    await waitFor(() => expect(sent()).toHaveLength(1))
    expect(sent()[0]).toMatchObject({
      name: 'Cranes',
      pilot: ['H13'],
      wave_size: 2,
      pace: 86_400,
      until: new Date('2027-01-31T23:59:59').toISOString(),
    })
  })

  it('with a pace or a size that is none can’t be sent', async () => {
    const { user } = open()
    const button = () => screen.getByRole<HTMLButtonElement>('button', { name: /^(Convert|Begin)/ })
    await screen.findByText(/a program uses it every night/i)
    await user.type(screen.getByLabelText(/^The next wave after/), 'soon')
    expect(screen.getByText('Write it like 8h or 1d')).toBeTruthy()
    expect(button().disabled).toBe(true)
    await user.clear(screen.getByLabelText(/^The next wave after/))
    expect(button().disabled).toBe(false)
    await user.type(screen.getByLabelText(/^Rights in a wave/), 'two')
    expect(button().disabled).toBe(true)
  })

  it('says who keeps everything', async () => {
    open({
      left: [{ target: '/harbour/pier', accounts: ['sealed-1', 'sealed-2'], least: 1 }] as Api['PlanView']['left'],
    })
    const said = await screen.findByText(/keep everything/)
    expect(said.textContent).toBe('On /harbour/pier 2 accounts keep everything: sealed-1, sealed-2 (1 at least).')
  })
})
