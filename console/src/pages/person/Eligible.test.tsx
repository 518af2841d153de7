// What somebody may ask for, and what is done with it.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { eligibility, waiting } from '../../testing/views'
import { Eligible } from './Eligible'

const of = (but: Partial<Api['EligibilityView']>, may = true, own = false) =>
  show(<Eligible of="tomas.reyes" eligible={[eligibility(but)]} may={may} own={own} />)

const buttons = () => screen.queryAllByRole('button').map((one) => one.textContent)

describe('what is offered', () => {
  it.each<[string, Partial<Api['EligibilityView']>, boolean, boolean, string[]]>([
    ['an administrator', {}, true, false, ['Change …', 'Suspend …', 'End']],
    [
      'an administrator, of one that is suspended',
      { suspended: { at: '2026-11-20T12:00:00Z', reason: 'away' } },
      true,
      false,
      ['Change …', 'Resume', 'End'],
    ],
    ['an administrator, of a cover', { covers: 'oda.brandt' }, true, false, ['Suspend …', 'End']],
    ['whoever has it, with an end', { until: '2026-12-01T00:00:00Z' }, false, true, ['Ask for renewal …']],
    ['whoever has it for good', {}, false, true, []],
    ['whoever stands in for somebody', { until: '2026-12-01T00:00:00Z', covers: 'oda.brandt' }, false, true, []],
    ['anybody else', { until: '2026-12-01T00:00:00Z' }, false, false, []],
  ])('to %s', (_, but, may, own, offered) => {
    of(but, may, own)
    expect(buttons()).toEqual(offered)
  })

  it('says through whom, for whom, and why not at present', () => {
    of({
      who: 'pier-crew',
      covers: 'oda.brandt',
      suspended: { at: '2026-11-20T12:00:00Z', by: 'mara.lindqvist', reason: 'on leave' },
    })
    const said = screen.getByRole('listitem').textContent
    expect(said).toContain('through pier-crew')
    expect(said).toContain('standing in for oda.brandt')
    expect(said).toMatch(/Suspended .* by mara\.lindqvist: on leave/)
  })
})

describe('a window', () => {
  it('is changed as it was looked at, to the end of the day', async () => {
    const asked = serve(() => [200, { eligibility: eligibility(), appointment: null }])
    const user = userEvent.setup()
    of({})
    await user.click(screen.getByRole('button', { name: 'Change …' }))
    await user.type(screen.getByLabelText(/^Until/), '2026-12-24')
    await user.click(screen.getByRole('button', { name: 'Change the window' }))
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(asked[0]).toMatchObject({
      method: 'PATCH',
      url: '/api/v1/eligibilities/L7',
      headers: { 'if-match': '"l1"' },
    })
    expect(asked[0]?.body).toEqual({
      from: null,
      until: new Date('2026-12-24T23:59:59').toISOString(),
      for_good: false,
      reason: null,
    })
  })

  it('that one asks for oneself may have to wait for a yes', async () => {
    serve(() => [202, { eligibility: null, appointment: { id: 'W4', stages: [waiting('oda.brandt', 'piet.maas')] } }])
    const user = userEvent.setup()
    of({ until: '2026-12-01T00:00:00Z' }, false, true)
    await user.click(screen.getByRole('button', { name: 'Ask for renewal …' }))
    await user.click(screen.getByRole('button', { name: 'Ask for it' }))
    expect(await screen.findByText('W4 waits for a yes from oda.brandt or piet.maas.')).toBeTruthy()
  })
})

describe('an administrator', () => {
  it('suspends with a reason', async () => {
    const asked = serve(() => [200, eligibility()])
    const user = userEvent.setup()
    of({})
    await user.click(screen.getByRole('button', { name: 'Suspend …' }))
    const suspend = screen.getByRole<HTMLButtonElement>('button', { name: 'Suspend' })
    expect(suspend.disabled).toBe(true)
    await user.type(screen.getByLabelText(/^Why/), 'on leave')
    await user.click(suspend)
    await waitFor(() => expect(asked).toHaveLength(1))
    expect(asked[0]).toMatchObject({ url: '/api/v1/eligibilities/L7/suspend', body: { reason: 'on leave' } })
  })

  it('ends in two steps, the second of which says whose it is', async () => {
    const asked = serve(() => [409, { code: 'conflict', detail: 'it is the last that may answer' }])
    const user = userEvent.setup()
    of({})
    await user.click(screen.getByRole('button', { name: 'End' }))
    expect(asked).toEqual([])
    // Looking elsewhere takes the first step back.
    await user.tab()
    expect(screen.getByRole('button', { name: 'End' })).toBeTruthy()
    await user.click(screen.getByRole('button', { name: 'End' }))
    await user.click(screen.getByRole('button', { name: 'End it for tomas.reyes' }))
    expect((await screen.findByRole('alert')).textContent).toBe('It is the last that may answer.')
    expect(asked).toHaveLength(1)
    expect(asked[0]?.method).toBe('DELETE')
  })
})

it('says so where there is nothing', () => {
  show(<Eligible of="tomas.reyes" eligible={[]} may own={false} />)
  expect(screen.getByText(/Nobody made tomas.reyes/)).toBeTruthy()
})
