// Calendars: what each closes, and a file put in the place of one, with what was looked at.

import { screen, waitFor, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { Calendars } from './Calendars'

const day = (n: number) => ({
  from: `2027-01-0${n}T00:00:00Z`,
  until: `2027-01-0${n + 1}T00:00:00Z`,
  what: `Step ${n}`,
})

const FREEZE: Api['CalendarView'] = {
  name: 'quay-freeze',
  says: '6 entries ahead',
  zone: 'Europe/Oslo',
  entries: [1, 2, 3, 4, 5].map(day),
  count: 6,
  known_until: '2031-12-01T00:00:00Z',
  closes: ['t12'],
  runs_into: ['E1042'],
  set_by: 'mara.lindqvist',
  set_at: '2026-11-01T08:00:00Z',
  digest: 'c1',
}

const ICS = 'BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n'

function house(all: Api['CalendarView'][], reply: [number, unknown] = [200, FREEZE]) {
  const asked = serve(({ method }) => (method === 'GET' ? [200, all] : reply))
  const sent = () => asked.filter((one) => one.method !== 'GET')
  return { sent, user: userEvent.setup() }
}

const field = (name: string) => within(screen.getByRole('dialog')).getByLabelText(name)

describe('calendars', () => {
  it('say what they close next, by which rules, and what is held into them', async () => {
    const { user } = house([FREEZE])
    show(<Calendars may={false} />)
    const row = (await screen.findByText('quay-freeze')).closest('li')
    expect(row?.textContent).toMatch(/is known until .*2031/)
    expect(row?.textContent).toMatch(/Step 1, .* until /)
    expect(row?.textContent).toContain('Rules that go by it: t12.')
    expect(row?.textContent).toContain('Held into it, for it was opened before: E1042')
    expect(row?.textContent).not.toContain('Step 5')
    await user.click(screen.getByRole('button', { name: '2 more' }))
    expect(row?.textContent).toContain('Step 5')
    expect(row?.textContent).toContain('1 more')
    expect(screen.queryByRole('button', { name: 'Change' })).toBeNull()
  })

  it('are set from a file, of the zone that the reader is in', async () => {
    const { sent, user } = house([])
    show(<Calendars may />)
    expect(await screen.findByText(/None is set/)).toBeTruthy()
    await user.click(screen.getByRole('button', { name: 'Add one' }))
    const set = screen.getByRole<HTMLButtonElement>('button', { name: 'Set it' })
    await user.type(field('Name'), 'holidays')
    expect(set.disabled).toBe(true)
    await user.upload(field('iCalendar file'), new File([ICS], 'holidays.ics', { type: 'text/calendar' }))
    await waitFor(() => expect(set.disabled).toBe(false))
    await user.click(set)
    await waitFor(() => expect(sent()).toHaveLength(1))
    const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
    expect(sent()[0]).toMatchObject({ method: 'PUT', url: '/api/v1/calendars/holidays', body: { zone, file: ICS } })
  })

  it('that can’t be read say why, and what was there stays as it was looked at', async () => {
    const { sent, user } = house([FREEZE], [422, { code: 'invalid', detail: '`Freeze` has no start (DTSTART)' }])
    show(<Calendars may />)
    await user.click(await screen.findByRole('button', { name: 'Change' }))
    await user.upload(field('iCalendar file'), new File([ICS], 'freeze.ics', { type: 'text/calendar' }))
    await user.click(screen.getByRole('button', { name: 'Put this file in its place' }))
    expect((await screen.findByRole('alert')).textContent).toContain('Freeze has no start (DTSTART)')
    expect(sent()[0]).toMatchObject({ headers: { 'if-match': '"c1"' }, body: { zone: 'Europe/Oslo', file: ICS } })
    await user.click(screen.getByRole('button', { name: 'End it' }))
    await waitFor(() => expect(sent()[1]).toMatchObject({ method: 'DELETE', url: '/api/v1/calendars/quay-freeze' }))
  })
})
