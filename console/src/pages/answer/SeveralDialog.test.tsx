// One answer to several asks: each as it was shown, each with its own outcome.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, it, vi } from 'vitest'
import { NOTHING } from '../../parts/Brings'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { elevation } from '../../testing/views'
import { SeveralDialog } from './SeveralDialog'

const ASKS = [
  elevation({ id: 'E1', digest: 'one', brought: { ...NOTHING, reason: 'the crane stands still' } }),
  elevation({ id: 'E2', digest: 'two' }),
  elevation({ id: 'E3', digest: 'three' }),
]

const open = (verdict: 'yes' | 'no', done = vi.fn(), onClose = vi.fn()) => {
  show(<SeveralDialog verdict={verdict} asks={ASKS} onClose={onClose} done={done} />)
  return { done, onClose, user: userEvent.setup() }
}

it('is sent one by one with what was looked at, and one that fails keeps no other back', async () => {
  const asked = serve(({ url }) =>
    url.includes('E2')
      ? [409, { code: 'changed', detail: 'this is not what you were shown any more' }]
      : [200, elevation({ state: 'opening' })],
  )
  const { user, done, onClose } = open('yes')
  await user.click(screen.getByRole('button', { name: 'Send 3 answers' }))
  await user.click(await screen.findByText('Close', { selector: 'button:not([aria-label])' }))
  expect(asked.map((one) => [one.url, one.body])).toEqual(
    [
      ['E1', 'one'],
      ['E2', 'two'],
      ['E3', 'three'],
    ].map(([id, shown]) => [`/api/v1/elevations/${id}/answer`, { verdict: 'yes', reason: null, shown }]),
  )
  expect(done).toHaveBeenCalledOnce()
  expect(onClose).toHaveBeenCalledOnce()
})

it('says of each what became of it', async () => {
  serve(({ url }) =>
    url.includes('E2')
      ? new Error('the line broke')
      : [200, elevation({ state: url.includes('E1') ? 'live' : 'waiting' })],
  )
  const { user } = open('yes')
  await user.click(screen.getByRole('button', { name: 'Send 3 answers' }))
  await waitFor(() => expect(screen.getByText('answered; it is waiting')).toBeTruthy())
  expect(screen.getByText('answered; it is live')).toBeTruthy()
  const [, second] = screen.getAllByRole('listitem')
  expect(second?.textContent).not.toContain('answered')
})

it('that is a no needs a reason, which all of them are told', async () => {
  const asked = serve(() => [200, elevation({ state: 'refused' })])
  const { user } = open('no')
  const send = screen.getByRole<HTMLButtonElement>('button', { name: 'Send 3 answers' })
  await user.type(screen.getByLabelText('Why, for the askers to read'), '   ')
  expect(send.disabled).toBe(true)
  await user.type(screen.getByLabelText('Why, for the askers to read'), 'not tonight')
  await user.click(send)
  await waitFor(() => expect(asked).toHaveLength(3))
  expect(asked.every((one) => (one.body as { reason: string }).reason.trim() === 'not tonight')).toBe(true)
})

it('that is closed before it is sent changes nothing', async () => {
  const asked = serve(() => [200, {}])
  const { user, done, onClose } = open('yes')
  await user.click(screen.getByRole('button', { name: 'Close' }))
  expect(onClose).toHaveBeenCalledOnce()
  expect(done).not.toHaveBeenCalled()
  expect(asked).toEqual([])
})
