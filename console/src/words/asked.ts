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

type Stage = Api['StageView']

/** The stage that waits, or waited last. */
export const openStage = (stages: Stage[]): Stage | undefined => stages.findLast((stage) => stage.until)

/** The stages of the round that is open, or was last. */
export const lastStages = (ask: Pick<Api['ElevationView'], 'rounds'>): Stage[] => ask.rounds.at(-1)?.stages ?? []

/** Those who may still answer in a stage. */
export const silent = (stage: Stage): string[] =>
  stage.approvers.filter((name) => !stage.answers.some((answer) => answer.who === name))
