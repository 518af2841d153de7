// What nobody did through Tempestas, and what is done about it.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { type Answer, serve } from '../../testing/replies'
import { Drift } from './Drift'

const ONE: Api['DriftView'] = {
  id: 'X7',
  account: 'stranger',
  right: 'root@/harbour/pier',
  says: 'stranger holds root',
  since: '2026-11-20T12:00:00Z',
  state: 'open',
  target: '/harbour/pier',
  weight: 'critical',
  against: 't523',
  who: 'tomas.reyes',
  words: [
    { is: 'text', text: 'stranger holds ' },
    { is: 'right', right: 'root@/harbour/pier' },
  ],
} as unknown as Api['DriftView']

/** A service that knows of it, and answers what is done as it is told. */
function noticed(done: Answer = [200, {}], patch: unknown = { patch: 'DROP ROLE stranger;', says: '' }) {
  const asked = serve(({ url, method }) => {
    if (url === '/api/v1/drift') return [200, [ONE]]
    return method === 'GET' ? [200, patch] : done
  })
  const sent = () => asked.filter((one) => one.method === 'POST').map((one) => [one.url, one.body])
  return { sent, user: userEvent.setup() }
}

describe('a difference', () => {
  it('says what was seen, where, and whose account it is', async () => {
    noticed()
    show(<Drift may={false} />)
    expect(await screen.findByText('1 difference that nobody made through Tempestas')).toBeTruthy()
    const said = screen.getByRole('listitem').textContent
    expect(said).toContain('stranger holds root@/harbour/pier.')
    expect(said).toContain('the account is tomas.reyes’s; by t523 it is never held all the time')
    expect(screen.queryByRole('button')).toBeNull()
  })

  it('is put back or adopted in one step', async () => {
    const { sent, user } = noticed()
    show(<Drift may />)
    await user.click(await screen.findByRole('button', { name: 'Adopt' }))
    await waitFor(() => expect(sent()).toEqual([['/api/v1/drift/X7/adopt', {}]]))
    await user.click(screen.getByRole('button', { name: 'Put back' }))
    await waitFor(() => expect(sent()).toHaveLength(2))
    expect(sent()[1]).toEqual(['/api/v1/drift/X7/put-back', {}])
  })

  it('that can’t be put back says why', async () => {
    const { user } = noticed([
      409,
      { code: 'conflict', detail: 'this right is held only through pier; put that back instead' },
    ])
    show(<Drift may />)
    await user.click(await screen.findByRole('button', { name: 'Put back' }))
    expect((await screen.findByRole('alert')).textContent).toBe(
      'This right is held only through pier; put that back instead.',
    )
  })

  it('is ignored with a reason, until the end of a day', async () => {
    const { sent, user } = noticed()
    show(<Drift may />)
    await user.click(await screen.findByRole('button', { name: 'Ignore …' }))
    const ignore = screen.getByRole<HTMLButtonElement>('button', { name: 'Ignore it until then' })
    expect(ignore.disabled).toBe(true)
    await user.type(screen.getByLabelText('Why'), 'until the move')
    await user.clear(screen.getByLabelText(/^Until/))
    await user.type(screen.getByLabelText(/^Until/), '2027-01-31')
    await user.click(ignore)
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    const until = new Date('2027-01-31T23:59:59').toISOString()
    expect(sent()).toEqual([['/api/v1/drift/X7/ignore', { reason: 'until the move', until }]])
  })

  it('shows what to change where it comes from, in the form of its tools', async () => {
    const { user } = noticed()
    show(<Drift may />)
    await user.click(await screen.findByRole('button', { name: 'For its source …' }))
    expect(await screen.findByText('DROP ROLE stranger;')).toBeTruthy()
  })

  it('says so where there is no such form', async () => {
    const { user } = noticed([200, {}], { patch: null, says: 'take stranger out of the group there' })
    show(<Drift may />)
    await user.click(await screen.findByRole('button', { name: 'For its source …' }))
    expect(await screen.findByText(/There is no form for this system/)).toBeTruthy()
  })
})

it('is not spoken of where there is none', async () => {
  const asked = serve(() => [200, []])
  show(<Drift may />)
  await waitFor(() => expect(asked).toHaveLength(1))
  expect(screen.queryByRole('list')).toBeNull()
})
