// References beside the ticket: what each is called, whether it is needed, and of what form.

import { useState } from 'react'
import type { Api } from '../../../api/call'
import { Button } from '../../../parts/buttons'
import { Input, Select } from '../../../parts/fields'
import { wholeReference } from './ticket'
import type { SettingField } from './fields'

type Rule = Api['ReferenceRule']
type Named = [string, Rule]

const NAME = /^([a-z][a-z0-9-]*)?$/

/** A further reference begins as one that is needed. */
const ANOTHER: Rule = { is: 'required', pattern: null }

function OneReference({
  named: [name, rule],
  taken,
  change,
  takeOut,
}: {
  named: Named
  taken: boolean
  change: (named: Named) => void
  takeOut: () => void
}) {
  const pattern = rule.is === 'off' ? null : rule.pattern
  return (
    <fieldset className="grid content-start gap-3 rounded border border-line p-3">
      <Input
        label="What it is called"
        value={name}
        placeholder="visit"
        className="mono"
        wrong={
          taken
            ? 'Another one is called so already.'
            : NAME.test(name)
              ? undefined
              : 'Small letters, digits and -, a letter first.'
        }
        onChange={(event) => change([event.target.value, rule])}
      />
      <div className="grid grid-cols-2 gap-3">
        <Select
          label="It is"
          value={rule.is}
          onChange={(event) => change([name, { is: event.target.value as 'required', pattern }])}
        >
          <option value="required">required</option>
          <option value="optional">optional</option>
        </Select>
        <Input
          label="Its form"
          value={pattern ?? ''}
          className="mono"
          placeholder="V-[0-9]+"
          onChange={(event) => change([name, { is: rule.is as 'required', pattern: event.target.value || null }])}
        />
      </div>
      <Button look="quiet" className="justify-self-start" onClick={takeOut}>
        Take out
      </Button>
    </fieldset>
  )
}

/** The references, with one more where that is wished for. */
export function References({ settings: { references }, set }: SettingField) {
  // Each row keeps what is being typed, also while two have one name.
  const [all, setAll] = useState<Named[]>(Object.entries(references ?? {}))
  const put = (next: Named[]) => {
    setAll(next)
    set({ references: next.length > 0 ? Object.fromEntries(next) : undefined })
  }
  const isTaken = (name: string, at: number) => all.some(([other], where) => where < at && other === name)
  return (
    <div className="grid content-start gap-1">
      <span className="label">References</span>
      {all.map((named, at) => (
        <OneReference
          key={at}
          named={named}
          taken={isTaken(named[0], at)}
          change={(next) => put(all.map((one, other) => (other === at ? next : one)))}
          takeOut={() => put(all.filter((_, other) => other !== at))}
        />
      ))}
      <Button look="quiet" className="justify-self-start" onClick={() => put([...all, ['', ANOTHER]])}>
        Another reference beside the ticket
      </Button>
    </div>
  )
}

/** With everything that they leave out named. */
export const wholeReferences = (references: NonNullable<SettingField['settings']['references']>) =>
  Object.fromEntries(Object.entries(references).map(([name, rule]) => [name, wholeReference(rule)]))
