// Adding somebody, letting them enrol, and duties.

import { screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { AddPerson, Duties, Enrol } from './People'

describe('adding', () => {
  const write = async (user: ReturnType<typeof userEvent.setup>) => {
    await user.type(screen.getByLabelText('Name to sign in by'), 'tomas.reyes2')
    await user.type(screen.getByLabelText('Full name, or what it is for'), 'Tomas Reyes')
    await user.click(screen.getByRole('button', { name: 'Add' }))
  }

  it('says whose name it looks like, since approvers would mistake it', async () => {
    const asked = serve(() => [201, { name: 'tomas.reyes2', alike: ['tomas.reyes'] }])
    const done = vi.fn()
    show(<AddPerson done={done} />)
    await write(userEvent.setup())
    expect((await screen.findByText(/looks like/)).textContent).toContain('tomas.reyes2 looks like tomas.reyes')
    expect(done).toHaveBeenCalledWith('tomas.reyes2')
    expect(asked[0]?.body).toEqual({ kind: 'person', name: 'tomas.reyes2', about: 'Tomas Reyes', second_of: null })
    expect(screen.getByLabelText<HTMLInputElement>('Name to sign in by').value).toBe('')
  })

  it('keeps what was written where it was refused', async () => {
    serve(() => [409, { code: 'conflict', detail: 'there is a `tomas.reyes2` already' }])
    show(<AddPerson />)
    await write(userEvent.setup())
    expect((await screen.findByRole('alert')).textContent).toContain('already')
    expect(screen.getByLabelText<HTMLInputElement>('Name to sign in by').value).toBe('tomas.reyes2')
  })
})

describe('enrolling', () => {
  it('shows a secret only once it is asked for, and forgets it when it is closed', async () => {
    const asked = serve(() => [201, { secret: 'seven-words', expires: '2026-11-21T12:00:00Z' }])
    const onClose = vi.fn()
    const user = userEvent.setup()
    const { again } = show(<Enrol name="oda.brandt" onClose={onClose} />)
    expect(asked).toEqual([])
    await user.click(screen.getByRole('button', { name: 'Issue it' }))
    await screen.findByText(/Good until/)
    expect(asked[0]?.url).toBe('/api/v1/people/oda.brandt/enrolment')
    await user.click(screen.getByRole('button', { name: 'I have handed it over' }))
    expect(onClose).toHaveBeenCalledOnce()
    again(<Enrol name="piet.maas" onClose={onClose} />)
    expect(screen.queryByText(/Good until/)).toBeNull()
    expect(screen.getByRole('button', { name: 'Issue it' })).toBeTruthy()
  })
})

describe('duties', () => {
  const DUTIES = [
    { id: 'D1', who: 'mara.lindqvist', duty: 'administrator', scope: '/' },
    { id: 'D2', who: 'oda.brandt', duty: 'auditor', scope: '/harbour' },
  ]
  const has = () =>
    serve(({ method }) => {
      if (method === 'DELETE')
        return [409, { code: 'conflict', detail: 'too few who administer everything would be left' }]
      return method === 'POST' ? [201, DUTIES[1]] : [200, DUTIES]
    })

  it('are said with their scope, and given', async () => {
    const asked = has()
    const user = userEvent.setup()
    show(<Duties />)
    const lines = (await screen.findAllByRole('listitem')).map((one) => one.textContent)
    expect(lines).toEqual(['mara.lindqvist: administrator of everythingEnd', 'oda.brandt: auditor of /harbourEnd'])
    await user.type(screen.getByLabelText('Person or group'), 'piet.maas')
    await user.clear(screen.getByLabelText('Of'))
    await user.type(screen.getByLabelText('Of'), '/harbour/pier')
    await user.click(screen.getByRole('button', { name: 'Give' }))
    await waitFor(() => expect(asked.some((one) => one.method === 'POST')).toBe(true))
    expect(asked.find((one) => one.method === 'POST')?.body).toEqual({
      who: 'piet.maas',
      duty: 'auditor',
      scope: '/harbour/pier',
    })
  })

  it('that can’t be ended say why', async () => {
    const asked = has()
    const user = userEvent.setup()
    show(<Duties />)
    const [first] = await screen.findAllByRole('button', { name: 'End' })
    if (first) await user.click(first)
    expect((await screen.findByRole('alert')).textContent).toContain('Too few who administer everything would be left')
    expect(asked.filter((one) => one.method === 'DELETE').map((one) => one.url)).toEqual(['/api/v1/duties/D1'])
  })
})
