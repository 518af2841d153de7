// A sentence of the service, in its parts: times by the reader's own clock, and whom and what it names leads on to them.

import { Fragment } from 'react'

import type { Api } from '../api/call'
import { opened } from '../words/sentence'
import { Instant, Reference, Right, Who } from './told'

type Part = Api['Part']

/** Words, with what stands between backticks as code. */
export function Words({ text }: { text: string }) {
  return text
    .split('`')
    .map((piece, n) => (n % 2 ? <code key={n}>{piece}</code> : <Fragment key={n}>{piece}</Fragment>))
}

function One({ part, leads }: { part: Part; leads: (part: Part) => boolean }) {
  switch (part.is) {
    case 'text':
      return <Words text={part.text} />
    case 'who':
      return leads(part) ? <Who name={part.name} /> : part.name
    case 'elevation':
      return leads(part) ? <Reference id={part.id} /> : part.id
    case 'place':
      return <span className="mono">{part.path}</span>
    case 'right':
      return <Right right={part.right} />
    case 'time':
      return <Instant at={part.at} />
    case 'count':
      return part.count
  }
}

/** One sentence. `alone` where it stands by itself and so begins large; `plain` inside of what is itself a button, where nothing
 * may lead elsewhere; `about` names the elevation whose page this is, which leads nowhere from there. */
export function Said({
  words,
  alone = false,
  plain = false,
  about,
}: {
  words: Api['Sentence']
  alone?: boolean
  plain?: boolean
  about?: string
}) {
  const leads = (part: Part) => !plain && !(part.is === 'elevation' && part.id === about)
  return words.map((part, n) => (
    <One
      key={n}
      part={alone && n === 0 && part.is === 'text' ? { ...part, text: opened(part.text) } : part}
      leads={leads}
    />
  ))
}
