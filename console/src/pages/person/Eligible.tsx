// What somebody may ask for: windows changed in place, suspended, resumed, renewed.

import { useState } from 'react'
import { type Api, patch, post, remove } from '../../api/call'
import { Button, TwicePressed } from '../../parts/buttons'
import { Input, TextArea } from '../../parts/fields'
import { Empty, Wrong } from '../../parts/shown'
import { Instant, Right, Who, WaitsForYes } from '../../parts/told'
import { useAction } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { local, throughDay } from '../../words/time'

type One = Api['EligibilityView']

const day = (at: string | null | undefined) => (at ? local(new Date(at)).slice(0, 10) : '')

function Window({ one, own, close }: { one: One; own: boolean; close: () => void }) {
  // Of what the form began with, whatever comes in meanwhile.
  const [digest] = useState(one.digest)
  const [until, setUntil] = useState(day(one.until))
  const [reason, setReason] = useState('')
  const [wished, setWished] = useState<Api['AppointmentView'] | null>()
  const change = useAction(
    () =>
      patch(
        '/api/v1/eligibilities/{id}',
        digest,
        { from: null, until: until ? throughDay(until) : null, for_good: !until, reason: reason || null },
        { id: one.id },
      ),
    (reply) => (reply.eligibility ? close() : setWished(reply.appointment)),
  )
  if (wished) return <WaitsForYes wish={wished} />
  return (
    <div className="grid gap-3">
      <Input
        label="Until"
        hint={own ? 'Whoever may say yes is asked' : 'Empty for no end, where the terms let it'}
        type="date"
        value={until}
        onChange={(event) => setUntil(event.target.value)}
        className="max-w-52"
      />
      <TextArea label="Why" value={reason} onChange={(event) => setReason(event.target.value)} />
      <Wrong error={change.error} />
      <Button look="main" busy={change.isPending} onClick={() => change.mutate()}>
        {own ? 'Ask for it' : 'Change the window'}
      </Button>
    </div>
  )
}

function Suspend({ one, close }: { one: One; close: () => void }) {
  const [reason, setReason] = useState('')
  const suspend = useAction(() => post('/api/v1/eligibilities/{id}/suspend', { reason }, { id: one.id }), close)
  return (
    <div className="grid gap-3">
      <TextArea
        label="Why"
        hint="Whoever asks meanwhile reads it"
        value={reason}
        onChange={(event) => setReason(event.target.value)}
      />
      <Wrong error={suspend.error} />
      <Button look="main" busy={suspend.isPending} disabled={!reason.trim()} onClick={() => suspend.mutate()}>
        Suspend
      </Button>
    </div>
  )
}

type Part = 'window' | 'suspend'

/** What an administrator does with one: suspend, resume, end. */
function Administer({ one, open }: { one: One; open: (part: Part) => void }) {
  const resume = useAction(() => post('/api/v1/eligibilities/{id}/resume', undefined, { id: one.id }))
  const end = useAction(() => remove('/api/v1/eligibilities/{id}', { id: one.id }))
  return (
    <>
      {one.suspended ? (
        <Button look="quiet" busy={resume.isPending} onClick={() => resume.mutate()}>
          Resume
        </Button>
      ) : (
        <Button look="quiet" onClick={() => open('suspend')}>
          Suspend …
        </Button>
      )}
      <TwicePressed says="End" sure={`End it for ${one.who}`} act={end} />
      <Wrong error={resume.error ?? end.error} />
    </>
  )
}

/** The right, by what way it may be asked for, until when, and why not at present. */
function Says({ one, of }: { one: One; of: string }) {
  return (
    <>
      <span className="flex flex-wrap items-baseline justify-between gap-x-3">
        <Right right={one.right} />
        <span className="text-ink-3">
          {one.who !== of && (
            <>
              through <Who name={one.who} />{' '}
            </>
          )}
          {one.covers && (
            <>
              standing in for <Who name={one.covers} />{' '}
            </>
          )}
          {one.until && (
            <>
              until <Instant at={one.until} />
            </>
          )}
        </span>
      </span>
      {one.suspended && (
        <span className="text-alarm">
          Suspended <Instant at={one.suspended.at} how="relative" />
          {one.suspended.by && ` by ${one.suspended.by}`}: {one.suspended.reason}
        </span>
      )}
    </>
  )
}

function Row({ one, of, may, own }: { one: One; of: string; may: boolean; own: boolean }) {
  const [open, setOpen] = useState<Part>()
  const close = () => setOpen(undefined)
  return (
    <li className="grid gap-1 border-b border-line px-3.5 py-2 last:border-0">
      <Says one={one} of={of} />
      {(may || (own && one.until && !one.covers)) && (
        <span className="flex flex-wrap justify-end gap-1.5">
          {!one.covers && (
            <Button look="quiet" onClick={() => setOpen('window')}>
              {may ? 'Change …' : 'Ask for renewal …'}
            </Button>
          )}
          {may && <Administer one={one} open={setOpen} />}
        </span>
      )}
      <Dialog
        open={open === 'window'}
        onClose={close}
        title={may ? 'Change the window' : 'Ask for renewal'}
        says={`${one.who}: ${one.right}`}
      >
        <Window one={one} own={!may} close={close} />
      </Dialog>
      <Dialog
        open={open === 'suspend'}
        onClose={close}
        title="Suspend it"
        says={`${one.who} can’t ask for ${one.right} until it is resumed; it stays as it is.`}
      >
        <Suspend one={one} close={close} />
      </Dialog>
    </li>
  )
}

/** `may` where the reader administers people; `own` where it is their own page. */
export function Eligible({ of, eligible, may, own }: { of: string; eligible: One[]; may: boolean; own: boolean }) {
  if (eligible.length === 0)
    return <Empty>Nobody made {of}, or a group of theirs, eligible for anything you may see.</Empty>
  return (
    <ul>
      {eligible.map((one) => (
        <Row key={one.id} one={one} of={of} may={may} own={own} />
      ))}
    </ul>
  )
}
