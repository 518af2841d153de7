// What whoever asks brings beside a proof of themselves: what the terms want of it, and the fields for it.

import type { Api } from '../api/call'
import { opened } from '../words/sentence'
import { Input, Select, TextArea } from './fields'

type Wants = Api['Wants']
type Brings = Api['Brings']

/** Nothing brought yet. */
export const NOTHING: Brings = { purpose: null, reason: null, ticket: null, references: {} }

/** How many letters and digits a text has, which is what the service counts. */
const letters = (text: string) => text.match(/[\p{Alphabetic}\p{N}]/gu)?.length ?? 0

/** What is still missing of what the terms want. */
export function missing(wants: Wants, { purpose, reason, ticket, references }: Brings): string[] {
  const still: string[] = []
  if (wants.purposes.length > 0 && !wants.purposes.includes(purpose ?? '')) still.push('a purpose')
  if (wants.reason.is === 'required') {
    const given = letters(reason ?? '')
    const least = Math.max(1, wants.reason.at_least)
    if (given < least) still.push(given ? `a reason of ${least} letters (${given} so far)` : 'a reason')
  }
  if (wants.ticket.is === 'required' && !ticket?.trim()) still.push('a ticket')
  for (const [name, rule] of Object.entries(wants.references))
    if (rule.is === 'required' && !references[name]?.trim()) still.push(`a ${name}`)
  return still
}

/** What is wanted of what was given: what isn't asked for isn't said, though it was typed while other terms held. */
export function wanted(wants: Wants, { purpose, reason, ticket, references }: Brings): Brings {
  return {
    purpose: wants.purposes.includes(purpose ?? '') ? purpose : null,
    reason: wants.reason.is === 'hidden' ? null : reason || null,
    ticket: wants.ticket.is === 'off' ? null : ticket || null,
    references: Object.fromEntries(
      Object.entries(references).filter(([name, text]) => name in wants.references && text),
    ),
  }
}

interface Fields {
  wants: Wants
  given: Brings
  set: (given: Brings) => void
}

function Purpose({ wants, given, set }: Fields) {
  if (wants.purposes.length === 0) return null
  return (
    <Select
      label="Purpose"
      value={given.purpose ?? ''}
      onChange={(event) => set({ ...given, purpose: event.target.value || null })}
    >
      <option value="">choose one</option>
      {wants.purposes.map((one) => (
        <option key={one}>{one}</option>
      ))}
    </Select>
  )
}

function Reference({
  name,
  rule,
  value,
  onChange,
}: {
  name: string
  rule: Api['ReferenceRule']
  value: string | null | undefined
  onChange: (text: string) => void
}) {
  if (rule.is === 'off') return null
  return (
    <Input
      label={rule.is === 'required' ? opened(name) : `${opened(name)}, if you have one`}
      value={value ?? ''}
      onChange={(event) => onChange(event.target.value)}
      hint={rule.pattern && `of the form ${rule.pattern}`}
      maxLength={100}
      className="mono"
    />
  )
}

/** Purpose, ticket and further references, as far as they are asked for. */
export function References({ wants, given, set }: Fields) {
  const { references } = given
  return (
    <>
      <Purpose {...{ wants, given, set }} />
      <Reference
        name="ticket"
        rule={wants.ticket}
        value={given.ticket}
        onChange={(ticket) => set({ ...given, ticket })}
      />
      {Object.entries(wants.references).map(([name, rule]) => (
        <Reference
          key={name}
          name={name}
          rule={rule}
          value={references[name]}
          onChange={(text) => set({ ...given, references: { ...references, [name]: text } })}
        />
      ))}
    </>
  )
}

/** The reason, where one is asked for. */
export function Reason({ wants, given, set, question }: Fields & { question: string }) {
  if (wants.reason.is === 'hidden') return null
  return (
    <TextArea
      label={wants.reason.is === 'required' ? 'Reason' : 'Reason, if you like'}
      value={given.reason ?? ''}
      onChange={(event) => set({ ...given, reason: event.target.value })}
      placeholder={question}
      maxLength={2000}
      rows={2}
    />
  )
}
