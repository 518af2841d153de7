// Who answers in somebody's place, and who their manager is.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { Delegations } from './Delegations'
import { Manager } from './Manager'

const away = (but: Partial<Api['DelegationView']> = {}): Api['DelegationView'] => ({
  id: 'w12',
  absent: 'oda.brandt',
  delegate: 'piet.sol',
  from: '2026-11-20T08:00:00Z',
  until: '2026-11-25T18:00:00Z',
  holds: true,
  may_end: true,
  reason: 'on leave',
  set_by: 'oda.brandt',
  ...but,
})

describe('answers during absences', () => {
  it('are shown to both sides, and to nobody whom they do not concern', async () => {
    serve(() => [200, [away(), away({ id: 'w13', absent: 'mara', delegate: 'ines', may_end: false })]])
    show(<Delegations of="piet.sol" may={false} />)
    const row = await screen.findByRole('listitem')
    expect(row.textContent).toMatch(/w12 piet\.sol for oda\.brandt, .*: away now/)
    expect(screen.queryByText('w13')).toBeNull()
    expect(screen.queryByRole('button', { name: 'Have somebody answer …' })).toBeNull()
  })

  it('are not there at all where there are none and none could be arranged', async () => {
    const asked = serve(() => [200, []])
    show(<Delegations of="jan" may={false} />)
    await waitFor(() => expect(asked).toHaveLength(1))
    expect(screen.queryByText('Answers during absences')).toBeNull()
  })

  it('are arranged until the evening of a day, and what is refused stays to be mended', async () => {
    const sent: unknown[] = []
    serve(({ method, body }) => {
      if (method !== 'POST') return [200, []]
      sent.push(body)
      return sent.length === 1 ? [409, { code: 'conflict', detail: 'piet answers already' }] : [200, away()]
    })
    const user = userEvent.setup()
    show(<Delegations of="oda.brandt" may />)
    await user.click(await screen.findByRole('button', { name: 'Have somebody answer …' }))
    const send = screen.getByRole<HTMLButtonElement>('button', { name: 'Have them answer' })
    expect(send.disabled).toBe(true)
    await user.type(screen.getByLabelText('Who answers'), ' piet.sol ')
    await user.clear(screen.getByLabelText(/^Until/))
    await user.type(screen.getByLabelText(/^Until/), '2026-12-24')
    await user.click(send)
    expect(await screen.findByText(/piet answers already/i)).toBeTruthy()
    await user.click(send)
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    const until = new Date('2026-12-24T18:00').toISOString()
    expect(sent[1]).toEqual({ absent: 'oda.brandt', delegate: 'piet.sol', from: null, until, reason: null })
  })

  it('are ended where the service lets the reader', async () => {
    const asked = serve(({ method }) => [200, method === 'DELETE' ? {} : [away(), away({ id: 'w14', may_end: false })]])
    const user = userEvent.setup()
    show(<Delegations of="oda.brandt" may />)
    const ends = await screen.findAllByRole('button', { name: 'End' })
    expect(ends).toHaveLength(1)
    await user.click(ends[0] as HTMLElement)
    await waitFor(() =>
      expect(asked.some((one) => one.method === 'DELETE' && one.url.endsWith('/delegations/w12'))).toBe(true),
    )
  })
})

describe('a manager', () => {
  it('is named as it was looked at, or taken away by naming nobody', async () => {
    const asked = serve(({ method }) => [200, method === 'GET' ? { manager: 'mara', digest: 'd1' } : {}])
    const user = userEvent.setup()
    show(<Manager who="oda.brandt" manager="mara" may />)
    await user.click(screen.getByRole('button', { name: 'Change' }))
    const field = await screen.findByLabelText<HTMLInputElement>('Manager')
    expect(field.value).toBe('mara')
    await user.clear(field)
    await user.click(screen.getByRole('button', { name: 'Say so' }))
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    const put = asked.find((one) => one.method === 'PUT')
    expect(put).toMatchObject({ body: { manager: null } })
    expect(JSON.stringify(put?.headers)).toContain('d1')
  })

  it('is changed by nobody who may not', () => {
    show(<Manager who="oda.brandt" manager={null} may={false} />)
    expect(document.body.textContent).toContain('nobody has said')
    expect(screen.queryByRole('button')).toBeNull()
  })
})
