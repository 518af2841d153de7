// What waits for an answer: to hold something, or to go on holding it.

import type { Api } from '../api/call'
import { span } from './time'

type Ask = Pick<Api['ElevationView'], 'duration' | 'brought' | 'extension'>

/** For how long it is asked: in all, or beyond its end. */
export const howLong = (ask: Ask): string => (ask.extension ? `${span(ask.extension.more)} more` : span(ask.duration))

/** What whoever asked brought for it. */
export const broughtFor = (ask: Ask): Api['Brings'] => (ask.extension ?? ask).brought

/** Why, as whoever asked says: purpose, reason, or both. */
export const why = (ask: Ask): string | undefined => {
  const { purpose, reason } = broughtFor(ask)
  return [purpose, reason].filter(Boolean).join(': ') || undefined
}

/** What it is for elsewhere: ticket and further references, each with its name. */
export const referencesOf = ({ ticket, references }: Api['Brings']): [string, string][] => [
  ...(ticket ? ([['ticket', ticket]] as [string, string][]) : []),
  ...Object.entries(references),
]

type Stage = Api['StageView']

/** The stage that waits, or waited last. */
export const openStage = (stages: Stage[]): Stage | undefined => stages.findLast((stage) => stage.until)

/** The stages of the round that is open, or was last. */
export const lastStages = (ask: Pick<Api['ElevationView'], 'rounds'>): Stage[] => ask.rounds.at(-1)?.stages ?? []

/** Those who may still answer in a stage. */
export const silent = (stage: Stage): string[] =>
  stage.approvers.filter((name) => !stage.answers.some((answer) => answer.who === name))
