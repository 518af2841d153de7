// Who belongs to a group: shown to whoever sees it, changed by whoever administers people.

import { type FormEvent, useState } from 'react'
import { get, post, remove } from '../../api/call'
import { Button, TwicePressed } from '../../parts/buttons'
import { Input } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Empty, Wrong } from '../../parts/shown'
import { Who } from '../../parts/told'
import { useAction, useData } from '../../parts/data'

function Add({ group }: { group: string }) {
  const [name, setName] = useState('')
  const people = useData(['people'], ['people'], () => get('/api/v1/people'))
  const add = useAction(
    () => post('/api/v1/groups/{group}/members', { member: name.trim() }, { group }),
    () => setName(''),
  )
  const submit = (event: FormEvent) => {
    event.preventDefault()
    add.mutate()
  }
  return (
    <form onSubmit={submit} className="grid gap-2 px-3.5 py-2.5">
      <div className="flex items-end gap-2">
        <div className="flex-1">
          <Input
            label="Put into it"
            value={name}
            list="may-be-members"
            placeholder="a person, group or program"
            onChange={(event) => setName(event.target.value)}
          />
        </div>
        <Button type="submit" busy={add.isPending} disabled={!name.trim()}>
          Put in
        </Button>
      </div>
      <datalist id="may-be-members">
        {(people.data ?? []).map((one) => (
          <option key={one.name} value={one.name} />
        ))}
      </datalist>
      <Wrong error={add.error} />
    </form>
  )
}

function Member({ group, name, may }: { group: string; name: string; may: boolean }) {
  const out = useAction(() => remove('/api/v1/groups/{group}/members/{member}', { group, member: name }))
  return (
    <li className="grid gap-1 border-b border-line px-3.5 py-1.5 last:border-0">
      <span className="flex min-h-9 items-center justify-between gap-3">
        <Who name={name} />
        {may && <TwicePressed says="Take out" sure={`Take ${name} out`} act={out} />}
      </span>
      <Wrong error={out.error} />
    </li>
  )
}

/** Members of a group, put in and taken out. */
export function Members({ group, members, may }: { group: string; members: string[]; may: boolean }) {
  return (
    <Section title="Members">
      {members.length === 0 && <Empty>Nobody belongs to {group} yet.</Empty>}
      <ul>
        {members.map((name) => (
          <Member key={name} group={group} name={name} may={may} />
        ))}
      </ul>
      {may && <Add group={group} />}
    </Section>
  )
}
