// Stopping: reaches what was chosen, says what that ended, and is lifted by another than who asked for it first.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../api/call'
import { show } from '../testing/page'
import { serve } from '../testing/replies'
import { me } from '../testing/views'
import { StopBanner, StopDialog } from './Stop'

const MARA = me({
  name: 'mara.lindqvist',
  administers_all: true,
  duties: [{ id: 'D1', who: 'mara.lindqvist', duty: 'administrator', scope: '/' }] as unknown as Api['DutyView'][],
})

function stop(but: Partial<Api['StopView']> = {}): Api['StopView'] {
  return {
    id: 'S1',
    at: '2026-11-20T12:00:00Z',
    by: 'mara.lindqvist',
    what: 'everything',
    reach: 'everything',
    word: 'somebody is in the crane network',
    ended: [],
    closing: 0,
    ...but,
  }
}

/** A service with somebody and a scope, that stops what it is told to. */
const port = (done: Partial<Api['StopView']> = {}) =>
  serve(({ url, method }) => {
    if (url === '/api/v1/people')
      return [200, [{ id: 'P2', kind: 'person', name: 'tomas.reyes', about: 'Tomas Reyes' }]]
    if (url === '/api/v1/estate') return [200, [{ path: '/harbour', kind: 'folder' }]]
    return [method === 'POST' ? 201 : 200, stop(done)]
  })

const sent = (all: ReturnType<typeof port>) => all.filter((one) => one.method === 'POST').map((one) => one.body)

describe('stopping', () => {
  it('everything needs a word alone, and says what it ended', async () => {
    const all = port({ ended: ['E1042', 'E1043'] })
    const user = userEvent.setup()
    show(<StopDialog open onClose={() => undefined} me={MARA} />)
    const button = screen.getByRole<HTMLButtonElement>('button', { name: 'Stop everything now' })
    expect(button.disabled).toBe(true)
    await user.type(screen.getByLabelText('Why, for those it reaches to read'), 'an intruder')
    await user.click(button)
    expect(await screen.findByText('2 elevations ended. New asks are barred from now on.')).toBeTruthy()
    expect(screen.getByRole('link', { name: 'E1043' }).getAttribute('href')).toBe('/elevation/E1043')
    expect(sent(all)).toEqual([{ word: 'an intruder', scope: '/' }])
  })

  it('one person needs a name', async () => {
    const all = port()
    const user = userEvent.setup()
    show(<StopDialog open onClose={() => undefined} me={MARA} start={{ reach: 'person', name: '' }} />)
    await user.type(screen.getByLabelText('Why, for those it reaches to read'), 'lost a laptop')
    expect(screen.getByRole<HTMLButtonElement>('button', { name: 'Stop … now' }).disabled).toBe(true)
    await user.type(screen.getByLabelText(/^Whom/), 'tomas.reyes')
    await user.click(screen.getByRole('button', { name: 'Stop tomas.reyes now' }))
    expect(await screen.findByText('Nothing was live or waiting there. New asks are barred from now on.')).toBeTruthy()
    expect(sent(all)).toEqual([{ word: 'lost a laptop', person: 'tomas.reyes' }])
  })

  it('is offered for a scope alone to whoever administers a part', async () => {
    const all = port()
    const user = userEvent.setup()
    show(<StopDialog open onClose={() => undefined} me={me({ administers_all: false })} />)
    expect(
      screen
        .getAllByRole('option')
        .filter((one) => one.closest('select'))
        .map((one) => one.textContent),
    ).toEqual(['A scope and all below'])
    await user.type(screen.getByLabelText(/^Which scope/), '/harbour')
    await user.type(screen.getByLabelText('Why, for those it reaches to read'), 'works')
    await user.click(screen.getByRole('button', { name: 'Stop /harbour now' }))
    await waitFor(() => expect(sent(all)).toEqual([{ word: 'works', scope: '/harbour' }]))
  })
})

describe('what is stopped', () => {
  it('is said on every page, with what has yet to be read back', () => {
    show(<StopBanner me={me({ stops: [stop({ closing: 3 })] })} />)
    const said = screen.getByRole('region', { name: 'Stopped' }).textContent
    expect(said).toContain('Stopped: everything.')
    expect(said).toContain('somebody is in the crane network')
    expect(said).toContain('3 grants not read back as gone yet')
    expect(screen.queryByRole('button')).toBeNull()
  })

  it('is lifted by two: whoever asked for it first can’t agree with themselves', async () => {
    const all = port()
    const user = userEvent.setup()
    const { again } = show(<StopBanner me={{ ...MARA, stops: [stop({ lift_by: 'mara.lindqvist' })] }} />)
    expect(screen.queryByRole('button')).toBeNull()
    again(<StopBanner me={{ ...MARA, stops: [stop({ lift_by: 'oda.brandt' })] }} />)
    await user.click(screen.getByRole('button', { name: 'Agree, and lift it' }))
    await waitFor(() => expect(all.map((one) => one.url)).toContain('/api/v1/stops/S1/lift'))
  })
})
