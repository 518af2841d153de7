// Circumstances: what is asked and whether it holds, and a token that goes out and never comes back.

import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { Circumstances } from './Circumstances'

const INCIDENT: Api['CircumstanceView'] = {
  name: 'incident-open',
  says: 'while what https://desk.example/incidents/open answers has open at /state',
  address: 'https://desk.example/incidents/open',
  pointer: '/state',
  is: 'open',
  holds: true,
  since: '2026-11-02T08:00:00Z',
  trouble: null,
  wanted_by: ['t12'],
  set_by: 'mara.lindqvist',
  set_at: '2026-11-01T08:00:00Z',
  digest: 'a1',
}

function house(all: Api['CircumstanceView'][], reply: [number, unknown] = [200, INCIDENT]) {
  const asked = serve(({ method }) => (method === 'GET' ? [200, all] : reply))
  const sent = () => asked.filter((one) => one.method !== 'GET')
  return { sent, user: userEvent.setup() }
}

const field = (name: string) => within(screen.getByRole('dialog')).getByLabelText<HTMLInputElement>(name)

describe('circumstances', () => {
  it('say what is asked, whether it holds, and why it could not be asked', async () => {
    const down = { ...INCIDENT, name: 'visit-open', holds: false, trouble: 'the target refused: status 401' }
    house([INCIDENT, down])
    show(<Circumstances may={false} />)
    const row = (await screen.findByText('incident-open')).closest('li')
    expect(row?.textContent).toContain('while what https://desk.example/incidents/open answers has open at /state')
    expect(row?.textContent).toContain('Holds since')
    expect(row?.textContent).toContain('Wanted by t12.')
    const other = screen.getByText('visit-open').closest('li')
    expect(other?.textContent).toContain('Does not hold since')
    expect(other?.textContent).toContain('Can’t be asked at present: the target refused: status 401.')
    expect(screen.queryByRole('button')).toBeNull()
  })

  it('are set with a token, which is shown to nobody', async () => {
    const { sent, user } = house([])
    show(<Circumstances may />)
    await user.click(await screen.findByRole('button', { name: 'Add one' }))
    await user.type(field('Name'), 'visit-open')
    await user.type(field('Address that is asked'), 'https://desk.example/visits/{{visit}')
    await user.type(field('Where in its answer'), '/state')
    const set = screen.getByRole<HTMLButtonElement>('button', { name: 'Set it' })
    expect(set.disabled).toBe(true)
    await user.type(field('What stands there while it holds'), 'open')
    expect(field('Token that it is asked with').type).toBe('password')
    await user.type(field('Token that it is asked with'), 'desk-token')
    await user.click(set)
    await waitFor(() => expect(sent()).toHaveLength(1))
    expect(sent()[0]).toMatchObject({
      method: 'PUT',
      url: '/api/v1/circumstances/visit-open',
      body: { address: 'https://desk.example/visits/{visit}', pointer: '/state', is: 'open', secret: 'desk-token' },
    })
  })

  it('keep their token where they are asked as before, and say that it goes with another address', async () => {
    const { sent, user } = house([INCIDENT], [422, { code: 'invalid', detail: '`desk` is not an address' }])
    show(<Circumstances may />)
    await user.click(await screen.findByRole('button', { name: 'Change' }))
    expect(screen.getByText('Left empty, the one there is stays.')).toBeTruthy()
    await user.clear(field('Address that is asked'))
    await user.type(field('Address that is asked'), 'desk')
    expect(screen.getByText(/was for the other address, and is forgotten/)).toBeTruthy()
    await user.click(screen.getByRole('button', { name: 'Change it' }))
    expect((await screen.findByRole('alert')).textContent).toContain('is not an address')
    expect(sent()[0]).toMatchObject({ body: { address: 'desk', secret: null } })
  })
})
