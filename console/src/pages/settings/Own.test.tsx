// One's own passkeys and sign-ins.

import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { me } from '../../testing/views'
import { Own } from './Own'

const AT = '2026-11-20T12:00:00Z'
const signedIn = (id: number, kind: string, this_one = false) => ({
  id,
  kind,
  this_one,
  address: `192.0.2.${id}`,
  began_at: AT,
  used_at: AT,
})

let passkeys: unknown[]
let asked: ReturnType<typeof serve>
beforeEach(() => {
  passkeys = [{ id: 'k1', name: 'the laptop', added_at: AT, used_at: null }]
  asked = serve(({ url, method }) => {
    if (method === 'DELETE') return url.endsWith('/3') ? [409, { code: 'conflict', detail: 'it is over' }] : [204, '']
    if (url === '/api/v1/passkeys') return [200, passkeys]
    return [200, [signedIn(1, 'browser', true), signedIn(2, 'device'), signedIn(3, 'password')]]
  })
})

const line = (words: RegExp) =>
  screen.getAllByRole('listitem').find((one) => words.test(one.textContent)) as HTMLElement
const gone = () => asked.filter((one) => one.method === 'DELETE').map((one) => one.url)

describe('passkeys', () => {
  it('are named with their use, and dropped one by one', async () => {
    const user = userEvent.setup()
    show(<Own me={me()} />)
    expect((await screen.findByText('the laptop')).closest('li')?.textContent).toContain('not used yet')
    await user.click(screen.getByRole('button', { name: 'Drop' }))
    await waitFor(() => expect(gone()).toEqual(['/api/v1/passkeys/k1']))
  })

  it('are explained where there is none, and the browser is said to have none', async () => {
    passkeys = []
    show(<Own me={me()} />)
    expect(await screen.findByText(/^You have none/)).toBeTruthy()
    expect(screen.getByText(/This browser offers none here/)).toBeTruthy()
    expect(screen.queryByRole('button', { name: 'Add a passkey' })).toBeNull()
  })

  it('are added where the browser can', async () => {
    vi.stubGlobal('PublicKeyCredential', class {})
    vi.stubGlobal('isSecureContext', true)
    show(<Own me={me()} />)
    expect(await screen.findByRole('button', { name: 'Add a passkey' })).toBeTruthy()
    vi.unstubAllGlobals()
  })
})

describe('sign-ins', () => {
  it('say what they are of, and any but this one can be ended', async () => {
    const user = userEvent.setup()
    show(<Own me={me()} />)
    await screen.findByText(/A console/)
    expect(within(line(/A console/)).queryByRole('button')).toBeNull()
    expect(line(/A console/).textContent).toContain('(this one)')
    expect(line(/by password/).textContent).toContain('A program, by password')
    await user.click(within(line(/let in by a code/)).getByRole('button', { name: 'End it' }))
    await waitFor(() => expect(gone()).toEqual(['/api/v1/sign-ins/2']))
  })

  it('that can’t be ended say why', async () => {
    const user = userEvent.setup()
    show(<Own me={me()} />)
    await screen.findByText(/A console/)
    await user.click(within(line(/by password/)).getByRole('button', { name: 'End it' }))
    expect((await screen.findByRole('alert')).textContent).toBe('It is over.')
  })
})
