// Going on with what is live, beyond its end: what that demands comes first, as with any ask.

import { type FormEvent, useState } from 'react'
import { type Api, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Input, TextArea } from '../../parts/fields'
import { Words } from '../../parts/Said'
import { Shown, Wrong } from '../../parts/shown'
import { useAction, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { readSpan, span } from '../../words/time'

type Demand = Api['ExtensionDemand']

/** Whether a text is to be given, and is. */
const isGiven = (demand: Demand, reason: string, ticket: string) =>
  (demand.reason.is !== 'required' || reason.trim().length >= Math.max(1, demand.reason.at_least)) &&
  (demand.ticket.is !== 'required' || ticket.trim() !== '')

/** What the holder gives, once they saw what is demanded. */
function Form({ id, demand, ready, done }: { id: string; demand: Demand; ready: boolean; done: () => void }) {
  const [reason, setReason] = useState('')
  const [ticket, setTicket] = useState('')
  const { more, digest } = demand
  const extend = useAction(() => {
    const said = { reason: reason || null, ticket: ticket || null }
    return post('/api/v1/elevations/{id}/extend', { more, ...said, shown: digest }, { id })
  }, done)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    extend.mutate()
  }
  return (
    <form className="grid gap-3" onSubmit={submit}>
      <p>
        <Words text={demand.sentence} />
      </p>
      {demand.reason.is !== 'hidden' && (
        <TextArea
          label={demand.reason.is === 'required' ? 'Reason' : 'Reason, if you like'}
          value={reason}
          onChange={(event) => setReason(event.target.value)}
          placeholder="What is still to do?"
          maxLength={2000}
          rows={2}
        />
      )}
      {demand.ticket.is !== 'off' && (
        <Input
          label={demand.ticket.is === 'required' ? 'Ticket' : 'Ticket, if you have one'}
          value={ticket}
          onChange={(event) => setTicket(event.target.value)}
          hint={demand.ticket.pattern && `of the form ${demand.ticket.pattern}`}
          className="mono"
        />
      )}
      <Wrong error={extend.error} />
      <Button type="submit" look="main" busy={extend.isPending} disabled={!ready || !isGiven(demand, reason, ticket)}>
        Ask for {span(more)} more
      </Button>
    </form>
  )
}

/** Asks to go on with an elevation for a time that the holder says, or the usual one. */
function ExtendDialog({ id, open, close }: { id: string; open: boolean; close: () => void }) {
  const [text, setText] = useState('')
  const more = text ? readSpan(text) : undefined
  const wrong = text !== '' && more === undefined
  const demand = useData(
    ['extension', id, more],
    ['terms', 'people', 'stops', 'estate', 'elevations'],
    () => post('/api/v1/elevations/{id}/extend/preview', { more: more ?? null }, { id }),
    { keep: true },
  )
  return (
    <Dialog open={open} onClose={close} title={`Go on with ${id}`}>
      <div className="grid gap-3">
        <Input
          label="For how much longer"
          value={text}
          placeholder={demand.data ? span(demand.data.more) : 'as usual'}
          wrong={wrong ? 'Write it like 30m or 1h30m.' : undefined}
          onChange={(event) => setText(event.target.value)}
        />
        <Shown of="what it demands" query={demand} lines={3}>
          {(demand) => <Form id={id} demand={demand} ready={!wrong} done={close} />}
        </Shown>
      </div>
    </Dialog>
  )
}

/** Whoever holds it goes on with it: by asking, or by the grace that the terms give. */
export function GoOn({ one }: { one: Api['ElevationView'] }) {
  const [asking, setAsking] = useState(false)
  const grace = useAction(() => post('/api/v1/elevations/{id}/grace', undefined, { id: one.id }))
  return (
    <>
      {one.may_extend && <Button onClick={() => setAsking(true)}>Extend</Button>}
      {one.grace != null && (
        <Button busy={grace.isPending} onClick={() => grace.mutate()} title="Once, with nobody asked">
          Take {span(one.grace)} of grace
        </Button>
      )}
      <Wrong error={grace.error} />
      {asking && <ExtendDialog id={one.id} open close={() => setAsking(false)} />}
    </>
  )
}
