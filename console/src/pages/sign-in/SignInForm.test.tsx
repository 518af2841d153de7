// The way in.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { expect, it, vi } from 'vitest'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { SignInForm } from './SignInForm'

async function write(user: ReturnType<typeof userEvent.setup>, name: string) {
  if (name) await user.type(screen.getByLabelText('Name'), name)
  await user.type(screen.getByLabelText('Password'), ' a word with blanks ')
  await user.type(screen.getByLabelText('Code from your authenticator'), ' 123456')
  await user.click(screen.getByRole('button', { name: 'Sign in' }))
}

it('takes a name and a code without blanks around them, and a password as it is', async () => {
  const asked = serve(() => [200, { name: 'tomas.reyes' }])
  const done = vi.fn()
  show(<SignInForm done={done} />)
  await write(userEvent.setup(), ' tomas.reyes ')
  await waitFor(() => expect(done).toHaveBeenCalledWith('tomas.reyes'))
  expect(asked[0]?.body).toEqual({ name: 'tomas.reyes', password: ' a word with blanks ', code: '123456' })
})

it('says what the service says, and keeps what was written', async () => {
  serve(() => [401, { code: 'sign-in', detail: 'name, password or code is wrong' }])
  const done = vi.fn()
  show(<SignInForm name="tomas.reyes" done={done} />)
  await write(userEvent.setup(), '')
  expect((await screen.findByRole('alert')).textContent).toBe('Name, password or code is wrong.')
  expect(screen.getByLabelText<HTMLInputElement>('Name').value).toBe('tomas.reyes')
  expect(screen.getByLabelText<HTMLInputElement>('Password').type).toBe('password')
  expect(done).not.toHaveBeenCalled()
})

it('offers a passkey only where the browser has them', () => {
  show(<SignInForm done={() => undefined} />)
  expect(screen.queryByRole('button', { name: /passkey/ })).toBeNull()
})
