// Terms as files: faults with line and column, what would change before it is put, and what was put undone as it was looked at.

import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { TermsFiles } from './Files'

const FILING: Api['FilingView'] = {
  id: 'b12',
  within: '/harbour',
  by: 'mara.lindqvist',
  at: '2026-12-01T08:00:00Z',
  set: 2,
  ended: 1,
  clauses: ['rule berths', 'rule cranes', 'rule tides'],
  undo_until: '2999-01-01T00:00:00Z',
  undoes: null,
  undone_by: null,
}

const TOUCHED: Api['TermsTouched'] = {
  touched: [],
  count: 0,
  people: 0,
  open_asks: [],
  contradicts: [],
  newly_against: 0,
  no_longer_against: 0,
  refused_because: null,
}

const PLAN: Api['FilingPlanView'] = {
  digest: 'd1',
  changes: [
    {
      kind: 'rule',
      name: 'berths',
      becomes: 'changed',
      rule: 't4',
      scope: '/harbour/berths',
      says: [
        { setting: 'longest', before: '1 h', after: '30 min' },
        { setting: 'ticket', before: '', after: 'required' },
      ],
      by_hand: 'henrik.voss',
    },
    { kind: 'rule', name: 'tides', becomes: 'ended', rule: 't9', scope: '/harbour', says: [], by_hand: null },
  ],
  same: 3,
  by_hand: ['t17'],
  of_other_files: [],
  touched: TOUCHED,
}

const FAULT: Api['FaultView'] = { file: 'port.toml', line: 4, column: 9, says: 'there is no scope `/nowhere`' }

function house(filings: Api['FilingView'][], compared: Partial<Api['FilesCompared']> = {}) {
  const asked = serve(({ method, url }) => {
    if (url.endsWith('/undo') && method === 'GET') return [200, PLAN]
    if (url.endsWith('/preview')) return [200, { faults: [], plan: PLAN, ...compared }]
    return method === 'GET' ? [200, filings] : [200, FILING]
  })
  return { sent: () => asked.filter((one) => one.method !== 'GET'), user: userEvent.setup() }
}

async function choose(user: ReturnType<typeof userEvent.setup>) {
  await user.click(await screen.findByRole('button', { name: 'Compare files' }))
  const files = [new File(['[rule.berths]'], 'port.toml'), new File(['# none'], 'tides.toml')]
  await user.upload(screen.getByLabelText('Files of terms'), files)
}

describe('terms as files', () => {
  it('are shown with what was put at this place, and offer no change to whoever may make none', async () => {
    house([FILING, { ...FILING, id: 'b3', within: '/' }])
    show(<TermsFiles path="/harbour" may={false} />)
    const filings = await screen.findByRole('list', { name: 'Filings' })
    expect(filings.textContent).toContain('2 set, 1 ended')
    expect(filings.textContent).toContain('rule berths, rule cranes, rule tides')
    expect(filings.textContent).not.toContain('b3')
    expect(screen.queryByRole('button', { name: /Undo|Compare/ })).toBeNull()
    expect(screen.getByRole('button', { name: 'Take them away' })).toBeTruthy()
  })

  it('are compared before they are put, as they were looked at', async () => {
    const { sent, user } = house([])
    show(<TermsFiles path="/harbour" may />)
    await choose(user)
    const changes = await screen.findByRole('list', { name: 'What changes' })
    expect([...changes.children].map((one) => one.textContent)).toEqual([
      'rule berths t4 changed (changed by hand, by henrik.voss)longest: 1 h → 30 minticket: required',
      'rule tides t9 ends',
    ])
    expect(screen.getByRole('dialog').textContent).toContain('1 changed, 1 to end.')
    expect(screen.getByRole('dialog').textContent).toContain('left alone: t17')
    await user.click(screen.getByRole('button', { name: 'Put all of it' }))
    const body = { within: '/harbour', files: { 'port.toml': '[rule.berths]', 'tides.toml': '# none' } }
    await waitFor(() => expect(sent()).toHaveLength(2))
    expect(sent()).toMatchObject([
      { url: '/api/v1/terms/files/preview', body },
      { method: 'PUT', url: '/api/v1/terms/files', body, headers: { 'if-match': '"d1"' } },
    ])
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
  })

  it('tell each fault, and can then not be put', async () => {
    const { user } = house([], { faults: [FAULT], plan: null })
    show(<TermsFiles path="/" may />)
    await choose(user)
    const faults = await screen.findByRole('list', { name: 'What is wrong' })
    expect(faults.textContent).toBe('port.toml:4:9 there is no scope /nowhere')
    expect(screen.queryByRole('button', { name: 'Put all of it' })).toBeNull()
  })

  it('are not put where that would be refused, and say why', async () => {
    const touched = { ...TOUCHED, refused_because: 'that would break the promise `brief`' }
    const { user } = house([], { plan: { ...PLAN, touched } })
    show(<TermsFiles path="/" may />)
    await choose(user)
    expect(await screen.findByText(/would break the promise/)).toBeTruthy()
    expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Put all of it' }).disabled).toBe(true)
  })

  it('are undone as a whole, once it was looked at what that changes', async () => {
    const undone = { ...FILING, id: 'b1', undone_by: 'b2' }
    const { sent, user } = house([FILING, undone])
    show(<TermsFiles path="/harbour" may />)
    await user.click(await screen.findByRole('button', { name: 'Undo' }))
    const dialog = await screen.findByRole('dialog', { name: 'Undo b12' })
    expect(await within(dialog).findByRole('list', { name: 'What changes' })).toBeTruthy()
    await user.click(within(dialog).getByRole('button', { name: 'Undo all of it' }))
    await waitFor(() => expect(sent()).toHaveLength(1))
    expect(sent()).toMatchObject([{ method: 'POST', url: '/api/v1/terms/filings/b12/undo', body: { shown: 'd1' } }])
  })
})
