// Keys as shortcuts: heard while they can mean nothing else.

import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { useState } from 'react'
import { expect, it } from 'vitest'
import { show } from '../testing/page'
import { useKeys } from './keys'
import { Dialog } from './overlay'

function Page({ dialog = false }: { dialog?: boolean }) {
  const [heard, setHeard] = useState('')
  useKeys((key) => setHeard(heard + key))
  return (
    <>
      <output aria-label="heard">{heard}</output>
      <input aria-label="a word" />
      <input type="checkbox" aria-label="a tick" />
      <Dialog open={dialog} onClose={() => undefined} title="Asked something">
        …
      </Dialog>
    </>
  )
}

const heard = () => screen.getByLabelText('heard').textContent

it('are heard on the page, and where a tick has the focus', async () => {
  const user = userEvent.setup()
  show(<Page />)
  await user.keyboard('jk')
  await user.click(screen.getByLabelText('a tick'))
  await user.keyboard('j')
  expect(heard()).toBe('jkj')
})

it('are not heard while something is typed, but for Escape', async () => {
  const user = userEvent.setup()
  show(<Page />)
  await user.type(screen.getByLabelText('a word'), 'jolly')
  expect(heard()).toBe('')
  await user.keyboard('{Escape}')
  expect(heard()).toBe('Escape')
})

it('are left to the browser where another key is held', async () => {
  const user = userEvent.setup()
  show(<Page />)
  await user.keyboard('{Control>}j{/Control}{Alt>}k{/Alt}{Meta>}l{/Meta}')
  expect(heard()).toBe('')
})

it('are not heard behind a dialog', async () => {
  const user = userEvent.setup()
  show(<Page dialog />)
  await user.keyboard('jk')
  expect(screen.getByLabelText('heard').textContent).toBe('')
})
