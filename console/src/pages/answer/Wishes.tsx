// Wishes to be made eligible that wait for the reader's answer.

import { useState } from 'react'
import { type Api, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { TextArea } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Wrong } from '../../parts/shown'
import { Instant, Who } from '../../parts/told'
import { useAction } from '../../parts/data'
import { Dialog } from '../../parts/overlay'

type Wish = Api['AppointmentView']

function Answer({ wish, verdict, close }: { wish: Wish; verdict: 'yes' | 'no'; close: () => void }) {
  const [reason, setReason] = useState('')
  const answer = useAction(
    () =>
      post(
        '/api/v1/appointments/{id}/answer',
        { verdict, reason: reason || null, shown: wish.digest },
        { id: wish.id },
      ),
    close,
  )
  return (
    <div className="grid gap-3">
      <ul className="mono">
        {wish.rights.map((right) => (
          <li key={right} className="break-words">
            {right}
          </li>
        ))}
      </ul>
      <TextArea
        label={verdict === 'no' ? 'Why not' : 'A word, if you like'}
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      <Wrong error={answer.error} />
      <Button
        look="main"
        busy={answer.isPending}
        disabled={verdict === 'no' && !reason.trim()}
        onClick={() => answer.mutate()}
      >
        Say {verdict}
      </Button>
    </div>
  )
}

function Row({ wish }: { wish: Wish }) {
  const [verdict, setVerdict] = useState<'yes' | 'no'>()
  const close = () => setVerdict(undefined)
  return (
    <li className="flex flex-wrap items-center justify-between gap-2 border-b border-line px-3.5 py-2 last:border-0">
      <span className="min-w-0">
        <span className="mono font-semibold">{wish.id}</span> {wish.sentence}.{' '}
        <span className="text-ink-3">
          Wished by {wish.by && <Who name={wish.by} />} <Instant at={wish.at} how="relative" />:{' '}
          {wish.reason ?? 'no reason given'}
        </span>
      </span>
      <span className="flex gap-1.5">
        <Button look="main" onClick={() => setVerdict('yes')}>
          Yes …
        </Button>
        <Button onClick={() => setVerdict('no')}>No …</Button>
      </span>
      <Dialog
        open={verdict !== undefined}
        onClose={close}
        title={`Say ${verdict ?? ''} to ${wish.id}`}
        says={`${wish.sentence}.`}
      >
        {verdict && <Answer wish={wish} verdict={verdict} close={close} />}
      </Dialog>
    </li>
  )
}

/** Wishes to be made eligible that wait for the reader’s answer. */
export function Wishes({ wishes }: { wishes: Wish[] }) {
  if (wishes.length === 0) return null
  return (
    <Section title="To be made eligible" className="mb-4">
      <ul>
        {wishes.map((wish) => (
          <Row key={wish.id} wish={wish} />
        ))}
      </ul>
    </Section>
  )
}
