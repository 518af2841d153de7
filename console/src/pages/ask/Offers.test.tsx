// What is offered: found by any word, asked for until a day with a reason, and taken back while it waits.

import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { Offers } from './Offers'

const OFFER: Api['OfferView'] = {
  right: 'tide-reader@/analytics/lake',
  weight: 'ordinary',
  lets: 'reads the tables of the tides',
  longest: 2_592_000,
  reason: 10,
  asked: [['signe.holm', 'oda.brandt'], ['henrik.voss']],
  trouble: null,
}

const WISH = {
  id: 'A12',
  by: 'tomas.reyes',
  sentence: 'tomas.reyes would be eligible for keysmith@/analytics, and waits for signe.holm',
  covers: null,
  stages: [],
} as unknown as Api['AppointmentView']

function house(
  offers: Api['OfferView'][],
  wishes: Api['AppointmentView'][] = [],
  reply: [number, unknown] = [200, {}],
) {
  const asked = serve(({ method, url }) => {
    if (method !== 'GET') return reply
    return [200, url.startsWith('/api/v1/offers') ? offers : wishes]
  })
  return { sent: () => asked.filter((one) => one.method !== 'GET'), user: userEvent.setup() }
}

describe('what is offered', () => {
  it('says what it lets one do, and who decides', async () => {
    house([OFFER, { ...OFFER, right: 'root@/harbour', lets: 'everything', trouble: 'nobody could say yes' }])
    show(<Offers q="" me="tomas.reyes" />)
    const rows = (await screen.findByRole('list', { name: 'Offered' })).children
    const [first, second] = [...rows] as [HTMLElement, HTMLElement]
    expect(first.textContent).toContain('reads the tables of the tides')
    expect(first.textContent).toContain('signe.holm or oda.brandt, then henrik.voss decides; for 30 d at most')
    expect(second.textContent).toContain('Not at present: nobody could say yes')
    expect(within(second).queryByRole('button')).toBeNull()
  })

  it('is found by each word of what is looked for', async () => {
    house([OFFER, { ...OFFER, right: 'root@/harbour', lets: 'everything' }])
    show(<Offers q="tides lake" me="tomas.reyes" />)
    expect((await screen.findByRole('list', { name: 'Offered' })).children).toHaveLength(1)
  })

  it('is asked for until a day, and with a reason where one is wanted', async () => {
    const wished = { stages: [{ approvers: ['signe.holm'], verdict: null, answers: [] }], id: 'A13' }
    const { sent, user } = house([OFFER], [], [200, { appointment: wished, eligibility: null }])
    show(<Offers q="" me="tomas.reyes" />)
    await user.click(await screen.findByRole('button', { name: 'Ask to be eligible' }))
    const ask = screen.getByRole<HTMLButtonElement>('button', { name: 'Ask signe.holm or oda.brandt' })
    expect(ask.disabled).toBe(true)
    await user.type(screen.getByLabelText('Through the end of'), '2026-12-24')
    expect(ask.disabled).toBe(true)
    await user.type(screen.getByLabelText('Why'), 'the tides of December')
    await user.click(ask)
    await waitFor(() => expect(sent()).toHaveLength(1))
    expect(sent()[0]).toMatchObject({
      url: '/api/v1/wishes',
      body: { right: OFFER.right, group: null, reason: 'the tides of December' },
    })
    expect(await screen.findByText(/A13 waits for a yes/)).toBeTruthy()
  })

  it('is shown with one’s own wishes, which are taken back, and is nothing at all where there is neither', async () => {
    const { sent, user } = house([], [WISH, { ...WISH, id: 'A9', by: 'oda.brandt' }])
    show(<Offers q="" me="tomas.reyes" />)
    const waiting = await screen.findByRole('list', { name: 'What you wished for' })
    expect(waiting.children).toHaveLength(1)
    await user.click(screen.getByRole('button', { name: 'Take it back' }))
    await waitFor(() => expect(sent()[0]).toMatchObject({ method: 'POST', url: '/api/v1/appointments/A12/end' }))
  })
})
