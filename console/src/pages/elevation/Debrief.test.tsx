// What was done and is over: who is told of it, and what can be said by whoever looks.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { elevation } from '../../testing/views'
import { Debrief } from './Debrief'

const OPEN: Api['DebriefView'] = {
  by: ['oda.brandt', 'piet.sol'],
  until: '2026-11-21T13:00:00Z',
  higher: 0,
  for_me: false,
  signed: null,
}
const shown = (debrief: Partial<Api['DebriefView']>) =>
  show(<Debrief one={elevation({ state: 'lapsed', debrief: { ...OPEN, ...debrief } })} />)
const sign = () => screen.getByRole<HTMLButtonElement>('button', { name: 'Sign it off' })

describe('a debrief', () => {
  it('that nobody has to sign off isn’t there', () => {
    show(<Debrief one={elevation({ state: 'lapsed' })} />)
    expect(screen.queryByRole('heading')).toBeNull()
  })

  it('says who is to look, and leaves the signing to them', () => {
    shown({})
    expect(screen.getByText(/Is to be looked at by/).textContent).toMatch(/oda\.brandt, piet\.sol until/)
    expect(screen.queryByRole('button')).toBeNull()
  })

  it('that nobody looked at in time says so', () => {
    shown({ higher: 2 })
    expect(screen.getByText(/nobody did in time, and it went higher/)).toBeTruthy()
  })

  it('says who looked, and what they found', () => {
    const signed = {
      who: 'oda.brandt',
      at: '2026-11-20T14:00:00Z',
      finding: 'not-in-order' as const,
      word: 'a key was left',
    }
    shown({ signed })
    expect(screen.getByText(/looked at it/).textContent).toMatch(
      /^oda\.brandt looked .* found it not in order: “a key was left”\.$/,
    )
  })

  it('is signed off with what was found, and with a word where that was not in order', async () => {
    const asked = serve(() => [200, elevation({ state: 'lapsed' })])
    const user = userEvent.setup()
    shown({ for_me: true })
    expect(sign().disabled).toBe(true)
    await user.click(screen.getByLabelText('not in order'))
    expect(sign().disabled).toBe(true)
    await user.type(screen.getByLabelText('What was not in order'), '   ')
    expect(sign().disabled).toBe(true)
    await user.type(screen.getByLabelText('What was not in order'), 'a key was left')
    await user.click(sign())
    await waitFor(() => expect(asked).toHaveLength(1))
    expect(asked[0]).toMatchObject({
      url: '/api/v1/elevations/E1042/debrief',
      body: { finding: 'not-in-order', word: 'a key was left' },
    })
  })

  it('needs no word where all was in order', async () => {
    const asked = serve(() => [200, elevation({ state: 'lapsed' })])
    const user = userEvent.setup()
    shown({ for_me: true })
    await user.click(screen.getByLabelText('in order'))
    await user.click(sign())
    await waitFor(() => expect(asked).toHaveLength(1))
    expect(asked[0]?.body).toEqual({ finding: 'in-order', word: null })
  })
})
