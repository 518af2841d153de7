// The small parts: what they say, and to whom.

import { act, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it, vi } from 'vitest'
import type { Api } from '../api/call'
import { address, show } from '../testing/page'
import { Copyable } from './Copyable'
import { Button } from './buttons'
import { Input } from './fields'
import { Shown, Wrong } from './shown'
import { Instant, Right, State, Weight, Who } from './told'
import { invalidate, queries, setClock, useAction, useData, useNow } from './data'
import { Said } from './Said'
import { useSteady } from './steady'

describe('a refusal', () => {
  it('leads to where the console does what the client’s command does', async () => {
    show(<Wrong error={new Error('no such role `<b>x</b>`; `tempestas eligible` lists what you may ask for')} />)
    const alert = screen.getByRole('alert')
    expect(alert.textContent).toBe('No such role <b>x</b>; Ask lists what you may ask for.')
    await userEvent.click(screen.getByRole('link', { name: 'Ask' }))
    expect(address()).toBe('/ask')
  })

  it('that isn’t there shows nothing', () => {
    show(<Wrong error={undefined} />)
    expect(screen.queryByRole('alert')).toBeNull()
  })
})

describe('a button', () => {
  it('can’t be pressed while it is busy, and says so', async () => {
    const pressed = vi.fn()
    show(
      <Button busy onClick={pressed}>
        Stop
      </Button>,
    )
    const button = screen.getByRole('button', { name: 'One moment …' })
    await userEvent.click(button)
    expect(pressed).not.toHaveBeenCalled()
    expect(button.getAttribute('aria-busy')).toBe('true')
  })
})

describe('a field', () => {
  it('is named by its label, described by its hint, and says what is wrong', () => {
    show(<Input label="Account" hint="as it is there" wrong="That is nobody’s." />)
    const field = screen.getByLabelText('Account')
    expect(field.getAttribute('aria-invalid')).toBe('true')
    expect(document.getElementById(field.getAttribute('aria-describedby') ?? '')?.textContent).toBe('as it is there')
    expect(screen.getByRole('alert').textContent).toBe('That is nobody’s.')
  })
})

describe('something to copy', () => {
  it('that is secret is shown only when asked for, and copied without being shown', async () => {
    const user = userEvent.setup()
    show(<Copyable label="Password" text="tide-9" secret />)
    expect(document.body.textContent).not.toContain('tide-9')
    await user.click(screen.getByRole('button', { name: 'Copy Password' }))
    expect(await navigator.clipboard.readText()).toBe('tide-9')
    expect(screen.getByText('Copied')).toBeTruthy()
    expect(document.body.textContent).not.toContain('tide-9')
    await user.click(screen.getByRole('button', { name: 'Show' }))
    expect(document.body.textContent).toContain('tide-9')
    await user.click(screen.getByRole('button', { name: 'Hide' }))
    expect(document.body.textContent).not.toContain('tide-9')
  })
})

describe('words', () => {
  const sentence: Api['Sentence'] = [
    { is: 'text', text: 'made ' },
    { is: 'who', name: 'mara lindqvist/x' },
    { is: 'text', text: ' eligible for ' },
    { is: 'right', right: 'root@pier' },
    { is: 'text', text: ' by `<script>` in ' },
    { is: 'elevation', id: 'E1042' },
    { is: 'text', text: ', ' },
    { is: 'count', count: 3 },
  ]

  it('lead on to whom and what they name', () => {
    show(<Said words={sentence} alone />)
    expect(document.body.textContent).toContain('Made mara lindqvist/x eligible for root@pier by <script> in E1042, 3')
    const to = screen.getAllByRole('link').map((link) => link.getAttribute('href'))
    expect(to).toEqual(['/person/mara%20lindqvist%2Fx', '/elevation/E1042'])
  })

  it('lead nowhere inside of a button, nor to the page they stand on', () => {
    show(<Said words={sentence} plain />)
    expect(screen.queryAllByRole('link')).toEqual([])
    show(<Said words={sentence} about="E1042" />)
    expect(screen.getAllByRole('link').map((link) => link.textContent)).toEqual(['mara lindqvist/x'])
  })

  it('tell moments exactly to whoever wants to know', () => {
    show(<Said words={[{ is: 'time', at: '2026-07-03T12:05:00Z' }]} />)
    const time = document.querySelector('time')
    expect(time?.dateTime).toBe('2026-07-03T12:05:00Z')
    expect(time?.title).toBe('3 Jul 2026, 14:05:00 Europe/Oslo')
  })

  it('for weights, states, rights and people need no colour', () => {
    show(
      <>
        <Weight weight="privileged" />
        <State state="given-back" />
        <Right right="root@pier/mooring-1" />
        <Who name="oda" />
      </>,
    )
    const opaque = [...document.querySelectorAll('rect')].filter((bar) => bar.getAttribute('opacity') === '1')
    expect(opaque).toHaveLength(2)
    expect(document.body.textContent).toContain('privilegedgiven backroot@pier/mooring-1oda')
  })
})

describe('data', () => {
  function Seen({ read, topic }: { read: () => Promise<string>; topic: 'terms' | 'alarms' }) {
    const query = useData(['seen', topic], [topic], read)
    return (
      <Shown of="what is seen" query={query}>
        {(data) => <p>{data}</p>}
      </Shown>
    )
  }

  it('is read anew when its topic changed, and only then', async () => {
    const [terms, alarms] = [vi.fn(() => Promise.resolve('terms')), vi.fn(() => Promise.resolve('alarms'))]
    show(
      <>
        <Seen read={terms} topic="terms" />
        <Seen read={alarms} topic="alarms" />
      </>,
    )
    await screen.findByText('alarms')
    await act(() => Promise.resolve(invalidate(['alarms', 'stops'])))
    expect([terms.mock.calls.length, alarms.mock.calls.length]).toEqual([1, 2])
    await act(() => Promise.resolve(invalidate('all')))
    expect([terms.mock.calls.length, alarms.mock.calls.length]).toEqual([2, 3])
  })

  it('that can’t be read says why, in place of it', async () => {
    show(<Seen read={() => Promise.reject(new Error('it is stopped'))} topic="terms" />)
    expect((await screen.findByRole('alert')).textContent).toBe('It is stopped.')
    expect(screen.queryByLabelText('Fetching what is seen')).toBeNull()
  })

  it('is read anew after an act, and a failed act keeps its problem', async () => {
    const read = vi.fn(() => Promise.resolve('read'))
    let fails = true
    function Acting() {
      const query = useData(['acting'], ['estate'], read)
      const doing = useAction(() => (fails ? Promise.reject(new Error('not yet')) : Promise.resolve()))
      return (
        <>
          {query.data}
          <Wrong error={doing.error} />
          <Button onClick={() => doing.mutate()}>Do it</Button>
        </>
      )
    }
    show(<Acting />)
    await screen.findByText('read')
    await userEvent.click(screen.getByRole('button'))
    expect((await screen.findByRole('alert')).textContent).toBe('Not yet.')
    expect(read).toHaveBeenCalledTimes(1)
    fails = false
    await userEvent.click(screen.getByRole('button'))
    await waitFor(() => expect(read).toHaveBeenCalledTimes(2))
    expect(screen.queryByRole('alert')).toBeNull()
    expect(queries.getQueryState(['acting'])?.error).toBeNull()
  })
})

describe('the clock', () => {
  function Told() {
    return <p>{useNow().toISOString().slice(0, 16)}</p>
  }

  it('is the service’s, where this machine’s is wrong', () => {
    show(<Told />)
    act(() => setClock('2031-02-03T04:05:06Z'))
    expect(screen.getByText('2031-02-03T04:05')).toBeTruthy()
    act(() => setClock(new Date().toISOString()))
    show(<Instant at={new Date().toISOString()} how="relative" />)
    expect(screen.getByText('just now')).toBeTruthy()
  })
})

describe('a steady list', () => {
  function Listed({ rows }: { rows: string[] }) {
    const { rows: shown, waiting, hold, release } = useSteady(rows, (row) => row)
    return (
      <>
        <ul {...hold}>
          {shown.map(({ row, gone }) => (
            <li key={row}>{gone ? `${row} (gone)` : row}</li>
          ))}
        </ul>
        <button type="button" onClick={release}>
          {waiting} new
        </button>
      </>
    )
  }
  const items = () => screen.getAllByRole('listitem').map((item) => item.textContent)

  it('stays as it is under the pointer, and takes what is new when that leaves', async () => {
    const user = userEvent.setup()
    const { again } = show(<Listed rows={['a', 'b']} />)
    await user.hover(screen.getByRole('list'))
    again(<Listed rows={['new', 'b']} />)
    expect(items()).toEqual(['a (gone)', 'b'])
    expect(screen.getByRole('button').textContent).toBe('1 new')
    await user.unhover(screen.getByRole('list'))
    expect(items()).toEqual(['new', 'b'])
    expect(screen.getByRole('button').textContent).toBe('0 new')
  })
})
