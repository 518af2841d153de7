// Systems: how each stands, a survey now, its settings, and letting it go.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { target } from '../../testing/views'
import { ChangeSystem, LetGo } from './ChangeSystem'
import { Systems } from './Systems'

const FOUND = { target: '/harbour/pier', appeared: 2, vanished: 0, changed: 1, standing: 5, held: null }

const port = (one: Partial<Api['TargetView']> = {}, survey: [number, unknown] = [200, FOUND]) =>
  serve(({ url }) => {
    if (url === '/api/v1/targets') return [200, [target(one)]]
    if (url === '/api/v1/authorities') return [200, { stage: 'steady', says: '', people: [], orders: [], hosts: [] }]
    return survey
  })

describe('a system', () => {
  it('says where it is, what stands on it, and what it was last found like', async () => {
    port({
      standing: 1,
      live: 2,
      labels: { stage: 'production' },
      attributes: { env: 'test' },
      last_survey: { at: '2026-11-20T12:00:00Z', took_ms: 1240, says: '2 new, 0 gone, 1 changed' },
    })
    show(<Systems />)
    const said = (await screen.findByText('/harbour/pier')).closest('li')?.textContent ?? ''
    expect(said).toContain('1 standing right, 2 live; answered')
    expect(said).toContain('an end is an alarm after 1 min')
    expect(said).toContain('1.2 s: 2 new, 0 gone, 1 changed.')
    expect(said).toContain('stage=production')
    expect(said).toContain('env: test')
  })

  it('is surveyed now, and says what that found', async () => {
    const asked = port()
    const user = userEvent.setup()
    show(<Systems />)
    await user.click(await screen.findByRole('button', { name: 'Survey now' }))
    expect(await screen.findByText('Surveyed: 2 new, 0 gone, 1 changed; 5 now.')).toBeTruthy()
    expect(asked.find((one) => one.method === 'POST')).toMatchObject({
      url: '/api/v1/targets/survey',
      body: { target: '/harbour/pier' },
    })
  })

  it('whose survey would change too much waits for a person', async () => {
    const asked = port({ held: true })
    const user = userEvent.setup()
    show(<Systems />)
    await user.click(await screen.findByRole('button', { name: 'Take it in' }))
    await waitFor(() => expect(asked.map((one) => one.url)).toContain('/api/v1/targets/accept'))
  })

  it('names the emergency holders that it has sealed, and takes down that one was tried', async () => {
    const seals = [
      { account: 'pier-seal', due: '2026-11-21T12:00:00Z', tried_at: null, tried_by: null },
      { account: 'pier-root', due: '2099-01-01T12:00:00Z', tried_at: '2026-11-20T12:00:00Z', tried_by: 'mara' },
    ]
    const asked = port({ seals }, [200, {}])
    const user = userEvent.setup()
    show(<Systems />)
    const rows = (await screen.findByRole('list', { name: 'Sealed on /harbour/pier' })).children
    expect(rows[0]?.textContent).toContain('pier-seal, sealed: never tried; to be tried by')
    expect(rows[1]?.textContent).toMatch(/pier-root, sealed: tried .* \(says mara\); to be tried by/)
    await user.click(screen.getAllByRole('button', { name: 'It was tried' })[0] as HTMLElement)
    await waitFor(() =>
      expect(asked.find((one) => one.method === 'POST')).toMatchObject({
        url: '/api/v1/targets/seals/tried',
        body: { target: '/harbour/pier', account: 'pier-seal', next: null },
      }),
    )
  })

  it('that is in trouble says so, and a survey that fails says why', async () => {
    port({ trouble: 'the target can’t be reached (no connection)' }, [502, { code: 'target', detail: 'no connection' }])
    const user = userEvent.setup()
    show(<Systems />)
    expect(await screen.findByText(/can’t be reached/)).toBeTruthy()
    await user.click(screen.getByRole('button', { name: 'Survey now' }))
    expect(await screen.findByText('No connection.')).toBeTruthy()
  })
})

it('where there is none yet it is said what connecting does', async () => {
  serve(({ url }) => [200, url === '/api/v1/authorities' ? { stage: 'steady', people: [], orders: [], hosts: [] } : []])
  show(<Systems />)
  expect(await screen.findByText(/it is only read until you convert something/)).toBeTruthy()
})

describe('settings', () => {
  const open = (one: Partial<Api['TargetView']> = {}) => {
    const asked = serve(({ url }) =>
      url === '/api/v1/targets' ? [200, [target(one), target({ path: '/harbour/host' })]] : [200, {}],
    )
    const done = vi.fn()
    show(<ChangeSystem target={target(one)} done={done} />)
    const sent = () => asked.filter((one) => one.method === 'PATCH')
    return { done, sent, user: userEvent.setup() }
  }

  it('are sent against what was looked at; what is left out stays', async () => {
    const { done, sent, user } = open({ labels: { quay: 'north' } })
    await user.clear(screen.getByLabelText(/^An end is an alarm after/))
    await user.type(screen.getByLabelText(/^An end is an alarm after/), '90')
    await user.selectOptions(
      screen.getByLabelText(/^Runs on/),
      await screen.findByRole('option', { name: '/harbour/host' }),
    )
    await user.click(screen.getByRole('button', { name: 'Save' }))
    await waitFor(() => expect(done).toHaveBeenCalled())
    expect(sent()[0]?.headers['if-match']).toBe('"t1"')
    expect(sent()[0]?.body).toEqual({
      target: '/harbour/pier',
      emergency_least: 1,
      alarm_after: 90,
      secret: null,
      runs_on: '/harbour/host',
      own_login: null,
      labels: { quay: 'north' },
    })
  })

  it('can’t be saved with labels that are none', async () => {
    const { user } = open()
    const save = screen.getByRole<HTMLButtonElement>('button', { name: 'Save' })
    await user.type(screen.getByLabelText(/^Labels/), 'production')
    expect(save.disabled).toBe(true)
    await user.type(screen.getByLabelText(/^Labels/), '=yes')
    expect(save.disabled).toBe(false)
  })

  it('of a host know no secret, and no other kind of login', () => {
    open({ connector: { kind: 'linux', host: '192.0.2.9', port: 22, user: 'tempestas', host_key: 'ssh-ed25519 A' } })
    expect(screen.queryByLabelText(/password/)).toBeNull()
    expect(screen.queryByLabelText(/^Grants go on/)).toBeNull()
  })

  it('say with what a grant is held where there is a choice', async () => {
    const { sent, user } = open()
    await user.selectOptions(screen.getByLabelText(/^Grants go on/), 'true')
    await user.click(screen.getByRole('button', { name: 'Save' }))
    await waitFor(() => expect(sent()).toHaveLength(1))
    expect(sent()[0]?.body).toMatchObject({ own_login: true })
  })
})

describe('letting go', () => {
  it('says what becomes of what is there, and wants a reason', async () => {
    const asked = serve(() => [409, { code: 'conflict', detail: 'not over yet there: E1042; end that first' }])
    const user = userEvent.setup()
    show(<LetGo target={target({ standing: 7 })} />)
    expect(screen.getByText(/its 7 standing rights are seen no more/)).toBeTruthy()
    const button = screen.getByRole<HTMLButtonElement>('button', { name: 'Let it go' })
    expect(button.disabled).toBe(true)
    await user.type(screen.getByLabelText('Why'), 'sold with the tug')
    await user.click(button)
    expect((await screen.findByRole('alert')).textContent).toContain('E1042')
    expect(asked[0]?.body).toEqual({ target: '/harbour/pier', reason: 'sold with the tug' })
  })
})
