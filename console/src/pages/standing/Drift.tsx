// Drift: what surveys saw that nobody did through Tempestas, and what to do about it.

import { useState } from 'react'
import { type Api, get, post } from '../../api/call'
import { Copyable } from '../../parts/Copyable'
import { Button } from '../../parts/buttons'
import { Input, TextArea } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Shown, Wrong } from '../../parts/shown'
import { Instant, Weight } from '../../parts/told'
import { Said } from '../../parts/Said'
import { useAction, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { count, local, throughDay } from '../../words/time'

type One = Api['DriftView']

const MONTH = 30 * 86400_000

function Ignore({ one, close }: { one: One; close: () => void }) {
  const [reason, setReason] = useState('')
  const [until, setUntil] = useState(() => local(new Date(Date.now() + MONTH)).slice(0, 10))
  const ignore = useAction(
    () => post('/api/v1/drift/{id}/ignore', { reason, until: throughDay(until) }, { id: one.id }),
    close,
  )
  return (
    <>
      <TextArea label="Why" value={reason} onChange={(event) => setReason(event.target.value)} />
      <Input
        label="Until"
        hint="Then it is open again"
        type="date"
        value={until}
        onChange={(event) => setUntil(event.target.value)}
        className="max-w-52"
      />
      <Wrong error={ignore.error} />
      <Button look="main" busy={ignore.isPending} disabled={!reason.trim()} onClick={() => ignore.mutate()}>
        Ignore it until then
      </Button>
    </>
  )
}

function Patch({ id }: { id: string }) {
  const patch = useData(['patch', id], ['standing'], () => get('/api/v1/drift/{id}/patch', { at: { id } }))
  return (
    <Shown of="what to change" query={patch}>
      {(found) =>
        found.patch ? (
          <Copyable block label="what to change" text={found.patch} />
        ) : (
          <p>There is no form for this system that tools take; {found.says}.</p>
        )
      }
    </Shown>
  )
}

function Row({ one, may }: { one: One; may: boolean }) {
  const [ignoring, setIgnoring] = useState(false)
  const [patching, setPatching] = useState(false)
  const adopt = useAction(() => post('/api/v1/drift/{id}/adopt', undefined, { id: one.id }))
  const putBack = useAction(() => post('/api/v1/drift/{id}/put-back', undefined, { id: one.id }))
  return (
    <li
      className={`grid gap-1.5 border-b border-l-4 border-line px-3.5 py-2.5 last:border-b-0 ${one.weight === 'critical' ? 'border-l-alarm' : 'border-l-warm'}`}
    >
      <span className="flex flex-wrap items-baseline justify-between gap-x-3">
        <span className="min-w-0 break-words">
          <Said words={one.words} />.
        </span>
        <Weight weight={one.weight} />
      </span>
      <span className="flex flex-wrap items-center justify-between gap-2">
        <span className="text-ink-3">
          <span className="mono">{one.target}</span>, seen <Instant at={one.since} how="relative" />
          {one.who && `; the account is ${one.who}’s`}
          {one.against && <span className="text-alarm">; by {one.against} it is never held all the time</span>}
        </span>
        {may && (
          <span className="flex flex-wrap gap-1.5">
            <Button busy={putBack.isPending} onClick={() => putBack.mutate()}>
              Put back
            </Button>
            <Button busy={adopt.isPending} onClick={() => adopt.mutate()}>
              Adopt
            </Button>
            <Button look="quiet" onClick={() => setPatching(true)}>
              For its source …
            </Button>
            <Button look="quiet" onClick={() => setIgnoring(true)}>
              Ignore …
            </Button>
          </span>
        )}
      </span>
      <Wrong error={putBack.error ?? adopt.error} />
      <Dialog
        wide
        open={patching}
        onClose={() => setPatching(false)}
        title="What to change at its source"
        says="For whoever keeps that elsewhere, so that it doesn’t come back. Nothing is changed here."
      >
        {patching && <Patch id={one.id} />}
      </Dialog>
      <Dialog
        open={ignoring}
        onClose={() => setIgnoring(false)}
        title="Ignore it until a date"
        says="It stays as it is on its system, and nothing is heard of it until then."
      >
        <Ignore one={one} close={() => setIgnoring(false)} />
      </Dialog>
    </li>
  )
}

/** Nothing at all where nothing differs. */
export function Drift({ may }: { may: boolean }) {
  const all = useData(['drift'], ['standing'], () => get('/api/v1/drift'))
  if (!all.data?.length) return null
  return (
    <Section title={`${count(all.data.length, 'difference')} that nobody made through Tempestas`}>
      <ul>
        {all.data.map((one) => (
          <Row key={one.id} one={one} may={may} />
        ))}
      </ul>
    </Section>
  )
}
