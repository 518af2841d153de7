// What is done by a second press alone.

import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { show } from '../testing/page'
import { TwicePressed } from './buttons'

function asked(isPending = false) {
  const mutate = vi.fn()
  show(
    <>
      <TwicePressed says="End" sure="End it for oda.brandt" act={{ isPending, mutate }} />
      <input aria-label="elsewhere" />
    </>,
  )
  return { mutate, user: userEvent.setup(), button: () => screen.getByRole<HTMLButtonElement>('button') }
}

describe('what is pressed twice', () => {
  it('says at the first press what the second does', async () => {
    const { mutate, user, button } = asked()
    button().focus()
    await user.keyboard('{Enter}')
    expect(button().textContent).toBe('End it for oda.brandt')
    expect(mutate).not.toHaveBeenCalled()
    await user.keyboard('{Enter}')
    expect(mutate).toHaveBeenCalledOnce()
  })

  it('is not done by a double click, which nobody could have read between', async () => {
    const { mutate, user, button } = asked()
    await user.dblClick(button())
    expect(mutate).not.toHaveBeenCalled()
    await user.click(button())
    expect(mutate).toHaveBeenCalledOnce()
  })

  it('asks anew once it was left', async () => {
    const { mutate, user, button } = asked()
    await user.click(button())
    await user.click(screen.getByLabelText('elsewhere'))
    expect(button().textContent).toBe('End')
    await user.click(button())
    expect(mutate).not.toHaveBeenCalled()
  })

  it('is done once at a time', () => {
    expect(asked(true).button().disabled).toBe(true)
  })
})
