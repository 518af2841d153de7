// Every setting of a rule, in the order of the form.

import type { ComponentType } from 'react'
import type { Api } from '../../../api/call'
import { Approval, ApprovalStages } from './approval'
import { Debrief, DebriefWho } from './debrief'
import { Extensions, Grace } from './extending'
import type { SettingField, Settings } from './fields'
import { Glass, GlassFew } from './glass'
import { Hours } from './hours'
import { Lapse } from './lapse'
import { Assured, Closed, OnlyWhile } from './named'
import { Offered } from './offered'
import { Purposes, Reason, ReasonLetters } from './reason'
import { References, wholeReferences } from './references'
import { Standing } from './standing'
import { Starts, wholeStarts } from './starts'
import { Ticket, TicketForm, wholeReference } from './ticket'
import { Assurance, Longest, Usual } from './times'
import { Uses } from './uses'

interface Setting {
  /** As the service names it. */
  name: keyof Settings
  Field: ComponentType<SettingField>
  /** The acts that it says something about, where that isn't every one. */
  only?: Api['NewTerms']['act'][]
  /** What more there is to say of it, once it is set. */
  More?: ComponentType<SettingField>
}

const HOLDING: NonNullable<Setting['only']> = ['elevate', 'extend']

/** Every setting with its form, in the order in which they are shown. */
export const SETTINGS: Setting[] = [
  { name: 'longest', Field: Longest, only: [...HOLDING, 'be-made-eligible'] },
  { name: 'usual', Field: Usual, only: HOLDING },
  { name: 'extensions', Field: Extensions, only: ['extend'] },
  { name: 'grace', Field: Grace, only: ['elevate'] },
  { name: 'assurance', Field: Assurance },
  { name: 'assured', Field: Assured },
  { name: 'reason', Field: Reason, More: ReasonLetters, only: [...HOLDING, 'be-made-eligible'] },
  { name: 'approval', Field: Approval, More: ApprovalStages, only: [...HOLDING, 'be-made-eligible'] },
  { name: 'offered', Field: Offered, only: ['be-made-eligible'] },
  { name: 'ticket', Field: Ticket, More: TicketForm, only: HOLDING },
  { name: 'purposes', Field: Purposes, only: HOLDING },
  { name: 'references', Field: References, only: HOLDING },
  { name: 'starts', Field: Starts, only: ['elevate'] },
  { name: 'hours', Field: Hours, only: ['elevate'] },
  { name: 'closed', Field: Closed, only: ['elevate'] },
  { name: 'only_while', Field: OnlyWhile, only: ['elevate'] },
  { name: 'uses', Field: Uses, only: ['elevate'] },
  { name: 'lapse', Field: Lapse, only: ['elevate'] },
  { name: 'standing', Field: Standing, only: ['elevate'] },
  { name: 'debrief', Field: Debrief, More: DebriefWho, only: ['elevate'] },
  { name: 'glass', Field: Glass, More: GlassFew, only: ['elevate'] },
]

/** Settings with everything that they leave out named, as what takes the place of others must be. */
export const wholeSettings = (settings: Settings) => ({
  longest: settings.longest ?? null,
  usual: settings.usual ?? null,
  starts: settings.starts ? wholeStarts(settings.starts) : null,
  reason: settings.reason ?? null,
  ticket: settings.ticket ? wholeReference(settings.ticket) : null,
  assurance: settings.assurance ?? null,
  assured: settings.assured ?? null,
  approval: settings.approval ?? null,
  lapse: settings.lapse ?? null,
  standing: settings.standing ?? null,
  offered: settings.offered ?? null,
  uses: settings.uses ?? null,
  hours: settings.hours ?? null,
  closed: settings.closed ?? null,
  only_while: settings.only_while ?? null,
  extensions: settings.extensions ?? null,
  grace: settings.grace ?? null,
  debrief: settings.debrief ?? null,
  glass: settings.glass ?? null,
  purposes: settings.purposes ?? null,
  references: settings.references ? wholeReferences(settings.references) : null,
})
