// Going on with what is live, beyond its end: what that demands comes first, as with any ask.

import { type FormEvent, useState } from 'react'
import { type Api, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { missing, NOTHING, Reason, References, wanted } from '../../parts/Brings'
import { Input } from '../../parts/fields'
import { Words } from '../../parts/Said'
import { Shown, Wrong } from '../../parts/shown'
import { useAction, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { readSpan, span } from '../../words/time'

type Demand = Api['ExtensionDemand']

/** What the holder gives, once they saw what is demanded. */
function Form({ id, demand, ready, done }: { id: string; demand: Demand; ready: boolean; done: () => void }) {
  const [given, set] = useState(NOTHING)
  const { more, digest, wants } = demand
  const extend = useAction(
    () => post('/api/v1/elevations/{id}/extend', { more, brings: wanted(wants, given), shown: digest }, { id }),
    done,
  )
  const still = missing(wants, given)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    extend.mutate()
  }
  return (
    <form className="grid gap-3" onSubmit={submit}>
      <p>
        <Words text={demand.sentence} />
      </p>
      <References {...{ wants, given, set }} />
      <Reason {...{ wants, given, set }} question="What is still to do?" />
      <Wrong error={extend.error} />
      <Button type="submit" look="main" busy={extend.isPending} disabled={!ready || still.length > 0}>
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
