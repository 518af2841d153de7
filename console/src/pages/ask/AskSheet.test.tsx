// An ask: what the terms leave open is asked for, what they demand is there before it is sent, and what was looked at is said.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { NOTHING } from '../../parts/Brings'
import { address, show } from '../../testing/page'
import { type Asked, serve } from '../../testing/replies'
import { demand, elevation, stage, WANTS } from '../../testing/views'
import { AskSheet } from './AskSheet'

const GLASS = { glass: true, digest: 'broken', wants: { ...WANTS, reason: { is: 'required' as const, at_least: 10 } } }

/** A service with these terms; what was asked of it last. */
function terms(but: Partial<Api['DemandView']>) {
  const all = serve(({ url, body }) => {
    if (url === '/api/v1/me')
      return [200, { name: 'tomas.reyes', now: new Date().toISOString(), proof: null, duties: [] }]
    const { right, duration, glass } = body as { right: string; duration: number | null; glass: boolean }
    if (url === '/api/v1/asks/preview')
      return [200, demand({ right, duration: duration ?? 3600, digest: `d-${right}`, ...(glass ? GLASS : but) })]
    return [200, elevation({ id: 'E1043' })]
  })
  const asks = (): Asked[] => all.filter((one) => one.url === '/api/v1/asks')
  return { asks }
}

async function opened(last?: Api['ElevationView'], mayBreakGlass = false) {
  show(<AskSheet right="root@pier" last={last} mayBreakGlass={mayBreakGlass} onClose={() => undefined} />)
  await screen.findByText(/To hold root@pier/)
  return userEvent.setup()
}

const send = () => screen.getByRole<HTMLButtonElement>('button', { name: /^Ask for/ })

describe('an ask', () => {
  it('of which nothing is demanded says what was looked at, and leads to what came of it', async () => {
    const { asks } = terms({})
    const user = await opened()
    expect(screen.queryByLabelText(/Reason/)).toBeNull()
    expect(screen.queryByLabelText(/Ticket/)).toBeNull()
    await user.click(send())
    await waitFor(() => expect(address()).toBe('/elevation/E1043'))
    expect(asks().map((one) => one.body)).toEqual([
      {
        right: 'root@pier',
        duration: null,
        start: { start: 'at-yes' },
        glass: false,
        brings: { purpose: null, reason: null, ticket: null, references: {} },
        shown: 'd-root@pier',
      },
    ])
  })

  it('shows values in the demand as values', async () => {
    terms({ sentence: 'To hold root@pier with the account `t.reyes` you need a proof.' })
    await opened()
    expect(screen.getByText('t.reyes').tagName).toBe('CODE')
  })

  it('can’t be sent before what is demanded is there, and says what is missing', async () => {
    const { asks } = terms({
      wants: {
        ...WANTS,
        reason: { is: 'required', at_least: 10 },
        ticket: { is: 'required', pattern: 'OPS-[0-9]+' },
      },
    })
    const user = await opened()
    expect(send().disabled).toBe(true)
    expect(screen.getByText('Still needs a reason and a ticket.')).toBeTruthy()
    await user.type(screen.getByLabelText('Reason'), 'crane')
    expect(screen.getByText('Still needs a reason of 10 letters (5 so far) and a ticket.')).toBeTruthy()
    await user.type(screen.getByLabelText('Reason'), ' of quay 4')
    expect(send().disabled).toBe(true)
    await user.type(screen.getByLabelText('Ticket'), 'OPS-12')
    expect(screen.getByText('You will be asked for a fresh proof.')).toBeTruthy()
    await user.click(send())
    await waitFor(() => expect(asks()).toHaveLength(1))
    expect(asks()[0]?.body).toMatchObject({ brings: { reason: 'crane of quay 4', ticket: 'OPS-12' } })
  })

  it('says by which proof, where not every one will do', async () => {
    terms({ proof_accepts: ['passkey'] })
    await opened()
    expect(screen.getByText('You will be asked for a passkey.')).toBeTruthy()
  })

  it('names one of the purposes, and further references in their forms', async () => {
    const { asks } = terms({
      wants: {
        ...WANTS,
        purposes: ['patching', 'an incident'],
        references: { visit: { is: 'required', pattern: 'V-[0-9]+' }, order: { is: 'optional', pattern: null } },
      },
    })
    const user = await opened()
    expect(screen.getByText('Still needs a purpose and a visit.')).toBeTruthy()
    expect(screen.getByText('of the form V-[0-9]+')).toBeTruthy()
    await user.selectOptions(screen.getByLabelText('Purpose'), 'an incident')
    await user.type(screen.getByLabelText('Visit'), 'V-2031')
    expect(screen.getByLabelText('Order, if you have one')).toBeTruthy()
    await user.click(send())
    await waitFor(() => expect(asks()).toHaveLength(1))
    expect(asks()[0]?.body).toMatchObject({
      brings: { purpose: 'an incident', references: { visit: 'V-2031' }, ticket: null, reason: null },
    })
  })

  it('counts letters and digits of a reason alone, as the service does', async () => {
    terms({ wants: { ...WANTS, reason: { is: 'required', at_least: 4 } } })
    const user = await opened()
    await user.type(screen.getByLabelText('Reason'), '…  ok 7 !!')
    expect(screen.getByText('Still needs a reason of 4 letters (3 so far).')).toBeTruthy()
  })

  it('for less goes by the part that was chosen, looked at anew', async () => {
    const { asks } = terms({ narrower: ['pier/mooring-1'] })
    const user = await opened()
    await user.selectOptions(await screen.findByLabelText(/ask for less/), 'pier/mooring-1')
    await waitFor(() => expect(screen.getByRole('heading').textContent).toBe('root@pier/mooring-1'))
    await user.click(send())
    await waitFor(() => expect(asks()).toHaveLength(1))
    expect(asks()[0]?.body).toMatchObject({ right: 'root@pier/mooring-1', shown: 'd-root@pier/mooring-1' })
  })

  it('starts only in ways that the terms allow', async () => {
    const { asks } = terms({
      starts: { at_yes: false, at_time_within: 86400, begin_within: 3600 },
      stages: [stage('mara')],
    })
    const user = await opened()
    const ways = screen.getByLabelText('The time runs')
    expect([...ways.children].map((way) => way.textContent)).toEqual(['when I begin', 'at a set time'])
    await user.selectOptions(ways, 'at')
    expect(screen.getByLabelText<HTMLInputElement>('From').value).toMatch(/^\d{4}-\d\d-\d\dT\d\d:\d\d$/)
    await user.click(send())
    await waitFor(() => expect(asks()).toHaveLength(1))
    const { start } = asks()[0]?.body as { start: { start: string; time: string } }
    expect(start.start).toBe('at')
    const ahead = (new Date(start.time).getTime() - Date.now()) / 60_000
    expect(ahead).toBeGreaterThan(58)
    expect(ahead).toBeLessThan(61)
  })

  it('as last time takes over what was said then, but not what isn’t asked for any more', async () => {
    const { asks } = terms({ wants: { ...WANTS, reason: { is: 'optional' } } })
    const user = await opened(
      elevation({ duration: 1800, brought: { ...NOTHING, reason: 'the crane again', ticket: 'OPS-9' } }),
    )
    await user.click(screen.getByRole('button', { name: 'As last time' }))
    await waitFor(() => expect(send().textContent).toBe('Ask for 30 min'))
    await user.click(send())
    await waitFor(() => expect(asks()).toHaveLength(1))
    expect(asks()[0]?.body).toMatchObject({
      duration: 1800,
      brings: { reason: 'the crane again', ticket: null },
    })
  })

  it('goes past approval for one of the few, at once, with what that demands', async () => {
    const { asks } = terms({
      stages: [stage('mara')],
      starts: { at_yes: false, at_time_within: null, begin_within: 3600 },
    })
    const user = await opened(undefined, true)
    await user.click(screen.getByRole('button', { name: 'Break the glass …' }))
    expect(screen.getByText(/It is an alarm, and somebody else looks at what you did/)).toBeTruthy()
    const send = await screen.findByRole<HTMLButtonElement>('button', { name: 'Break the glass for 1 h' })
    expect(send.disabled).toBe(true)
    await user.type(screen.getByLabelText('Reason'), 'the crane is falling')
    await user.click(send)
    await waitFor(() => expect(asks()).toHaveLength(1))
    expect(asks()[0]?.body).toMatchObject({ glass: true, start: { start: 'at-yes' }, shown: 'broken' })
  })

  it('goes back to asking where the glass is left whole', async () => {
    const { asks } = terms({ stages: [stage('mara')] })
    const user = await opened(undefined, true)
    await user.click(screen.getByRole('button', { name: 'Break the glass …' }))
    await screen.findByRole('button', { name: 'Break the glass for 1 h' })
    await user.click(screen.getByRole('button', { name: 'Ask instead' }))
    await user.click(await screen.findByRole('button', { name: 'Ask for 1 h' }))
    await waitFor(() => expect(asks()).toHaveLength(1))
    expect(asks()[0]?.body).toMatchObject({ glass: false, shown: 'd-root@pier' })
  })

  it('offers nobody else to go past approval', async () => {
    terms({})
    await opened()
    expect(screen.queryByRole('button', { name: /Break the glass/ })).toBeNull()
  })

  it('as last time asks for what was left of it then, in the same way', async () => {
    const { asks } = terms({
      narrower: ['pier/mooring-1'],
      starts: { at_yes: true, at_time_within: null, begin_within: 3600 },
    })
    const user = await opened(
      elevation({ right: 'root@pier/mooring-1', duration: 900, start: { start: 'on-begin' }, brought: NOTHING }),
    )
    await screen.findByLabelText(/ask for less/)
    await user.click(screen.getByRole('button', { name: 'As last time' }))
    await waitFor(() => expect(screen.getByRole('heading').textContent).toBe('root@pier/mooring-1'))
    await waitFor(() => expect(send().textContent).toBe('Ask for 15 min'))
    await user.click(send())
    await waitFor(() => expect(asks()).toHaveLength(1))
    expect(asks()[0]?.body).toMatchObject({ right: 'root@pier/mooring-1', duration: 900, start: { start: 'on-begin' } })
  })

  it('says who will answer and how it will end, in the order in which that happens', async () => {
    terms({ stages: [stage('mara', 'oda', 'piet', 'jan'), stage('ines')] })
    await opened()
    const course = screen.getByRole('list', { name: 'What will happen when' })
    expect([...course.children].map((one) => one.textContent)).toEqual([
      'now you ask',
      'then mara or oda or 2 more answers',
      'then ines answers',
      'at the last yes given, and read back on the system',
      '1 h later the system itself ends it',
    ])
  })
})
