// Promises: what each says and the shortest examples of what breaks it, one tried before it is set, and what is refused.

import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { Promises } from './Promises'

const example = (says: string): Api['ExampleView'] => ({ says, who: 'tomas.reyes', right: 'root@/quay', rule: 'R12' })

const KEPT: Api['PromiseView'] = {
  name: 'critical-by-two',
  says: 'nobody holds one of weight:critical@/harbour without a yes from somebody else',
  of: 'weight:critical@/harbour',
  by: null,
  promised: { is: 'answered', yes: 1 },
  broken: { times: 0, examples: [] },
  set_by: 'mara.lindqvist',
  set_at: '2026-11-01T08:00:00Z',
  in_files: false,
  digest: 'a1',
}

const BROKEN: Api['PromiseView'] = {
  ...KEPT,
  name: 'brief',
  promised: { is: 'brief', longest: 14400 },
  broken: { times: 7, examples: ['one', 'two', 'three', 'four'].map(example) },
}

function house(all: Api['PromiseView'][], reply: [number, unknown] = [200, {}]) {
  const asked = serve(({ method }) => (method === 'GET' ? [200, all] : reply))
  const sent = () => asked.filter((one) => one.method !== 'GET')
  return { sent, user: userEvent.setup() }
}

const field = (name: string) => within(screen.getByRole('dialog')).getByLabelText(name)

describe('promises', () => {
  it('say whether they are kept, and by what not, and offer nothing to whoever may change none', async () => {
    house([KEPT, BROKEN])
    show(<Promises may={false} />)
    const kept = (await screen.findByText('critical-by-two')).closest('li')
    expect(kept?.textContent).toContain('without a yes from somebody else')
    expect(kept?.textContent).toContain('Kept: nothing breaks it.')
    const examples = screen.getByRole('list', { name: 'Breaks brief' })
    expect([...examples.children].map((one) => one.textContent)).toEqual([
      'one.',
      'two.',
      'three.',
      'In all, for 7 pairs of somebody and a right.',
    ])
    expect(screen.queryByRole('button')).toBeNull()
  })

  it('are tried before they are set, in each form', async () => {
    const { sent, user } = house([], [200, { times: 1, examples: [example('tomas.reyes may ask for it')] }])
    show(<Promises may />)
    await user.click(await screen.findByRole('button', { name: 'Add one' }))
    const look = screen.getByRole<HTMLButtonElement>('button', { name: 'See what would break it' })
    expect(look.disabled).toBe(true)
    await user.type(field('Name'), 'suppliers-brief')
    await user.type(field('Of these rights'), '/')
    await user.type(field('Only of'), 'suppliers')
    await user.selectOptions(field('Promise that'), 'nobody holds one for longer')
    await user.clear(field('At most'))
    await user.type(field('At most'), 'soon')
    expect(look.disabled).toBe(true)
    await user.clear(field('At most'))
    await user.type(field('At most'), '2 h')
    await user.click(look)
    const would = await screen.findByRole('list', { name: 'Would break it' })
    expect(would.textContent).toBe('tomas.reyes may ask for it')
    await user.click(screen.getByRole('button', { name: 'Set it' }))
    const body = { of: '/', by: 'suppliers', promised: { is: 'brief', longest: 7200 } }
    await waitFor(() => expect(sent()).toHaveLength(2))
    expect(sent()).toMatchObject([
      { url: '/api/v1/promises/preview', body },
      { method: 'PUT', url: '/api/v1/promises/suppliers-brief', body },
    ])
  })

  it('want what their form is about', async () => {
    const { sent, user } = house([KEPT], [422, { code: 'invalid', detail: '`sure` only watches' }])
    show(<Promises may />)
    await user.click(await screen.findByRole('button', { name: 'Change' }))
    const save = screen.getByRole<HTMLButtonElement>('button', { name: 'Change it' })
    for (const [form, label, text] of [
      ['nobody may but some', 'Who may', 'night'],
      ['nobody begins without an assurance', 'Which assurance', 'sure'],
    ] as const) {
      await user.selectOptions(field('Promise that'), form)
      expect(save.disabled).toBe(true)
      await user.type(field(label), text)
      expect(save.disabled).toBe(false)
    }
    await user.click(save)
    expect(await screen.findByText(/only watches/)).toBeTruthy()
    await user.selectOptions(field('Promise that'), 'so many people could answer')
    await user.clear(field('How many people'))
    await user.type(field('How many people'), '3')
    await user.click(save)
    await waitFor(() => expect(sent()).toHaveLength(2))
    expect(sent()[1]).toMatchObject({ body: { promised: { is: 'answerable', people: 3 } } })
    await user.click(screen.getByRole('button', { name: 'End it' }))
    await waitFor(() => expect(sent()[2]).toMatchObject({ method: 'DELETE', url: '/api/v1/promises/critical-by-two' }))
  })
})
