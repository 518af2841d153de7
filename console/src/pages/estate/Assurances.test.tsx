// Assurances: what each takes, whom it would have refused, and a change of one sent whole with what was looked at.

import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { Assurances } from './Assurances'

const HARDWARE: Api['AssuranceView'] = {
  name: 'hardware-key',
  says: 'a passkey no older than 10 min; only watched as yet',
  accepts: ['passkey'],
  within: 600,
  networks: ['10.20.0.0/16'],
  bypass: null,
  pilot: 'crane-crew',
  watch_only: true,
  wanted_by: ['t12'],
  let_through: [{ who: 'tomas.reyes', times: 3, last_at: '2026-11-02T08:00:00Z', lack: 'method' }],
  set_by: 'mara.lindqvist',
  set_at: '2026-11-01T08:00:00Z',
  in_files: false,
  digest: 'a1',
}

function house(all: Api['AssuranceView'][], reply: [number, unknown] = [200, HARDWARE]) {
  const asked = serve(({ method }) => (method === 'GET' ? [200, all] : reply))
  const sent = () => asked.filter((one) => one.method !== 'GET')
  return { sent, user: userEvent.setup() }
}

const field = (name: string) => within(screen.getByRole('dialog')).getByLabelText(name)

describe('assurances', () => {
  it('say what they take, which rules want them, and whom they would have refused', async () => {
    house([HARDWARE])
    show(<Assurances may={false} />)
    const row = (await screen.findByText('hardware-key')).closest('li')
    expect(row?.textContent).toContain('a passkey no older than 10 min; only watched as yet')
    expect(row?.textContent).toContain('Wanted by t12.')
    expect(row?.textContent).toContain('Would have refused tomas.reyes 3 times')
    expect(row?.textContent).toContain('for lacking a proof that it accepts')
    expect(screen.queryByRole('button', { name: 'Change' })).toBeNull()
    expect(screen.queryByRole('button', { name: 'Add one' })).toBeNull()
  })

  it('are changed whole, as they were looked at', async () => {
    const { sent, user } = house([HARDWARE])
    show(<Assurances may />)
    await user.click(await screen.findByRole('button', { name: 'Change' }))
    await user.selectOptions(field('Accepts'), 'a passkey or a TOTP code')
    await user.clear(field('From these networks'))
    await user.type(field('From these networks'), '10.30.0.0/16, 2001:db8::/32')
    await user.clear(field('Tried out with this group'))
    await user.click(field('Refuse nobody yet, and only note whom it would have refused'))
    await user.click(screen.getByRole('button', { name: 'Change it' }))
    await waitFor(() => expect(sent()).toHaveLength(1))
    expect(sent()[0]).toMatchObject({
      method: 'PUT',
      url: '/api/v1/assurances/hardware-key',
      body: {
        accepts: ['passkey', 'totp-code'],
        within: 600,
        networks: ['10.30.0.0/16', '2001:db8::/32'],
        bypass: null,
        pilot: null,
        watch_only: false,
      },
    })
  })

  it('begin by watching, and say why one is not taken', async () => {
    const { sent, user } = house([], [422, { code: 'invalid', detail: '`10.20.0.9/16` is an address in a network' }])
    show(<Assurances may />)
    expect(await screen.findByText(/any passkey or TOTP code will do/)).toBeTruthy()
    await user.click(screen.getByRole('button', { name: 'Add one' }))
    const set = screen.getByRole<HTMLButtonElement>('button', { name: 'Set it' })
    expect(set.disabled).toBe(true)
    await user.type(field('Name'), 'from-the-port')
    await user.type(field('From these networks'), '10.20.0.9/16')
    await user.click(set)
    expect((await screen.findByRole('alert')).textContent).toContain('is an address in a network')
    expect(sent()[0]).toMatchObject({ url: '/api/v1/assurances/from-the-port', body: { watch_only: true } })
  })

  it('that a rule wants is not ended, and says which', async () => {
    const { sent, user } = house([HARDWARE], [409, { code: 'conflict', detail: 't12 want `hardware-key`' }])
    show(<Assurances may />)
    await user.click(await screen.findByRole('button', { name: 'Change' }))
    await user.click(screen.getByRole('button', { name: 'End it' }))
    expect((await screen.findByRole('alert')).textContent).toContain('t12 want hardware-key')
    expect(sent()[0]).toMatchObject({ method: 'DELETE', url: '/api/v1/assurances/hardware-key' })
  })
})
