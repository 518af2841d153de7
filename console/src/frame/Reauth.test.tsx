// A fresh proof or a new sign-in in the middle of something: what was being done goes on, or stays undone.

import { fireEvent, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import { post } from '../api/call'
import { Button } from '../parts/buttons'
import { Wrong } from '../parts/shown'
import { useAction } from '../parts/data'
import type { Me } from '../parts/me'
import { show } from '../testing/page'
import { serve } from '../testing/replies'
import { Reauth } from './Reauth'

const ME = { name: 'mara', has_passkey: false, duties: [] } as unknown as Me

function Begin() {
  const begin = useAction(() => post('/api/v1/elevations/{id}/begin', undefined, { id: 'E1042' }))
  return (
    <>
      <Button onClick={() => begin.mutate()}>Begin</Button>
      {begin.isSuccess && <p>begun</p>}
      <Wrong error={begin.error} />
    </>
  )
}

const opened = () => {
  show(
    <Reauth me={ME}>
      <Begin />
      <Begin />
    </Reauth>,
  )
  return userEvent.setup()
}

/** A service that wants a proof first, which the code 123456 gives. */
function wantsProof() {
  let proven = false
  return serve(({ url, body }) => {
    if (url === '/api/v1/me/proof') {
      proven = (body as { code: string }).code === '123456'
      return proven ? [200, {}] : [403, { code: 'proof', detail: 'that code is not right' }]
    }
    return proven ? [200, { id: 'E1042' }] : [403, { code: 'step-up', detail: 'prove it', max_age: 300 }]
  })
}

describe('a fresh proof', () => {
  it('is asked for only in the ways that are accepted, and says where there is none', async () => {
    serve(() => [401, { code: 'step-up', detail: 'prove it', max_age: 300, accepts: ['passkey'] }])
    const user = opened()
    await user.click(screen.getAllByRole('button', { name: 'Begin' })[0]!)
    expect(await screen.findByText(/This needs a passkey no older than 5 min/)).toBeTruthy()
    expect(screen.getByText(/You have no passkey yet/)).toBeTruthy()
    expect(screen.queryByLabelText('Code from your authenticator')).toBeNull()
  })

  it('is a code alone, where nothing else is accepted', async () => {
    serve(() => [401, { code: 'step-up', detail: 'prove it', max_age: 300, accepts: ['totp-code'] }])
    const user = opened()
    await user.click(screen.getAllByRole('button', { name: 'Begin' })[0]!)
    expect(await screen.findByText(/This needs a TOTP code no older than 5 min/)).toBeTruthy()
    expect(screen.getByLabelText('Code from your authenticator')).toBeTruthy()
    expect(screen.queryByRole('button', { name: 'Use your passkey' })).toBeNull()
  })

  it('is asked for once for all that waits for it, and then it goes on', async () => {
    const asked = wantsProof()
    const user = opened()
    // Both at once: once the dialog is open, nothing behind it can be pressed.
    for (const button of screen.getAllByRole('button', { name: 'Begin' })) fireEvent.click(button)
    expect(await screen.findByText(/a passkey or TOTP code no older than 5 min/)).toBeTruthy()
    await user.type(screen.getByLabelText('Code from your authenticator'), '654321{Enter}')
    expect((await screen.findByRole('alert')).textContent).toBe('That code is not right.')
    await user.clear(screen.getByLabelText('Code from your authenticator'))
    await user.type(screen.getByLabelText('Code from your authenticator'), '123456{Enter}')
    await waitFor(() => expect(screen.getAllByText('begun')).toHaveLength(2))
    expect(screen.queryByRole('dialog')).toBeNull()
    expect(asked.filter((one) => one.url === '/api/v1/me/proof')).toHaveLength(2)
  })

  it('that isn’t given leaves it undone, with the refusal in place', async () => {
    wantsProof()
    const user = opened()
    const [first] = screen.getAllByRole('button', { name: 'Begin' })
    if (first) await user.click(first)
    await screen.findByRole('dialog')
    await user.keyboard('{Escape}')
    expect((await screen.findByRole('alert')).textContent).toBe('Prove it.')
    expect(screen.queryByText('begun')).toBeNull()
  })
})

describe('a sign-in that ended', () => {
  it('is renewed in place, under the same name', async () => {
    let signedIn = false
    const asked = serve(({ url }) => {
      if (url.endsWith('/console/sign-in')) {
        signedIn = true
        return [200, { name: 'mara' }]
      }
      return signedIn ? [200, { id: 'E1042' }] : [401, { code: 'sign-in', detail: 'sign in first' }]
    })
    const user = opened()
    const [first] = screen.getAllByRole('button', { name: 'Begin' })
    if (first) await user.click(first)
    expect(await screen.findByText('Your sign-in has ended')).toBeTruthy()
    await user.type(screen.getByLabelText('Password'), 'a long one')
    await user.type(screen.getByLabelText(/code/i), '123456{Enter}')
    await screen.findByText('begun')
    const said = asked.find((one) => one.url.endsWith('/console/sign-in'))
    expect(said?.body).toMatchObject({ name: 'mara', password: 'a long one' })
  })
})
