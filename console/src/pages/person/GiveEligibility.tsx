// Makes somebody eligible; where the terms want a yes for that, it becomes a wish.

import { useState } from 'react'
import { get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Input, TextArea } from '../../parts/fields'
import { Wrong } from '../../parts/shown'
import { useAct, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { fromDay, list, throughDay } from '../../words/time'

function Form({ who, close }: { who: string; close: () => void }) {
  const [right, setRight] = useState('')
  const [from, setFrom] = useState('')
  const [until, setUntil] = useState('')
  const [reason, setReason] = useState('')
  const roles = useData(['roles'], ['estate'], () => get('/api/v1/roles'))
  const give = useAct(
    () =>
      post('/api/v1/eligibilities', {
        who,
        right: right.trim(),
        from: from ? fromDay(from) : null,
        until: until ? throughDay(until) : null,
        reason: reason || null,
      }),
    (reply) => reply.eligibility && close(),
  )
  const wished = give.data?.eligibility ? null : give.data?.appointment
  if (wished) {
    return (
      <p className="rounded bg-sea-soft px-3 py-2">
        {wished.id} waits for a yes from {list(wished.approvers, 'or')}.
      </p>
    )
  }
  const known = roles.data?.find((one) => `${one.role}@${one.target}` === right)
  return (
    <div className="grid gap-3">
      <Input
        label="For what"
        hint={known ? `${known.weight}: ${known.says}` : 'ROLE@/PATH, at a system or something below it'}
        value={right}
        list="rights"
        className="mono"
        onChange={(event) => setRight(event.target.value)}
      />
      <datalist id="rights">
        {(roles.data ?? []).map((one) => (
          <option key={`${one.role}@${one.target}`} value={`${one.role}@${one.target}`}>
            {one.says}
          </option>
        ))}
      </datalist>
      <div className="grid gap-3 sm:grid-cols-2">
        <Input
          label="From"
          hint="Empty for now"
          type="date"
          value={from}
          onChange={(event) => setFrom(event.target.value)}
        />
        <Input
          label="Until"
          hint="Empty for no end, where the terms let it"
          type="date"
          value={until}
          onChange={(event) => setUntil(event.target.value)}
        />
      </div>
      <TextArea label="Why" value={reason} onChange={(event) => setReason(event.target.value)} />
      <Wrong error={give.error} />
      <Button look="main" busy={give.isPending} disabled={!right.trim()} onClick={() => give.mutate()}>
        Make {who} eligible
      </Button>
    </div>
  )
}

export function GiveEligibility({ who }: { who: string }) {
  const [open, setOpen] = useState(false)
  const close = () => setOpen(false)
  return (
    <>
      <Button look="quiet" onClick={() => setOpen(true)}>
        Make eligible …
      </Button>
      <Dialog
        open={open}
        onClose={close}
        title={`Make ${who} eligible`}
        says="They may then ask for it, with all that the terms demand."
      >
        <Form who={who} close={close} />
      </Dialog>
    </>
  )
}
