// A program that wants to be let in: its code, who asks, and the answer.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { type Answer, type Asked, serve } from '../../testing/replies'
import DevicePage from './DevicePage'

const SEEN = {
  program: 'tempestas',
  host: 'gangway',
  address: '192.0.2.7',
  asked_at: '2026-11-20T12:00:00Z',
  expires: '2026-11-20T12:10:00Z',
} satisfies Api['DeviceView']

const draft = (id: number, state: string): Partial<Api['DraftView']> => ({
  id,
  state,
  path: '/api/v1/elevations',
  drawn_at: '2026-11-20T12:00:00Z',
})

/** A service at which somebody waits to be let in. */
function waiting(answer: (asked: Asked) => Answer | Promise<Answer> | undefined = () => undefined) {
  const asked = serve((one) => {
    if (one.url === '/api/v1/drafts') return [200, []]
    return answer(one) ?? (one.url === '/api/v1/devices/look' ? [200, SEEN] : [204, ''])
  })
  show(<DevicePage />)
  return { user: userEvent.setup(), sent: () => asked.filter((one) => one.method === 'POST') }
}

const code = () => screen.getByLabelText<HTMLInputElement>('Code')
const look = () => screen.getByRole<HTMLButtonElement>('button', { name: 'Look who asks' })

describe('a program that waits', () => {
  it('is let in once it was seen who asks', async () => {
    const { user, sent } = waiting()
    await user.type(code(), 'abcd-efg')
    expect(look().disabled).toBe(true)
    await user.type(code(), 'h')
    await user.click(look())
    expect(await screen.findByText('gangway (as it says)')).toBeTruthy()
    expect(screen.getByText('192.0.2.7')).toBeTruthy()
    expect(sent()).toHaveLength(1)
    await user.click(screen.getByRole('button', { name: 'It is mine: let it in' }))
    expect(await screen.findByText(/^It is let in/)).toBeTruthy()
    expect(sent().map((one) => one.body)).toEqual([{ code: 'ABCD-EFGH' }, { code: 'ABCD-EFGH', let_in: true }])
    await user.click(screen.getByRole('button', { name: 'Another one' }))
    expect(code().value).toBe('')
  })

  it('is refused', async () => {
    const { user, sent } = waiting()
    await user.type(code(), 'ABCD-EFGH{Enter}')
    await user.click(await screen.findByRole('button', { name: 'Refuse it' }))
    expect(await screen.findByText('It was refused.')).toBeTruthy()
    expect(sent()[1]?.body).toEqual({ code: 'ABCD-EFGH', let_in: false })
  })

  it('that was looked at is the one that is answered, whatever is typed meanwhile', async () => {
    let answers: (answer: Answer) => void = () => undefined
    const slow = new Promise<Answer>((resolve) => (answers = resolve))
    const { user, sent } = waiting((one) => (one.url === '/api/v1/devices/look' ? slow : undefined))
    await user.type(code(), 'ABCD-EFGH{Enter}Z')
    answers([200, SEEN])
    await user.click(await screen.findByRole('button', { name: 'It is mine: let it in' }))
    await screen.findByText(/^It is let in/)
    expect(sent()[1]?.body).toEqual({ code: 'ABCD-EFGH', let_in: true })
  })

  it('that nobody knows is said, and the code stays to be mended', async () => {
    const { user, sent } = waiting(() => [404, { code: 'not-found', detail: 'no program waits under that code' }])
    await user.type(code(), 'ABCD-EFGH{Enter}')
    expect((await screen.findByRole('alert')).textContent).toBe('No program waits under that code.')
    expect(code().value).toBe('ABCD-EFGH')
    expect(sent()).toHaveLength(1)
  })

  it('that went away in between is not let in', async () => {
    const { user } = waiting((one) =>
      one.url === '/api/v1/devices/answer' ? [409, { code: 'conflict', detail: 'that code is used up' }] : undefined,
    )
    await user.type(code(), 'ABCD-EFGH{Enter}')
    await user.click(await screen.findByRole('button', { name: 'It is mine: let it in' }))
    expect((await screen.findByRole('alert')).textContent).toBe('That code is used up.')
    expect(screen.queryByText(/^It is let in/)).toBeNull()
  })
})

describe('what programs drafted', () => {
  it('is shown while it waits, and leads to what it would do', async () => {
    serve(() => [200, [draft(4, 'open'), draft(3, 'confirmed')]])
    show(<DevicePage />)
    const one = await screen.findByRole('link', { name: 'Draft 4' })
    expect(one.getAttribute('href')).toBe('/drafts/4')
    expect(screen.queryByText('Draft 3')).toBeNull()
  })

  it('is nothing where nothing waits', async () => {
    const asked = serve(() => [200, [draft(3, 'dropped')]])
    show(<DevicePage />)
    await waitFor(() => expect(asked).toHaveLength(1))
    expect(await screen.findByText(/^Nothing waits/)).toBeTruthy()
  })
})
