// Connecting a system: what each kind asks for, and what is sent.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { Connect } from './Connect'

const port = (fails = false) =>
  serve(({ url, method }) => {
    if (method === 'GET') return [200, [{ path: '/' }, { path: '/harbour' }]]
    if (url === '/api/v1/targets' && fails) return [400, { code: 'invalid', detail: 'its password is wrong' }]
    return [201, {}]
  })

const made = (asked: ReturnType<typeof port>) =>
  asked.filter((one) => one.method === 'POST').map((one) => [one.url.replace('/api/v1', ''), one.body])

async function fill(user: ReturnType<typeof userEvent.setup>, label: string | RegExp, text: string) {
  await user.clear(screen.getByLabelText(label))
  await user.type(screen.getByLabelText(label), text)
}

describe('connecting', () => {
  it('makes the folders that are missing on the way, and those alone', async () => {
    const asked = port()
    const done = vi.fn()
    const user = userEvent.setup()
    show(<Connect done={done} />)
    await fill(user, /^Path in the estate/, '/harbour/databases/berths')
    await fill(user, /^The broker’s password/, 'not shown')
    await user.click(screen.getByRole('button', { name: 'Connect it' }))
    await waitFor(() => expect(done).toHaveBeenCalled())
    expect(made(asked)).toEqual([
      ['/folders', { parent: '/harbour', name: 'databases' }],
      [
        '/targets',
        {
          parent: '/harbour/databases',
          name: 'berths',
          connector: {
            kind: 'postgres',
            host: '127.0.0.1',
            port: 5432,
            user: 'tempestas_broker',
            database: 'tempestas',
          },
          secret: 'not shown',
          emergency_least: 1,
          alarm_after: 60,
        },
      ],
    ])
  })

  it('never shows a secret while it is typed', () => {
    port()
    show(<Connect />)
    const secret = screen.getByLabelText<HTMLInputElement>(/^The broker’s password/)
    expect([secret.type, secret.autocomplete]).toEqual(['password', 'new-password'])
  })

  it('asks a host for its own key, and for no secret', async () => {
    const asked = port()
    const user = userEvent.setup()
    show(<Connect />)
    await user.selectOptions(screen.getByLabelText('Kind'), 'linux')
    expect(screen.queryByLabelText(/password|secret/i)).toBeNull()
    await fill(user, /^Path in the estate/, '/harbour/gate-1')
    await fill(user, /^Host$/, '192.0.2.9')
    await fill(user, /^The host’s own public key/, ' ssh-ed25519 AAAA ')
    await user.click(screen.getByRole('button', { name: 'Connect it' }))
    await waitFor(() => expect(made(asked)).toHaveLength(1))
    expect(made(asked)[0]?.[1]).toMatchObject({
      connector: { kind: 'linux', host: '192.0.2.9', port: 22, user: 'tempestas', host_key: 'ssh-ed25519 AAAA' },
    })
  })

  it('keeps what was written for each kind, and says why it could not', async () => {
    port(true)
    const user = userEvent.setup()
    show(<Connect />)
    await fill(user, /^Path in the estate/, '/harbour/berths')
    await fill(user, /^The broker’s password/, 'wrong')
    await user.click(screen.getByRole('button', { name: 'Connect it' }))
    expect((await screen.findByRole('alert')).textContent).toContain('Its password is wrong')
    await user.selectOptions(screen.getByLabelText('Kind'), 'fathom')
    await user.selectOptions(screen.getByLabelText('Kind'), 'postgres')
    expect(screen.getByLabelText<HTMLInputElement>(/^The broker’s password/).value).toBe('wrong')
  })
})
