// Sentences of the service: they begin small because they go on from others there, and tell times by UTC.

import { date } from './time'

/** One that stands by itself. A reference stays as it is: `t522` is no `T522`. */
export const opened = (text: string) => (/^[a-z]+\d/.test(text) ? text : text.charAt(0).toUpperCase() + text.slice(1))

/** Under which names the service itself speaks; elsewhere somebody else does, and nothing is put otherwise. */
export const SPOKEN = [
  'assumes',
  'brief',
  'cautions',
  'demand',
  'detail',
  'empty_because',
  'ended',
  'less',
  'refused_because',
  'says',
  'sentence',
  'stands',
  'steps',
  'stopped',
  'trouble',
  'would_change',
]

const UTC = /(\d{4}-\d\d-\d\d) (\d\d:\d\d(?::\d\d)?) UTC/g

/** The same sentence by the reader's own clock, as everything around it is: `waits for mara.lindqvist until 3 Oct 14:05`. */
export const byOwnClock = (text: string) =>
  text.replace(UTC, (_, day: string, time: string) => {
    const at = new Date(`${day}T${time}Z`)
    return `${date(at, new Date())} ${at.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}`
  })
