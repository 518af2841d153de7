// Conversions: how far they are, the next wave, and the way back.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { Conversions } from './Conversions'

type Item = Api['ItemView']

function item(n: number, state: Item['state'], wave = 0): Item {
  return { account: `crane-${n}`, right: 'root@/harbour/pier', standing: `H${n}`, state, wave }
}

function conversion(but: Partial<Api['ConversionView']> = {}): Api['ConversionView'] {
  return {
    id: 'C1',
    at: '2026-11-20T12:00:00Z',
    by: 'mara.lindqvist',
    items: [item(1, 'taken'), item(2, 'taken'), item(3, 'taking'), item(4, 'waiting', 1)],
    settled: false,
    ...but,
  }
}

const WAVES: Api['WavesView'] = {
  begun: 1,
  count: 2,
  may_go_on: false,
  stop_percent: 10,
  undo_until: '2999-01-01T00:00:00Z',
}

const has = (all: Api['ConversionView'][]) =>
  serve(({ method }) => [method === 'POST' ? 202 : 200, method === 'POST' ? all[0] : all])

describe('a conversion', () => {
  it('says how many of its rights are where, and how much was read back', async () => {
    has([conversion({ name: 'Cranes, spring' })])
    show(<Conversions may />)
    const said = (await screen.findByText('Cranes, spring,')).closest('li')?.textContent
    expect(said).toContain('2 taken away, 1 being taken away and 1 waiting for their wave')
    const bar = screen.getByRole('progressbar')
    expect([bar.getAttribute('aria-valuenow'), bar.getAttribute('aria-valuemax')]).toEqual(['2', '4'])
  })

  it('shows each right with its wave and what is in the way', async () => {
    has([conversion({ waves: WAVES, items: [{ ...item(1, 'taking'), trouble: 'the target can’t be reached' }] })])
    const user = userEvent.setup()
    show(<Conversions may={false} />)
    expect(screen.queryByText('crane-1')).toBeNull()
    await user.click(await screen.findByRole('button', { name: 'Right by right' }))
    const line = screen.getByText('crane-1').closest('li')?.textContent
    expect(line).toContain('wave 0')
    expect(line).toContain('the target can’t be reached')
  })

  it('goes on when a wave was read back whole, if whoever looks may have it go on', async () => {
    const all = has([conversion({ waves: { ...WAVES, may_go_on: true } })])
    const user = userEvent.setup()
    const { again } = show(<Conversions may={false} />)
    await screen.findByText(/Wave 1 of 2, read back whole/)
    expect(screen.queryByRole('button', { name: 'Begin wave 2' })).toBeNull()
    again(<Conversions may />)
    await user.click(screen.getByRole('button', { name: 'Begin wave 2' }))
    await waitFor(() => expect(all.map((one) => one.url)).toContain('/api/v1/conversions/C1/next'))
  })

  it('that stopped by itself says why, and does not go on', async () => {
    has([conversion({ waves: { ...WAVES, stopped: '2 of 3 can’t be taken away' } })])
    show(<Conversions may />)
    expect(await screen.findByText(/It stopped by itself: 2 of 3 can’t be taken away/)).toBeTruthy()
    expect(screen.queryByRole('button', { name: /Begin/ })).toBeNull()
  })
})

describe('undoing', () => {
  it('is said in full before it is done', async () => {
    const all = has([conversion()])
    const user = userEvent.setup()
    show(<Conversions may />)
    await user.click(await screen.findByRole('button', { name: 'Undo' }))
    expect(screen.getByRole('dialog').textContent).toContain('Puts 4 standing rights back on their systems')
    expect(all.some((one) => one.method === 'POST')).toBe(false)
    await user.click(screen.getByRole('button', { name: 'Undo it' }))
    await waitFor(() => expect(all.map((one) => one.url)).toContain('/api/v1/conversions/C1/undo'))
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
  })

  it.each<[string, Partial<Api['ConversionView']>, boolean]>([
    ['to whoever may not', {}, false],
    ['twice', { undone_at: '2026-11-20T13:00:00Z' }, true],
    ['after its time', { waves: { ...WAVES, undo_until: '2020-01-01T00:00:00Z' } }, true],
  ])('is not offered %s', async (_, but, may) => {
    has([conversion(but)])
    show(<Conversions may={may} />)
    await screen.findByText('C1')
    expect(screen.queryByRole('button', { name: 'Undo' })).toBeNull()
  })
})

it('where there is none yet it is said how one begins', async () => {
  has([])
  show(<Conversions may />)
  expect(await screen.findByText(/Nothing was converted yet/)).toBeTruthy()
})
