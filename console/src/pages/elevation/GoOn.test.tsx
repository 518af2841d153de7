// Going on with what is live: what it demands is shown for the time that is asked for, and that is what is asked for.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { elevation, WANTS } from '../../testing/views'
import { GoOn } from './GoOn'

const demand = (more: number, but: Partial<Api['ExtensionDemand']> = {}): Api['ExtensionDemand'] => ({
  sentence: `To go on with E1042 for ${more} s you need a proof of yourself.`,
  more,
  until: '2026-11-20T13:30:00Z',
  latest: '2026-11-20T15:00:00Z',
  longest: 3600,
  proof_within: 600,
  wants: { ...WANTS, reason: { is: 'required', at_least: 8 } },
  stages: [],
  digest: `d${more}`,
  ...but,
})

/** A service that shows what is demanded for the time that is asked about; what was asked for. */
function demands(but: Partial<Api['ExtensionDemand']> = {}) {
  const all = serve(({ url, body }) =>
    url.endsWith('/extend/preview')
      ? [200, demand((body as { more: number | null }).more ?? 1800, but)]
      : [200, elevation()],
  )
  return () => all.filter((one) => one.url.endsWith('/extend')).map((one) => one.body)
}

describe('going on', () => {
  it('shows what the usual time takes, and asks for that once a reason is given', async () => {
    const asked = demands()
    const user = userEvent.setup()
    show(<GoOn one={elevation({ mine: true, may_extend: true })} />)
    await user.click(screen.getByRole('button', { name: 'Extend' }))
    const ask = await screen.findByRole<HTMLButtonElement>('button', { name: 'Ask for 30 min more' })
    expect(ask.disabled).toBe(true)
    await user.type(screen.getByLabelText('Reason'), 'the pump is still open')
    await user.click(ask)
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(asked()).toEqual([
      {
        more: 1800,
        brings: { purpose: null, reason: 'the pump is still open', ticket: null, references: {} },
        shown: 'd1800',
      },
    ])
  })

  it('asks for the time that was typed by what was shown for it, and keeps the reason meanwhile', async () => {
    const asked = demands()
    const user = userEvent.setup()
    show(<GoOn one={elevation({ mine: true, may_extend: true })} />)
    await user.click(screen.getByRole('button', { name: 'Extend' }))
    await user.type(await screen.findByLabelText('Reason'), 'the pump is still open')
    await user.type(screen.getByLabelText('For how much longer'), '45m')
    await user.click(await screen.findByRole('button', { name: 'Ask for 45 min more' }))
    await waitFor(() => expect(asked()).toHaveLength(1))
    expect(asked()[0]).toMatchObject({ more: 2700, brings: { reason: 'the pump is still open' }, shown: 'd2700' })
  })

  it('says what can’t be read, and what is refused', async () => {
    serve(() => [409, { code: 'conflict', detail: 'E1042 can’t go on' }])
    const user = userEvent.setup()
    show(<GoOn one={elevation({ mine: true, may_extend: true })} />)
    await user.click(screen.getByRole('button', { name: 'Extend' }))
    expect(await screen.findByText(/E1042 can’t go on/)).toBeTruthy()
    await user.type(screen.getByLabelText('For how much longer'), 'soon')
    expect(screen.getByText('Write it like 30m or 1h30m.')).toBeTruthy()
  })

  it('by grace is one press, and says why where it is refused', async () => {
    const all = serve(() => [409, { code: 'conflict', detail: 'the grace was taken already' }])
    const user = userEvent.setup()
    show(<GoOn one={elevation({ mine: true, grace: 600 })} />)
    expect(screen.queryByRole('button', { name: 'Extend' })).toBeNull()
    await user.click(screen.getByRole('button', { name: 'Take 10 min of grace' }))
    expect((await screen.findByRole('alert')).textContent).toBe('The grace was taken already.')
    expect(all[0]?.url).toBe('/api/v1/elevations/E1042/grace')
  })
})
