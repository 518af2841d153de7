// Makes somebody eligible; where the terms want a yes for that, it becomes a wish.

import { useState } from 'react'
import { get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Input } from '../../parts/fields'
import { Wrong } from '../../parts/shown'
import { WaitsForYes } from '../../parts/told'
import { useAction, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { fromDay, throughDay } from '../../words/time'
import { useWindow, Window } from './Window'

function ForWhat({ right, setRight }: { right: string; setRight: (right: string) => void }) {
  const roles = useData(['roles'], ['estate'], () => get('/api/v1/roles'))
  const known = roles.data?.find((one) => `${one.role}@${one.target}` === right)
  return (
    <>
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
    </>
  )
}

function Form({ who, close }: { who: string; close: () => void }) {
  const [right, setRight] = useState('')
  const typing = useWindow()
  const give = useAction(
    () => {
      const { from, until, reason } = typing.typed
      return post('/api/v1/eligibilities', {
        who,
        right: right.trim(),
        from: from ? fromDay(from) : null,
        until: until ? throughDay(until) : null,
        reason: reason || null,
      })
    },
    (reply) => reply.eligibility && close(),
  )
  const wished = give.data?.eligibility ? null : give.data?.appointment
  if (wished) return <WaitsForYes wish={wished} />
  return (
    <div className="grid gap-3">
      <ForWhat right={right} setRight={setRight} />
      <Window of={typing} ends="Empty for no end, where the terms let it" />
      <Wrong error={give.error} />
      <Button look="main" busy={give.isPending} disabled={!right.trim()} onClick={() => give.mutate()}>
        Let {who} ask for it
      </Button>
    </div>
  )
}

/** Makes somebody eligible, in a window of time. */
export function GiveEligibility({ who }: { who: string }) {
  const [open, setOpen] = useState(false)
  const close = () => setOpen(false)
  return (
    <>
      <Button look="quiet" onClick={() => setOpen(true)}>
        Let ask for more …
      </Button>
      <Dialog
        open={open}
        onClose={close}
        title={`What ${who} may ask for`}
        says="They hold nothing by it: they may ask, with all that the terms demand."
      >
        <Form who={who} close={close} />
      </Dialog>
    </>
  )
}
