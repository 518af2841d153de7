// What is said of an absence: who takes somebody's place, from when until when, and why.

import { useState } from 'react'
import { Button } from '../../parts/buttons'
import { useAction } from '../../parts/data'
import { Input } from '../../parts/fields'
import { Wrong } from '../../parts/shown'
import { fromDay, local } from '../../words/time'
import { useWindow, Window } from './Window'

/** An absence as it is sent: from the beginning of a day, or at once, until the evening of another. */
export interface Absence {
  who: string
  from: string | null
  until: string
  reason: string | null
}

const inDays = (days: number) => local(new Date(Date.now() + days * 86400_000)).slice(0, 10)

/** The form; `who` and `sends` are what its first field and its button say. */
export function AbsenceForm({
  who,
  sends,
  send,
  close,
}: {
  who: string
  sends: string
  send: (absence: Absence) => Promise<unknown>
  close: () => void
}) {
  const [name, setName] = useState('')
  const typing = useWindow(inDays(5))
  const { from, until, reason } = typing.typed
  const arrange = useAction(
    () =>
      send({
        who: name.trim(),
        from: from ? fromDay(from) : null,
        until: new Date(`${until}T18:00`).toISOString(),
        reason: reason || null,
      }),
    close,
  )
  return (
    <div className="grid gap-3">
      <Input
        label={who}
        placeholder="first.last"
        value={name}
        onChange={(event) => setName(event.target.value)}
        autoFocus
      />
      <Window of={typing} ends="Six in the evening" />
      <Wrong error={arrange.error} />
      <Button look="main" busy={arrange.isPending} disabled={!name.trim() || !until} onClick={() => arrange.mutate()}>
        {sends}
      </Button>
    </div>
  )
}
