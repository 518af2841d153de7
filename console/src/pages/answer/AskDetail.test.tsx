// An answer: to what was looked at, by letters or by hand, and nothing that its way demands left out.

import { act, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import type { Api } from '../../api/call'
import { NOTHING } from '../../parts/Brings'
import { show } from '../../testing/page'
import { type Answer, serve } from '../../testing/replies'
import { CONTEXT, elevation, EXTENSION } from '../../testing/views'
import { AskDetail } from './AskDetail'
import { SeveralDialog } from './SeveralDialog'

const asked = (but: Partial<Api['ElevationView']> = {}) =>
  elevation({ state: 'waiting', for_me: true, brought: { ...NOTHING, reason: 'the crane' }, digest: 'first', ...but })

/** A service that takes answers as it is told; those that came. */
function takes(answer: () => Answer = () => [200, elevation()]) {
  const all = serve(({ url }) => (url.endsWith('/context') ? [200, CONTEXT] : answer()))
  return () => all.filter((one) => one.url.endsWith('/answer')).map((one) => one.body)
}

function opened(but: Partial<Api['ElevationView']> = {}, gone = false) {
  const next = vi.fn()
  const shown = show(<AskDetail ask={asked(but)} gone={gone} next={next} />)
  const again = (but: Partial<Api['ElevationView']>) =>
    shown.again(<AskDetail ask={asked(but)} gone={gone} next={next} />)
  return { user: userEvent.setup(), next, again }
}

const press = (key: string) =>
  act(() => {
    document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }))
  })

describe('an answer', () => {
  it('of yes says for whom and how long, and is to what was looked at', async () => {
    const answers = takes()
    const { user, next } = opened()
    press('y')
    await user.click(screen.getByRole('button', { name: 'Send the yes: tomas gets it for 1 h' }))
    await waitFor(() => expect(next).toHaveBeenCalled())
    expect(answers()).toEqual([{ verdict: 'yes', reason: null, shown: 'first' }])
  })

  it('of no needs a reason', async () => {
    const answers = takes()
    const { user } = opened()
    press('n')
    const send = screen.getByRole<HTMLButtonElement>('button', { name: 'Send the no' })
    expect(send.disabled).toBe(true)
    await user.type(screen.getByLabelText('Why, for the asker to read'), 'not during the audit')
    await user.click(send)
    await waitFor(() => expect(answers()).toHaveLength(1))
    expect(answers()[0]).toMatchObject({ verdict: 'no', reason: 'not during the audit' })
  })

  it('of yes to less says what is left, of what was changed alone', async () => {
    const answers = takes()
    const { user } = opened()
    press('l')
    const send = screen.getByRole<HTMLButtonElement>('button', { name: 'Send yes to less' })
    expect(send.disabled).toBe(true)
    await user.type(screen.getByLabelText('For at most'), '30m')
    await user.selectOptions(await screen.findByLabelText('Only at'), 'pier/mooring-1')
    await user.click(send)
    await waitFor(() => expect(answers()).toHaveLength(1))
    expect(answers()[0]).toMatchObject({ verdict: 'yes', less: { duration: 1800, scope: 'pier/mooring-1' } })
  })

  it('to going on says how much longer and why, and leaves less of its time alone', async () => {
    const answers = takes()
    const { user } = opened({ state: 'live', extension: EXTENSION })
    expect(screen.getByText('the pump is still open')).toBeTruthy()
    expect(screen.getByText('the crane')).toBeTruthy()
    press('l')
    await user.type(screen.getByLabelText('For at most'), '10m')
    expect(screen.queryByLabelText('From')).toBeNull()
    expect(screen.queryByLabelText('Only at')).toBeNull()
    press('Escape')
    press('y')
    await user.click(screen.getByRole('button', { name: 'Send the yes: tomas gets it for 30 min more' }))
    await waitFor(() => expect(answers()).toHaveLength(1))
    expect(answers()[0]).toMatchObject({ verdict: 'yes', shown: 'first' })
  })

  it('is not chosen by letters that are typed, and is put off by escape', async () => {
    takes()
    const { user } = opened()
    press('y')
    await user.type(screen.getByLabelText('A word, if you like'), 'lynx')
    expect(screen.getByRole('button', { name: /^Send the yes/ })).toBeTruthy()
    press('Escape')
    expect(screen.queryByRole('button', { name: /^Send/ })).toBeNull()
  })

  it('that is refused keeps what was typed', async () => {
    takes(() => [409, { code: 'conflict', detail: 'E1042 ran out' }])
    const { user, next } = opened()
    press('n')
    await user.type(screen.getByLabelText('Why, for the asker to read'), 'no')
    await user.click(screen.getByRole('button', { name: 'Send the no' }))
    expect((await screen.findByRole('alert')).textContent).toBe('E1042 ran out.')
    expect(screen.getByLabelText<HTMLTextAreaElement>('Why, for the asker to read').value).toBe('no')
    expect(next).not.toHaveBeenCalled()
  })

  it('waits where the ask was narrowed meanwhile, until somebody looked at it anew', async () => {
    const answers = takes()
    const { user, again } = opened()
    press('y')
    again({ digest: 'second' })
    const send = () => screen.getByRole<HTMLButtonElement>('button', { name: /^Send the yes/ })
    expect(send().disabled).toBe(true)
    await user.click(screen.getByRole('button', { name: 'I have looked at it anew' }))
    await user.click(send())
    await waitFor(() => expect(answers()).toHaveLength(1))
    expect(answers()[0]).toMatchObject({ shown: 'second' })
  })
})

describe('an ask', () => {
  it('says who is not to be taken for whom, and what the account holds besides', () => {
    takes()
    opened({
      alike: ['tomas.reyez'],
      account: 'treyes',
      account_holds: ['SUPERUSER@books'],
      brought: { ...NOTHING, ticket: 'OPS-1', references: { visit: 'V-2031' } },
    })
    const text = document.body.textContent
    expect(text).toContain('to be taken for tomas.reyez')
    expect(text).toContain('It holds besides, all the time: SUPERUSER@books.')
    expect(text).toContain('TicketOPS-1')
    expect(text).toContain('VisitV-2031')
  })

  it('without a reason says so, and leaves out what it has not', () => {
    takes()
    opened({ brought: NOTHING })
    const terms = [...document.querySelectorAll('dt')].map((term) => term.textContent)
    expect(terms).toEqual(['Who', 'What', 'Why', 'For', 'Harm', 'Until'])
    expect(screen.getByText('no reason given')).toBeTruthy()
  })

  it('that others settled takes no answer', () => {
    takes()
    opened({}, true)
    expect(screen.queryByRole('group', { name: 'Your answer' })).toBeNull()
    expect(document.body.textContent).toContain('Settled meanwhile: E1042 tells how.')
  })
})

describe('several answers at once', () => {
  it('are sent one by one, each with its own outcome', async () => {
    let n = 0
    const all = serve(() => (++n === 2 ? [409, { code: 'conflict', detail: 'it ran out' }] : [200, elevation()]))
    const done = vi.fn()
    const asks = ['E1', 'E2', 'E3'].map((id) => asked({ id, digest: id }))
    show(<SeveralDialog verdict="yes" asks={asks} onClose={() => undefined} done={done} />)
    await userEvent.click(screen.getByRole('button', { name: 'Send 3 answers' }))
    await waitFor(() => expect(all).toHaveLength(3))
    await screen.findByText(/it ran out/)
    expect(screen.getAllByText(/answered; it is live/)).toHaveLength(2)
    expect(all.map((one) => (one.body as { shown: string }).shown)).toEqual(['E1', 'E2', 'E3'])
  })
})
