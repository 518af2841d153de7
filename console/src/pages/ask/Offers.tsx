// What the reader isn't eligible for, and may ask to be: for a stated time, decided by whoever owns it.

import { useState } from 'react'
import { type Api, get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Input, TextArea } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Plain, Shown, Wrong } from '../../parts/shown'
import { Right, Weight, WaitsForYes } from '../../parts/told'
import { useAction, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { list, span, throughDay } from '../../words/time'

type Offer = Api['OfferView']
type Wish = Api['AppointmentView']

/** Who decides, and within what: `oda or piet, then henrik decides; for 30 d at most`. */
function decided({ asked, longest }: Offer): string {
  const stages = asked.map((stage) => list(stage, 'or')).join(', then ')
  return `${stages} decides${longest ? `; for ${span(longest)} at most` : ''}`
}

/** Whether each word stands in the right, or in what it lets one do. */
const isMeant = (q: string) => {
  const words = q.toLowerCase().split(/\s+/).filter(Boolean)
  return ({ right, lets }: Offer) => words.every((word) => `${right} ${lets}`.toLowerCase().includes(word))
}

function Form({ offer, close }: { offer: Offer; close: () => void }) {
  const [right, setRight] = useState(offer.right)
  const [group, setGroup] = useState('')
  const [day, setDay] = useState('')
  const [reason, setReason] = useState('')
  const wish = useAction(
    () =>
      post('/api/v1/wishes', {
        right: right.trim(),
        group: group.trim() || null,
        until: throughDay(day),
        reason: reason || null,
      }),
    (reply) => reply.eligibility && close(),
  )
  const wished = wish.data?.eligibility ? null : wish.data?.appointment
  if (wished) return <WaitsForYes wish={wished} />
  return (
    <div className="grid gap-3">
      <p className="break-words text-ink-2">
        <Plain text={offer.lets} />
      </p>
      <Input
        label="For what"
        hint="less of it, too: a path below"
        className="mono"
        value={right}
        onChange={(event) => setRight(event.target.value)}
      />
      <Input
        label="For a group of yours"
        hint="left empty, for you alone"
        value={group}
        onChange={(event) => setGroup(event.target.value)}
      />
      <Input
        label="Through the end of"
        hint={offer.longest ? `${span(offer.longest)} at most` : undefined}
        type="date"
        value={day}
        onChange={(event) => setDay(event.target.value)}
      />
      <TextArea
        label="Why"
        hint={offer.reason ? `${offer.reason} letters at least` : undefined}
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      <Wrong error={wish.error} />
      <Button
        look="main"
        busy={wish.isPending}
        disabled={!right.trim() || !day || (!!offer.reason && !reason.trim())}
        onClick={() => wish.mutate()}
      >
        Ask {list(offer.asked[0] ?? [], 'or')}
      </Button>
    </div>
  )
}

function Row({ offer, choose }: { offer: Offer; choose: () => void }) {
  return (
    <li className="flex items-start justify-between gap-3 border-b border-line px-3.5 py-2 last:border-0">
      <div className="min-w-0">
        <p className="flex flex-wrap items-baseline gap-x-3">
          <Right right={offer.right} /> <Weight weight={offer.weight} />
        </p>
        <p className="break-words text-ink-2">
          <Plain text={offer.lets} />
        </p>
        <p className={`break-words ${offer.trouble ? 'text-alarm' : 'text-ink-3'}`}>
          {offer.trouble ? <Plain text={`Not at present: ${offer.trouble}`} /> : decided(offer)}
        </p>
      </div>
      {!offer.trouble && (
        <Button look="quiet" onClick={choose}>
          Ask to be eligible
        </Button>
      )}
    </li>
  )
}

/** One's own wish that waits; it can be taken back. */
function Waiting({ wish }: { wish: Wish }) {
  const back = useAction(() => post('/api/v1/appointments/{id}/end', undefined, { id: wish.id }))
  return (
    <li className="flex items-start justify-between gap-3 border-b border-line px-3.5 py-2 last:border-0">
      <p className="min-w-0 break-words">
        <span className="mono font-semibold">{wish.id}</span> {wish.sentence}.
        <Wrong error={back.error} />
      </p>
      <Button look="quiet" busy={back.isPending} onClick={() => back.mutate()}>
        Take it back
      </Button>
    </li>
  )
}

/** What is offered to the reader, as far as it is called so, and what they asked for of it. */
export function Offers({ q, me }: { q: string; me: string | undefined }) {
  const offers = useData(['offers'], ['people', 'terms', 'estate'], () => get('/api/v1/offers'))
  const wishes = useData(['wishes', 'open'], ['people', 'terms'], () =>
    get('/api/v1/appointments', { query: { open: true } }),
  )
  const [chosen, setChosen] = useState<Offer>()
  const mine = (wishes.data ?? []).filter((wish) => wish.by === me && !wish.covers)
  if (offers.data?.length === 0 && mine.length === 0) return null
  return (
    <Section title="Not yours to ask for yet">
      {mine.length > 0 && (
        <ul aria-label="What you wished for">
          {mine.map((wish) => (
            <Waiting key={wish.id} wish={wish} />
          ))}
        </ul>
      )}
      <Shown of="what is offered" query={offers} lines={2}>
        {(offers) => (
          <ul aria-label="Offered">
            {offers.filter(isMeant(q)).map((offer) => (
              <Row key={offer.right} offer={offer} choose={() => setChosen(offer)} />
            ))}
          </ul>
        )}
      </Shown>
      {chosen && (
        <Dialog
          open
          onClose={() => setChosen(undefined)}
          title="Ask to be made eligible"
          says="You hold nothing by it: once somebody says yes you may ask, with all that the terms demand."
        >
          <Form offer={chosen} close={() => setChosen(undefined)} />
        </Dialog>
      )}
    </Section>
  )
}
