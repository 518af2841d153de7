// Separations: what each sees to and what breaks it, a new one tried before it is set, and what is put up with for a while.

import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { Separations } from './Separations'

const breach = (who: string | null, says: string): Api['BreachView'] => ({
  who,
  says,
  has: [],
  many: 2,
  tolerated_until: null,
  because: null,
})

const APART: Api['SeparationView'] = {
  name: 'plan-or-guide',
  says: 'nobody may ask for, or holds, both one of berth_planner@/harbour and one of vessel_traffic@/harbour',
  keeps: { is: 'apart', one: 'berth_planner@/harbour', other: 'vessel_traffic@/harbour' },
  counts: 'eligible',
  without_right: ['vessel_traffic@/harbour'],
  breaches: [breach('tomas.reyes', 'may ask for berth_planner@/harbour and holds vessel_traffic@/harbour')],
  set_by: 'mara.lindqvist',
  set_at: '2026-11-01T08:00:00Z',
  in_files: false,
  digest: 'a1',
}

function house(all: Api['SeparationView'][], reply: [number, unknown] = [200, {}]) {
  const asked = serve(({ method }) => (method === 'GET' ? [200, all] : reply))
  const sent = () => asked.filter((one) => one.method !== 'GET')
  return { sent, user: userEvent.setup() }
}

const field = (name: string) => within(screen.getByRole('dialog')).getByLabelText(name)

describe('separations', () => {
  it('say what they see to and what breaks them, and offer nothing to whoever may change none', async () => {
    house([APART])
    show(<Separations may={false} />)
    const row = (await screen.findByText('plan-or-guide')).closest('li')
    expect(row?.textContent).toContain('nobody may ask for, or holds, both one of berth_planner@/harbour')
    expect(row?.textContent).toContain('There is no right of vessel_traffic@/harbour at present')
    expect(row?.textContent).toContain('tomas.reyes may ask for berth_planner@/harbour and holds vessel_traffic')
    expect(screen.queryByRole('button')).toBeNull()
  })

  it('are tried before they are set', async () => {
    const found = [breach('tomas.reyes', 'may ask for a and may ask for b')]
    const { sent, user } = house([], [200, found])
    show(<Separations may />)
    await user.click(await screen.findByRole('button', { name: 'Add one' }))
    const look = screen.getByRole<HTMLButtonElement>('button', { name: 'See what would break it' })
    expect(look.disabled).toBe(true)
    await user.type(field('Name'), 'few-keys')
    await user.selectOptions(field('Sees to it that'), 'nobody has more than so many')
    await user.type(field('Of these'), 'weight:critical@/')
    await user.clear(field('One person at most'))
    await user.type(field('One person at most'), '1')
    await user.click(look)
    const would = await screen.findByRole('list', { name: 'Would break it' })
    expect(would.textContent).toContain('tomas.reyes may ask for a and may ask for b')
    await user.selectOptions(field('Counts'), 'only who holds it at one time')
    expect(screen.queryByRole('list', { name: 'Would break it' })).toBeNull()
    await user.click(screen.getByRole('button', { name: 'Set it' }))
    const keeps = { is: 'few', of: 'weight:critical@/', most: 1 }
    await waitFor(() => expect(sent()).toHaveLength(2))
    expect(sent()).toMatchObject([
      { url: '/api/v1/separations/preview', body: { keeps, counts: 'eligible' } },
      { method: 'PUT', url: '/api/v1/separations/few-keys', body: { keeps, counts: 'held' } },
    ])
  })

  it('keep what they are about where they see to it otherwise, and say why one is not taken', async () => {
    const { sent, user } = house(
      [APART],
      [422, { code: 'invalid', detail: '3 people at least are more than 2 at most' }],
    )
    show(<Separations may />)
    await user.click(await screen.findByRole('button', { name: 'Change' }))
    await user.selectOptions(field('Sees to it that'), 'so many people have one')
    await user.clear(field('People at least'))
    await user.type(field('People at least'), '3')
    await user.click(screen.getByRole('button', { name: 'Change it' }))
    expect((await screen.findByRole('alert')).textContent).toContain('3 people at least are more than 2 at most')
    const keeps = { is: 'holders', of: 'berth_planner@/harbour', least: 3, most: 2 }
    expect(sent()[0]).toMatchObject({ url: '/api/v1/separations/plan-or-guide', body: { keeps } })
  })

  it('are put up with through a day, with a reason', async () => {
    const { sent, user } = house([APART])
    show(<Separations may />)
    await user.click(await screen.findByRole('button', { name: 'Tolerate' }))
    const send = screen.getByRole<HTMLButtonElement>('button', { name: 'Tolerate it' })
    await user.type(field('Through'), '2027-01-31')
    expect(send.disabled).toBe(true)
    await user.type(field('Why'), 'until the second planner is back')
    await user.click(send)
    await waitFor(() => expect(sent()).toHaveLength(1))
    const until = new Date('2027-01-31T23:59:59').toISOString()
    expect(sent()[0]).toMatchObject({
      url: '/api/v1/separations/plan-or-guide/tolerate',
      body: { who: 'tomas.reyes', until, reason: 'until the second planner is back' },
    })
  })

  it('are put up with no longer once somebody says so', async () => {
    const until = '2027-01-31T23:59:59Z'
    const tolerated = { ...APART.breaches[0]!, tolerated_until: until, because: 'until the second planner is back' }
    const { sent, user } = house([{ ...APART, breaches: [tolerated] }])
    show(<Separations may />)
    const row = (await screen.findByText('plan-or-guide')).closest('li')
    expect(row?.textContent).toContain('“until the second planner is back”')
    await user.click(screen.getByRole('button', { name: 'Tolerate no longer' }))
    await waitFor(() => expect(sent()).toHaveLength(1))
    expect(sent()[0]).toMatchObject({ body: { who: 'tomas.reyes', until: null } })
  })
})
