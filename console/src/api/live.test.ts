// Live messages: what changed, what was missed, and how the line stands.

import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { type Line, listen, type Topic } from './live'

/** A line to the service that a test speaks on. */
class Source {
  static all: Source[] = []
  onmessage?: (message: { data: string }) => void
  onerror?: () => void
  closed = false

  constructor(readonly url: string) {
    Source.all.push(this)
  }

  close() {
    this.closed = true
  }

  says(seq: number, topics: Topic[] = []) {
    this.onmessage?.({ data: JSON.stringify({ seq, topics }) })
  }
}

/** Pages of one browser, which hear each other. */
class Channel {
  static all: Channel[] = []
  onmessage?: (message: { data: unknown }) => void

  constructor() {
    Channel.all.push(this)
  }

  postMessage(data: unknown) {
    for (const other of Channel.all) if (other !== this) other.onmessage?.({ data: structuredClone(data) })
  }

  close() {
    Channel.all = Channel.all.filter((one) => one !== this)
  }
}

/** Grants the line to one page at a time, as a browser does. */
function locks() {
  const waiting: (() => void)[] = []
  let held = false
  const next = () => {
    held = false
    waiting.shift()?.()
  }
  return {
    request: (_: string, { signal }: { signal: AbortSignal }, work: () => Promise<void>) =>
      new Promise<void>((done, fail) => {
        const begin = () => {
          held = true
          void work().then(() => {
            next()
            done()
          })
        }
        signal.addEventListener('abort', () => fail(new Error('aborted')))
        if (held) waiting.push(begin)
        else begin()
      }),
  }
}

interface Page {
  changed: (Topic[] | 'all')[]
  lines: Line['state'][]
  close: () => void
}

function page(): Page {
  const page: Page = { changed: [], lines: [], close: () => undefined }
  page.close = listen(
    (topics) => page.changed.push(topics),
    (line) => page.lines.push(line.state),
  )
  return page
}

const open = () => Source.all.filter((one) => !one.closed)
const line = () => {
  const [only] = open()
  if (!only) throw new Error('nobody listens')
  return only
}

beforeEach(() => {
  vi.useFakeTimers()
  Source.all = []
  Channel.all = []
  vi.stubGlobal('EventSource', Source)
  vi.stubGlobal('BroadcastChannel', Channel)
  Object.defineProperty(navigator, 'locks', { value: locks(), configurable: true })
})
afterEach(() => vi.useRealTimers())

describe('one page', () => {
  it('hears what changed, and nothing from the message that a line begins with', () => {
    const one = page()
    line().says(7)
    expect(one.changed).toEqual([])
    line().says(8, ['elevations', 'alarms'])
    expect(one.changed).toEqual([['elevations', 'alarms']])
    expect(one.lines).toEqual([])
  })

  it('takes everything for changed where it missed something while the line was lost', () => {
    const one = page()
    line().says(7, ['terms'])
    line().onerror?.()
    expect(one.lines).toEqual(['lost'])
    expect(open()).toEqual([])
    vi.advanceTimersByTime(2000)
    line().says(9)
    expect(one.lines).toEqual(['lost', 'open'])
    expect(one.changed).toEqual([['terms'], 'all'])
  })

  it('reads nothing anew where nothing was missed', () => {
    const one = page()
    line().says(7, ['terms'])
    line().onerror?.()
    vi.advanceTimersByTime(2000)
    line().says(7)
    expect(one.changed).toEqual([['terms']])
  })

  it('says since when the line is lost, however often it is tried', () => {
    const since: number[] = []
    listen(
      () => undefined,
      (line) => line.state === 'lost' && since.push(line.since.getTime()),
    )
    line().onerror?.()
    vi.advanceTimersByTime(2000)
    line().onerror?.()
    expect(since).toHaveLength(2)
    expect(since[1]).toBe(since[0])
  })
})

describe('several pages', () => {
  it('share one line, and the next takes over when its page goes', async () => {
    const [first, second] = [page(), page()]
    expect(open()).toHaveLength(1)
    line().says(1, ['stops'])
    expect([first.changed, second.changed]).toEqual([[['stops']], [['stops']]])
    first.close()
    await vi.advanceTimersByTimeAsync(0)
    expect(open()).toHaveLength(1)
    line().says(1)
    line().says(2, ['people'])
    expect(second.changed).toEqual([['stops'], ['people']])
    expect(first.changed).toEqual([['stops']])
  })

  it('hear of a lost line together', () => {
    const [first, second] = [page(), page()]
    line().onerror?.()
    expect([first.lines, second.lines]).toEqual([['lost'], ['lost']])
    vi.advanceTimersByTime(2000)
    line().says(4)
    expect(second.lines).toEqual(['lost', 'open'])
  })
})
