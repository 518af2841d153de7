// How often a right is used, and what that advises, in words.

import type { Api } from '../api/call'
import { count } from './time'

type Item = Api['PlanItemView']

const ADVICE: Record<Item['advice'], string> = {
  'keep-for-program': 'Leave it with what runs by itself, or give that a smaller role.',
  'keep-or-shrink': 'Leave it, or find a smaller role for daily work.',
  convert: 'Convert it.',
  'convert-or-end': 'Convert it; nobody would notice.',
  ask: 'Ask its holder how often it is needed.',
}

/** `Used weekly (33 uses). Convert it.` */
export function usedAndAdvised(item: Item): string {
  const uses = count(item.uses, 'use')
  const said = {
    daily: `Used daily (${uses}).`,
    weekly: `Used weekly (${uses}).`,
    rarely: `Used rarely (${uses}).`,
    never: 'Not used, as far back as its system told.',
    unknown: 'Its system doesn’t tell of uses.',
  }[item.rhythm]
  return `${said} ${ADVICE[item.advice]}`
}
