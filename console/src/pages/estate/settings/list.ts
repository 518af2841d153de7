// Every setting of a rule, in the order of the form.

import type { ComponentType } from 'react'
import { Approval, ApprovalStage } from './approval'
import type { SettingField, Settings } from './fields'
import { Lapse } from './lapse'
import { Reason } from './reason'
import { Starts, wholeStarts } from './starts'
import { Ticket, TicketForm, wholeTicket } from './ticket'
import { Assurance, Longest, Usual } from './times'

interface Setting {
  /** As the service names it. */
  name: keyof Settings
  Field: ComponentType<SettingField>
  /** What more there is to say of it, once it is set. */
  More?: ComponentType<SettingField>
}

/** Every setting with its form, in the order in which they are shown. */
export const SETTINGS: Setting[] = [
  { name: 'longest', Field: Longest },
  { name: 'usual', Field: Usual },
  { name: 'assurance', Field: Assurance },
  { name: 'reason', Field: Reason },
  { name: 'approval', Field: Approval, More: ApprovalStage },
  { name: 'ticket', Field: Ticket, More: TicketForm },
  { name: 'starts', Field: Starts },
  { name: 'lapse', Field: Lapse },
]

/** Settings with everything that they leave out named, as what takes the place of others must be. */
export const wholeSettings = (settings: Settings) => ({
  longest: settings.longest ?? null,
  usual: settings.usual ?? null,
  starts: settings.starts ? wholeStarts(settings.starts) : null,
  reason: settings.reason ?? null,
  ticket: settings.ticket ? wholeTicket(settings.ticket) : null,
  assurance: settings.assurance ?? null,
  approval: settings.approval ?? null,
  lapse: settings.lapse ?? null,
})
