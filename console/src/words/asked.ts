// What waits for an answer: to hold something, or to go on holding it.

import type { Api } from '../api/call'
import { span } from './time'

type Ask = Pick<Api['ElevationView'], 'duration' | 'reason' | 'ticket' | 'extension'>

/** For how long it is asked: in all, or beyond its end. */
export const howLong = (ask: Ask): string => (ask.extension ? `${span(ask.extension.more)} more` : span(ask.duration))

/** Why, as whoever asked says. */
export const why = (ask: Ask): string | null | undefined => (ask.extension ?? ask).reason

/** The ticket that it is for. */
export const ticketOf = (ask: Ask): string | null | undefined => (ask.extension ?? ask).ticket
