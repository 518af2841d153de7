// Rules at a scope: those above shown with it, and each change looked at before it is made.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { TermsEditor } from './TermsEditor'

function rule(but: Partial<Api['TermsView']> = {}): Api['TermsView'] {
  return {
    id: 'T4',
    act: 'elevate',
    scope: '/harbour',
    role: null,
    weight: null,
    asker: null,
    labels: {},
    attributes: {},
    settings: { longest: 3600 } as Api['TermsView']['settings'],
    pins: [],
    valid_from: null,
    valid_until: null,
    digest: 'r4',
    says: [{ setting: 'longest', words: '1 h' }],
    ...but,
  }
}

const TOUCHED: Api['TermsTouched'] = {
  count: 2,
  people: 1,
  open_asks: ['E1042'],
  contradicts: [{ of: '', rule: 'T9', setting: 'longest', theirs: '30 min', holds: '30 min' }],
  newly_against: 3,
  refused_because: null,
  no_longer_against: 0,
  touched: [
    {
      act: 'elevate',
      who: 'tomas.reyes',
      right: 'root@/harbour/pier',
      changes: [{ setting: 'longest', before: '4 h', after: '1 h' }],
    },
  ],
}

function port(rules: Api['TermsView'][], touched = TOUCHED) {
  const asked = serve(({ url, method }) => {
    if (url === '/api/v1/terms/preview') return [200, touched]
    if (url === '/api/v1/assurances' || url === '/api/v1/calendars') return [200, []]
    if (url === '/api/v1/terms' && method === 'GET') return [200, { terms: rules, precedence: '' }]
    return method === 'DELETE' ? [204, ''] : [200, rules[0]]
  })
  const changed = () => asked.filter((one) => one.method !== 'GET' && !one.url.endsWith('/preview'))
  return { changed, user: userEvent.setup() }
}

const editor = (path: string, may = true) => show(<TermsEditor path={path} roles={[]} may={may} />)

describe('rules', () => {
  it('that hold here are those of the scope and of all above, the highest first', async () => {
    port([
      rule({ id: 'T6', scope: '/harbour/pier', role: 'root' }),
      rule({ id: 'T7', scope: '/harbour/pier', act: 'extend' }),
      rule(),
      rule({ id: 'T1', scope: '/', asker: 'suppliers', pins: ['longest'] }),
      rule({ id: 'T9', scope: '/customs' }),
      rule({ id: 'T8', scope: '/harbour/pier-2' }),
    ])
    editor('/harbour/pier')
    const lines = (await screen.findAllByRole('listitem')).map((one) => one.textContent)
    expect(lines.map((line) => /T\d/.exec(line)?.[0])).toEqual(['T1', 'T4', 'T6', 'T7'])
    expect(lines[0]).toContain('From everything, asked by suppliers')
    expect(screen.getByLabelText('pinned: below it may only be stricter')).toBeTruthy()
    expect(lines[2]).toContain('Here, role root')
    expect(lines[3]).toContain('Here, to go on')
    expect(screen.getAllByRole('button', { name: 'Change' })).toHaveLength(2)
  })

  it('are changed by nobody who may not', async () => {
    port([rule()])
    editor('/harbour', false)
    await screen.findByRole('listitem')
    expect(screen.queryByRole('button')).toBeNull()
  })

  it('say while what they are valid, and that they are not, or suspended', async () => {
    const summer = { valid_from: '2027-06-01T00:00:00Z', valid_until: '2027-09-01T00:00:00Z' }
    const suspended = { by: 'mara.lindqvist', at: '2026-11-20T08:00:00Z', reason: 'until the crane is back' }
    port([
      rule({ id: 'T1', ...summer, dormant: 'not-yet' }),
      rule({ id: 'T2', valid_until: '2026-09-01T00:00:00Z', dormant: 'over' }),
      rule({ id: 'T3', suspended }),
      rule({ id: 'T4' }),
    ])
    editor('/harbour')
    const [first, second, third, fourth] = (await screen.findAllByRole('listitem')).map((one) => one.textContent)
    expect(first).toMatch(/Not valid yet. Valid from .*2027.* until .*2027/)
    expect(second).toMatch(/Valid no more. Valid until /)
    expect(third).toMatch(/Suspended since .*: until the crane is back/)
    expect(fourth).not.toMatch(/[Vv]alid|Suspended/)
  })

  it('that there are none of leave the house’s own', async () => {
    port([])
    editor('/harbour')
    expect(await screen.findByText(/the house’s defaults hold/)).toBeTruthy()
  })
})

describe('a change', () => {
  it('is made once it was looked at whom it touches, and against what was there', async () => {
    const { changed, user } = port([rule()])
    editor('/harbour')
    await user.click(await screen.findByRole('button', { name: 'Change' }))
    await user.click(screen.getByRole('button', { name: 'Show whom it touches' }))
    const said = await screen.findByText(/Changes what 1 person must bring/)
    expect(said.textContent).toContain('1 open ask keep their own terms')
    expect(screen.getByText(/is about just the same/).textContent).toContain(
      'T9 is about just the same, and sets longest',
    )
    expect(screen.getByRole('list', { name: 'Whom it touches' }).textContent).toContain('longest: 4 h → 1 h')
    const change = screen.getByRole<HTMLButtonElement>('button', { name: 'Change it' })
    expect(change.disabled).toBe(true)
    await user.click(screen.getByRole('checkbox', { name: /I have looked/ }))
    await user.click(change)
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changed()).toHaveLength(1)
    expect(changed()[0]).toMatchObject({ method: 'PUT', url: '/api/v1/terms/T4', headers: { 'if-match': '"r4"' } })
    expect(changed()[0]?.body).toMatchObject({ scope: '/harbour', settings: { longest: 3600 }, pins: [] })
  })

  it('of when it is valid is sent as moments, and cleared as none', async () => {
    const { changed, user } = port([rule({ valid_from: '2027-06-01T00:00:00Z' })])
    editor('/harbour')
    await user.click(await screen.findByRole('button', { name: 'Change' }))
    await user.clear(screen.getByLabelText('Valid from'))
    await user.type(screen.getByLabelText('Valid until'), '2027-09-01T12:00')
    await user.click(screen.getByRole('button', { name: 'Show whom it touches' }))
    await user.click(await screen.findByRole('checkbox', { name: /I have looked/ }))
    await user.click(screen.getByRole('button', { name: 'Change it' }))
    const valid_until = new Date('2027-09-01T12:00').toISOString()
    await waitFor(() => expect(changed()[0]?.body).toMatchObject({ valid_from: null, valid_until }))
  })

  it('that is changed once more is looked at once more', async () => {
    const { changed, user } = port([rule()])
    editor('/harbour')
    await user.click(await screen.findByRole('button', { name: 'Change' }))
    await user.click(screen.getByRole('button', { name: 'Show whom it touches' }))
    await user.click(await screen.findByRole('checkbox', { name: /I have looked/ }))
    const longest = screen.getByLabelText('Longest')
    await user.clear(longest)
    await user.type(longest, '2h')
    expect(screen.queryByRole('button', { name: 'Change it' })).toBeNull()
    expect(screen.getByRole('button', { name: 'Show whom it touches' })).toBeTruthy()
    expect(changed()).toEqual([])
  })

  it('may be its end', async () => {
    const { changed, user } = port([rule()], {
      ...TOUCHED,
      count: 0,
      people: 0,
      open_asks: [],
      newly_against: 0,
      touched: [],
    })
    editor('/harbour')
    await user.click(await screen.findByRole('button', { name: 'Change' }))
    await user.click(screen.getByRole('button', { name: 'End this rule' }))
    expect(await screen.findByText('Changes nothing for anybody who may ask at present.')).toBeTruthy()
    await user.click(screen.getByRole('checkbox', { name: /I have looked/ }))
    await user.click(screen.getByRole('button', { name: 'End it' }))
    await waitFor(() => expect(changed().map((one) => [one.method, one.url])).toEqual([['DELETE', '/api/v1/terms/T4']]))
  })
})
