// What is offered to do about an elevation: what its state and whoever looks at it allow, and nothing else.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { elevation, EXTENSION } from '../../testing/views'
import { Acts } from './Acts'
import { Reach } from './Reach'

const offered = () =>
  [...screen.queryAllByRole('button'), ...screen.queryAllByRole('link')].map((one) => one.textContent)

describe('acts', () => {
  it.each<[string, Partial<Api['ElevationView']>, string[]]>([
    ['its holder, while it waits', { mine: true, state: 'waiting' }, ['Withdraw']],
    ['its holder, when it is ready', { mine: true, state: 'ready' }, ['Begin', 'Withdraw']],
    ['its holder, while it is live', { mine: true, state: 'live', may_revoke: true }, ['Give back now']],
    [
      'its holder, where the terms let it go on',
      { mine: true, state: 'live', may_extend: true, grace: 600 },
      ['Give back now', 'Extend', 'Take 10 min of grace'],
    ],
    [
      'its holder, while going on waits',
      { mine: true, state: 'live', extension: EXTENSION },
      ['Give back now', 'Withdraw the ask to go on'],
    ],
    ['its holder, while it ends', { mine: true, state: 'closing' }, []],
    ['an approver, while it waits', { for_me: true, state: 'waiting', may_revoke: true }, ['Revoke', 'Answer it']],
    ['an administrator, while it is live', { may_revoke: true }, ['Revoke']],
    ['anybody else', {}, []],
    ['everybody, once it is over', { mine: true, state: 'lapsed' }, []],
  ])('of %s', (_, but, acts) => {
    show(<Acts one={elevation(but)} />)
    expect(offered()).toEqual(acts)
  })

  it('that end something for somebody else need a word for them', async () => {
    const asked = serve((_, n) =>
      n === 0 ? [409, { code: 'conflict', detail: 'E1042 is lapsed already' }] : [200, {}],
    )
    const user = userEvent.setup()
    show(<Acts one={elevation({ may_revoke: true })} />)
    await user.click(screen.getByRole('button', { name: 'Revoke' }))
    const revoke = screen.getByRole<HTMLButtonElement>('button', { name: 'Revoke it' })
    expect(revoke.disabled).toBe(true)
    await user.type(screen.getByLabelText('Why, for tomas.reyes to read'), '  ')
    expect(revoke.disabled).toBe(true)
    await user.type(screen.getByLabelText('Why, for tomas.reyes to read'), 'the audit')
    await user.click(revoke)
    expect((await screen.findByRole('alert')).textContent).toBe('E1042 is lapsed already.')
    await user.click(revoke)
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(asked.map((one) => [one.method, one.url])).toEqual([
      ['POST', '/api/v1/elevations/E1042/revoke'],
      ['POST', '/api/v1/elevations/E1042/revoke'],
    ])
    expect((asked[1]?.body as { word: string }).word.trim()).toBe('the audit')
  })
})

describe('a way in', () => {
  it('with a password shows that only when it is asked for', async () => {
    const login = {
      says: 'sign in with this',
      replaced: true,
      user: 'tpabc',
      password: 's3cret',
      host: 'db',
      port: 5432,
      database: 'x',
    }
    serve(() => [200, login])
    const user = userEvent.setup()
    show(<Reach id="E1042" host={false} />)
    expect(document.body.textContent).not.toContain('tpabc')
    await user.click(screen.getByRole('button', { name: 'Show me how' }))
    await screen.findByText('Sign in with this.')
    expect(document.body.textContent).not.toContain('s3cret')
    expect(screen.getByText(/that one is void from now on/)).toBeTruthy()
    expect(screen.getByText('psql "host=db port=5432 dbname=x user=tpabc"')).toBeTruthy()
  })

  it('to a host is made for a key of one’s own', async () => {
    const asked = serve(() => [
      200,
      { says: 'keep it', replaced: false, user: 'tomas', certificate: 'ssh-cert AA', host: 'crane', port: 22 },
    ])
    const user = userEvent.setup()
    show(<Reach id="E1042" host />)
    const how = screen.getByRole<HTMLButtonElement>('button', { name: 'Show me how' })
    expect(how.disabled).toBe(true)
    await user.type(screen.getByLabelText('Your public key'), 'ssh-ed25519 AAAA')
    await user.click(how)
    expect(await screen.findByText('ssh -p 22 tomas@crane')).toBeTruthy()
    expect(asked[0]?.body).toEqual({ public_key: 'ssh-ed25519 AAAA' })
  })
})
