// Whether a ticket is asked for, and of what form.

import { Input } from '../../../parts/fields'
import { Choice, type SettingField, type Settings } from './fields'

type Ticket = NonNullable<Settings['ticket']>

const CHOICES = { off: 'not asked for', optional: 'optional', required: 'required' }

/** Whether a ticket is needed, and its form. */
export function Ticket({ settings: { ticket }, set }: SettingField) {
  const change = (is: string | undefined) =>
    set({ ticket: is ? (is === 'off' ? { is } : ({ is, pattern: null } as Ticket)) : undefined })
  return <Choice label="Ticket" value={ticket?.is} choices={CHOICES} onChange={change} />
}

/** Its form, where one is asked for. */
export function TicketForm({ settings: { ticket }, set }: SettingField) {
  if (!ticket || ticket.is === 'off') return null
  return (
    <Input
      label="Form of a ticket, as a regular expression"
      value={ticket.pattern ?? ''}
      className="mono"
      placeholder="CHG-[0-9]{4,6}"
      onChange={(event) => set({ ticket: { ...ticket, pattern: event.target.value || null } })}
    />
  )
}

/** With everything that it leaves out named. */
export const wholeReference = (rule: Ticket) => (rule.is === 'off' ? rule : { ...rule, pattern: rule.pattern ?? null })
