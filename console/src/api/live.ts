// Live messages: which lists changed. Says when the line is lost and when it is back. One page of a browser holds the
// line for all of its pages: over HTTP/1.1 each line takes one of the six connections that a browser allows.

import type { Api } from './call'

/** A list that may look different after a commit. */
export type Topic = Api['Topic']
/** How the line stands. */
export type Line = { state: 'open' } | { state: 'lost'; since: Date }

type Message = { event: Api['Event'] } | { lost: number } | { back: true }

const AGAIN_AFTER = 2000
const NAME = 'tempestas-live'

/** Holds the line itself, until the signal; what it hears goes to every page. */
function hold(tell: (message: Message) => void, signal: AbortSignal): Promise<void> {
  return new Promise((done) => {
    let source: EventSource | undefined
    let timer: number | undefined
    let lost: number | undefined
    const open = () => {
      source = new EventSource('/api/v1/events')
      source.onmessage = (message) => {
        if (lost !== undefined) {
          lost = undefined
          tell({ back: true })
        }
        tell({ event: JSON.parse(message.data as string) as Api['Event'] })
      }
      source.onerror = () => {
        source?.close()
        lost ??= Date.now()
        tell({ lost })
        timer = window.setTimeout(open, AGAIN_AFTER)
      }
    }
    open()
    signal.addEventListener('abort', () => {
      window.clearTimeout(timer)
      source?.close()
      done()
    })
  })
}

/** Listens until the returned function is called. After a gap everything counts as changed. */
export function listen(changed: (topics: Topic[] | 'all') => void, line: (line: Line) => void): () => void {
  const channel = new BroadcastChannel(NAME)
  const stop = new AbortController()
  let seen: number | undefined
  let isLost = false

  const hear = (message: Message) => {
    if ('lost' in message) {
      isLost = true
      line({ state: 'lost', since: new Date(message.lost) })
      return
    }
    if (isLost) {
      isLost = false
      line({ state: 'open' })
    }
    if ('back' in message) return
    const { topics, seq } = message.event
    // A line begins with where the ledger stands: whether anything was missed meanwhile.
    const missed = topics.length === 0 && seen !== undefined && seq !== seen
    seen = seq
    if (missed) changed('all')
    else if (topics.length > 0) changed(topics)
  }
  const tell = (message: Message) => {
    hear(message)
    channel.postMessage(message)
  }
  channel.onmessage = (message: MessageEvent<Message>) => hear(message.data)
  if (navigator.locks) {
    // Granted to one page at a time; the next takes over when it goes.
    navigator.locks.request(NAME, { signal: stop.signal }, () => hold(tell, stop.signal)).catch(() => undefined)
  } else {
    void hold(tell, stop.signal)
  }
  const end = () => {
    stop.abort()
    channel.close()
  }
  window.addEventListener('pagehide', end, { once: true })
  return () => {
    window.removeEventListener('pagehide', end)
    end()
  }
}
