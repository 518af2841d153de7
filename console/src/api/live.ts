// Live messages: which lists changed. Says when the line is lost and when it is back.

import type { Api } from './call'

export type Topic = Api['Topic']
/** How the line stands. */
export type Line = { state: 'open' } | { state: 'lost'; since: Date }

const AGAIN_AFTER = 2000

/** Listens until the returned function is called. After a gap everything counts as changed. */
export function listen(changed: (topics: Topic[] | 'all') => void, line: (line: Line) => void): () => void {
  let source: EventSource | undefined
  let timer: number | undefined
  let lost: Date | undefined
  let seen: number | undefined

  const open = () => {
    source = new EventSource('/api/v1/events')
    source.onmessage = (message) => {
      const event = JSON.parse(message.data as string) as Api['Event']
      const missed = event.topics.length === 0 && seen !== undefined && event.seq !== seen
      seen = event.seq
      if (lost) {
        lost = undefined
        line({ state: 'open' })
      }
      if (missed) changed('all')
      else if (event.topics.length > 0) changed(event.topics)
    }
    source.onerror = () => {
      source?.close()
      lost ??= new Date()
      line({ state: 'lost', since: lost })
      timer = window.setTimeout(open, AGAIN_AFTER)
    }
  }
  open()
  return () => {
    window.clearTimeout(timer)
    source?.close()
  }
}
