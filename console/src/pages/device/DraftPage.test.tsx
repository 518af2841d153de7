// What a program drafted: said in words before anything of it is done, and done exactly as it was shown.

import { render, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { QueryClientProvider } from '@tanstack/react-query'
import { MemoryRouter, Route, Routes } from 'react-router'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { queries } from '../../parts/data'
import '../../testing/page'
import { serve } from '../../testing/replies'
import { demand, elevation } from '../../testing/views'
import DraftPage from './DraftPage'

type Draft = Api['DraftView']

/** The page of a draft; a service that has it, and does what is confirmed. */
function drafted(but: Partial<Draft>, done: unknown = { id: 'E1043' }) {
  const draft = {
    id: 5,
    method: 'POST',
    path: '/api/v1/asks',
    body: {},
    digest: 'd5',
    drawn_at: '2026-11-20T12:00:00Z',
    state: 'open',
    ...but,
  }
  const asked = serve(({ url }) => {
    if (url === '/api/v1/drafts/5') return [200, draft]
    if (url.endsWith('/confirm')) return [200, done]
    if (url === '/api/v1/asks/preview') return [200, demand()]
    return [200, elevation()]
  })
  render(
    <QueryClientProvider client={queries}>
      <MemoryRouter initialEntries={['/draft/5']}>
        <Routes>
          <Route path="/draft/:id" element={<DraftPage />} />
          <Route path="/elevation/:id" element={<p>the elevation’s page</p>} />
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  )
  return asked
}

describe('a draft', () => {
  it.each<[string, Partial<Draft>, string]>([
    [
      'of an ask',
      { body: { right: 'root@/harbour/pier', duration: 1800, brings: { reason: 'the crane' } } },
      'Ask for root@/harbour/pier for 30 min: “the crane”.',
    ],
    [
      'that breaks the glass',
      { body: { right: 'root@/harbour/pier', duration: 600, glass: true, brings: { reason: 'fire' } } },
      'Break the glass and hold root@/harbour/pier for 10 min: “fire”.',
    ],
    [
      'of a debrief',
      { path: '/api/v1/elevations/E1042/debrief', body: { finding: 'not-in-order', word: 'a key was left' } },
      'Sign off what was done under E1042 as not in order: “a key was left”.',
    ],
    [
      'of an ask for the usual time',
      { body: { right: 'root@/harbour/pier' } },
      'Ask for root@/harbour/pier for the usual time.',
    ],
    [
      'of an answer',
      { path: '/api/v1/elevations/E1042/answer', body: { verdict: 'no', reason: 'not now' } },
      'Answer no to E1042: “not now”.',
    ],
    ['of giving back', { path: '/api/v1/elevations/E1042/give-back', body: null }, 'Give back E1042.'],
    [
      'of revoking',
      { path: '/api/v1/elevations/E1042/revoke', body: { word: 'the audit' } },
      'Revoke E1042: “the audit”.',
    ],
    [
      'of stopping everything',
      { path: '/api/v1/stops', body: { scope: '/', word: 'an intruder' } },
      'Stop everything: “an intruder”.',
    ],
    [
      'of stopping somebody',
      { path: '/api/v1/stops', body: { person: 'oda.brandt', word: 'x' } },
      'Stop oda.brandt: “x”.',
    ],
    ['of lifting a stop', { path: '/api/v1/stops/S3/lift', body: null }, 'Lift the stop S3.'],
    ['of converting', { path: '/api/v1/conversions', body: { chosen: ['H1', 'H2'] } }, 'Convert H1, H2.'],
    ['of what has no sentence', { method: 'PUT', path: '/api/v1/terms/T4', body: {} }, 'PUT /terms/T4'],
  ])('%s is said in words', async (_, but, words) => {
    drafted(but)
    await screen.findByText('A program drafted this for you. Nothing is done yet.')
    expect(screen.getAllByText((_, element) => element?.tagName === 'P' && element.textContent === words)).toHaveLength(
      1,
    )
  })

  it('stands there to its last letter, so that no sentence hides what it does', async () => {
    drafted({ body: { right: 'root@/harbour/pier', duration: 1800, brings: { ticket: 'OPS-1' } } })
    expect((await screen.findByText(/"ticket": "OPS-1"/)).textContent).toContain('POST /api/v1/asks')
  })

  it('that is confirmed is confirmed as it was shown, and leads to what was made', async () => {
    const asked = drafted({ body: { right: 'root@/harbour/pier' } })
    const user = userEvent.setup()
    await user.click(await screen.findByRole('button', { name: 'Do it, as mine' }))
    expect(await screen.findByText('the elevation’s page')).toBeTruthy()
    const confirmed = asked.filter((one) => one.url.endsWith('/confirm'))
    expect(confirmed.map((one) => one.body)).toEqual([{ shown: 'd5' }])
  })

  it('is dropped without being done', async () => {
    const asked = drafted({})
    const user = userEvent.setup()
    await user.click(await screen.findByRole('button', { name: 'Drop it' }))
    await waitFor(() => expect(asked.map((one) => one.url)).toContain('/api/v1/drafts/5/drop'))
    expect(asked.some((one) => one.url.endsWith('/confirm'))).toBe(false)
  })

  it.each(['confirmed', 'dropped'])('that was %s offers nothing more', async (state) => {
    drafted({ state })
    await screen.findByText(`This draft was ${state}.`)
    expect(screen.queryByRole('button', { name: 'Do it, as mine' })).toBeNull()
    expect(screen.queryByRole('button', { name: 'Drop it' })).toBeNull()
  })
})
