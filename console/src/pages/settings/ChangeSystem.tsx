// The settings of one system, and letting it go.

import { type FormEvent, useState } from 'react'
import { type Api, get, patch, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { useAction, useData } from '../../parts/data'
import { Input, Select } from '../../parts/fields'
import { Wrong } from '../../parts/shown'
import { NAMED_FORM, readNamed, writeNamed } from '../../words/named'
import { count } from '../../words/time'

type Target = Api['TargetView']

/** What of a system can be changed, as it is typed. */
const asItIs = (target: Target) => ({
  least: String(target.emergency_least),
  after: String(target.alarm_after),
  secret: '',
  host: target.runs_on ?? '',
  own: target.connector.kind === 'postgres' && target.connector.own_login === true,
  labels: writeNamed(target.labels),
})

interface Draft {
  draft: ReturnType<typeof asItIs>
  set: (next: Partial<ReturnType<typeof asItIs>>) => void
  target: Target
}

function Keeping({ draft, set, target }: Draft) {
  return (
    <>
      <Input
        label="Accounts that keep everything"
        type="number"
        min={0}
        value={draft.least}
        onChange={(event) => set({ least: event.target.value })}
        hint="through any conversion"
      />
      <Input
        label="An end is an alarm after"
        type="number"
        min={1}
        value={draft.after}
        onChange={(event) => set({ after: event.target.value })}
        hint="seconds"
      />
      {target.connector.kind !== 'linux' && (
        <Input
          label="New password or key of the broker"
          type="password"
          autoComplete="new-password"
          value={draft.secret}
          onChange={(event) => set({ secret: event.target.value })}
          hint="left out, it stays"
        />
      )}
    </>
  )
}

function Placing({ draft, set, target }: Draft) {
  const others = useData(['targets'], ['estate', 'standing', 'elevations'], () => get('/api/v1/targets'))
  return (
    <>
      <Select
        label="Runs on"
        hint="so that ways through it are known"
        value={draft.host}
        onChange={(event) => set({ host: event.target.value })}
      >
        <option value="">none that is looked after</option>
        {(others.data ?? [])
          .filter((one) => one.path !== target.path)
          .map((one) => (
            <option key={one.path}>{one.path}</option>
          ))}
      </Select>
      <Input
        label="Labels"
        hint="like stage=production, quay=north; rules of terms go by them"
        value={draft.labels}
        wrong={readNamed(draft.labels) ? undefined : NAMED_FORM}
        onChange={(event) => set({ labels: event.target.value })}
      />
      {target.connector.kind === 'postgres' && (
        <Select
          label="Grants go on"
          hint="on people’s own, every session of theirs ends with a grant"
          value={String(draft.own)}
          onChange={(event) => set({ own: event.target.value === 'true' })}
        >
          <option value="false">a login for the one grant</option>
          <option value="true">people’s own logins</option>
        </Select>
      )}
    </>
  )
}

/** Changes how a system is reached and looked after. */
export function ChangeSystem({ target, done }: { target: Target; done: () => void }) {
  // Of what the form began with, whatever comes in meanwhile.
  const [digest] = useState(target.digest)
  const [draft, setDraft] = useState(() => asItIs(target))
  const save = useAction(
    () =>
      patch('/api/v1/targets/settings', digest, {
        target: target.path,
        emergency_least: Number(draft.least),
        alarm_after: Number(draft.after),
        secret: draft.secret || null,
        runs_on: draft.host,
        own_login: draft.own === asItIs(target).own ? null : draft.own,
        labels: readNamed(draft.labels) ?? null,
      }),
    done,
  )
  const submit = (event: FormEvent) => {
    event.preventDefault()
    save.mutate()
  }
  const drafting = { draft, set: (next: Partial<typeof draft>) => setDraft({ ...draft, ...next }), target }
  return (
    <form className="grid gap-3 rounded bg-sunk p-3 sm:grid-cols-3" onSubmit={submit}>
      <Keeping {...drafting} />
      <Placing {...drafting} />
      <div className="flex gap-2 sm:col-span-3">
        <Button type="submit" look="main" busy={save.isPending} disabled={!readNamed(draft.labels)}>
          Save
        </Button>
        <Button look="quiet" onClick={done}>
          Leave it
        </Button>
      </div>
      <div className="sm:col-span-3">
        <Wrong error={save.error} />
      </div>
    </form>
  )
}

/** Lets a system go, which is looked after no more. */
export function LetGo({ target }: { target: Target }) {
  const [reason, setReason] = useState('')
  const end = useAction(() => post('/api/v1/targets/end', { target: target.path, reason }))
  return (
    <form
      className="grid gap-2 rounded border border-line p-3"
      onSubmit={(event) => {
        event.preventDefault()
        end.mutate()
      }}
    >
      <p className="text-ink-2">
        Look after it no more: its {count(target.standing, 'standing right')} are seen no more, and nobody may ask for
        rights there. What is on it stays as it is; the record stays.
        {target.connector.kind === 'linux' && ' Take what was placed on the host away first, by the script above.'}
      </p>
      <div className="flex flex-wrap items-end gap-3">
        <Input label="Why" value={reason} onChange={(event) => setReason(event.target.value)} />
        <Button type="submit" look="alarm" busy={end.isPending} disabled={!reason.trim()}>
          Let it go
        </Button>
      </div>
      <Wrong error={end.error} />
    </form>
  )
}
