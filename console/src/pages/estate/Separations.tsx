// Separations of duties: what nobody has together, how much one person has, how many people have something; each with what breaks
// it at present, which can be put up with until a day.

import { useState } from 'react'
import { type Api, get, post, put, remove } from '../../api/call'
import { Button } from '../../parts/buttons'
import { useAction, useData } from '../../parts/data'
import { Input, NumberInput, Select } from '../../parts/fields'
import { Dialog } from '../../parts/overlay'
import { Wrong } from '../../parts/shown'
import { Instant, Who } from '../../parts/told'
import { local, throughDay } from '../../words/time'
import { Named, Setting, WouldBreak } from './Named'

type Separation = Api['SeparationView']
type Breach = Api['BreachView']
type Body = Api['SeparationBody']
type Keeps = Body['keeps']

const SEES_TO: Record<Keeps['is'], string> = {
  apart: 'nobody has both',
  few: 'nobody has more than so many',
  holders: 'so many people have one',
}

const COUNTS: Record<NonNullable<Body['counts']>, string> = {
  eligible: 'who may ask for it, or holds it',
  held: 'only who holds it at one time',
}

const RIGHTS = 'role@/path, weight:critical@/path, or /path for all there'

/** The same rights, seen to otherwise. */
function otherwise(keeps: Keeps, is: Keeps['is']): Keeps {
  const of = keeps.is === 'apart' ? keeps.one : keeps.of
  if (is === 'apart') return { is, one: of, other: '' }
  return is === 'few' ? { is, of, most: 2 } : { is, of, least: 0, most: 2 }
}

const isWhole = (keeps: Keeps) =>
  keeps.is === 'apart' ? !!keeps.one.trim() && !!keeps.other.trim() : !!keeps.of.trim()

/** Which rights it is about, and how many. */
function About({ keeps, set }: { keeps: Keeps; set: (keeps: Keeps) => void }) {
  if (keeps.is === 'apart')
    return (
      <>
        <Input
          label="One of these"
          hint={RIGHTS}
          value={keeps.one}
          onChange={(event) => set({ ...keeps, one: event.target.value })}
        />
        <Input
          label="and one of these"
          value={keeps.other}
          onChange={(event) => set({ ...keeps, other: event.target.value })}
        />
      </>
    )
  return (
    <>
      <Input
        label="Of these"
        hint={RIGHTS}
        value={keeps.of}
        onChange={(event) => set({ ...keeps, of: event.target.value })}
      />
      {keeps.is === 'few' ? (
        <NumberInput label="One person at most" value={keeps.most} set={(most) => set({ ...keeps, most: most ?? 0 })} />
      ) : (
        <div className="grid grid-cols-2 gap-3">
          <NumberInput
            label="People at least"
            value={keeps.least}
            set={(least) => set({ ...keeps, least: least ?? 0 })}
          />
          <NumberInput
            label="People at most"
            value={keeps.most}
            set={(most) => set({ ...keeps, most: most ?? null })}
          />
        </div>
      )}
    </>
  )
}

function Edit({ one, close }: { one?: Separation; close: () => void }) {
  const [name, setName] = useState(one?.name ?? '')
  const [body, setBody] = useState<Body>(
    one
      ? { keeps: one.keeps, counts: one.counts ?? 'eligible' }
      : { keeps: { is: 'apart', one: '', other: '' }, counts: 'eligible' },
  )
  const { keeps, counts } = body
  const set = (keeps: Keeps) => setBody({ ...body, keeps })
  const save = useAction(
    () => put('/api/v1/separations/{name}', one?.digest ?? null, body, { name: name.trim() }),
    close,
  )
  const end = useAction(() => remove('/api/v1/separations/{name}', { name }), close)
  return (
    <Setting
      of={one?.name}
      anew={{ title: 'A new separation', like: 'plan-or-pay' }}
      says="It holds at once, wherever a right is offered, asked for or opened. Whoever breaks it already asks for none of these until that is put right, or tolerated."
      saves="Change it"
      may={isWhole(keeps)}
      {...{ name, setName, save, end, close }}
    >
      <Select
        label="Sees to it that"
        value={keeps.is}
        onChange={(event) => set(otherwise(keeps, event.target.value as Keeps['is']))}
      >
        {Object.entries(SEES_TO).map(([is, says]) => (
          <option key={is} value={is}>
            {says}
          </option>
        ))}
      </Select>
      <About keeps={keeps} set={set} />
      <Select
        label="Counts"
        value={counts ?? 'eligible'}
        onChange={(event) => setBody({ ...body, counts: event.target.value as NonNullable<Body['counts']> })}
      >
        {Object.entries(COUNTS).map(([counts, says]) => (
          <option key={counts} value={counts}>
            {says}
          </option>
        ))}
      </Select>
      <WouldBreak
        body={body}
        may={isWhole(keeps)}
        look={(body) => post('/api/v1/separations/preview', body)}
        each={(found) => found.map((breach) => <Broken key={breach.who ?? ''} breach={breach} />)}
      />
    </Setting>
  )
}

function Broken({ breach }: { breach: Breach }) {
  return (
    <>
      {breach.who && <Who name={breach.who} />} {breach.says}
    </>
  )
}

interface Tolerating {
  name: string
  breach: Breach
}

/** Puts up with one, until the end of a day. */
function Tolerate({ name, breach, close }: Tolerating & { close: () => void }) {
  const [day, setDay] = useState('')
  const [reason, setReason] = useState('')
  const send = useAction(
    () =>
      post(
        '/api/v1/separations/{name}/tolerate',
        { who: breach.who ?? null, until: throughDay(day), reason: reason.trim() },
        { name },
      ),
    close,
  )
  return (
    <Dialog
      open
      onClose={close}
      title={`Tolerate what breaks ${name}`}
      says="They may go on with just what they have of it. It is in the record, with your name."
    >
      <div className="grid gap-3">
        <p className="break-words">
          <Broken breach={breach} />.
        </p>
        <Input
          label="Through"
          type="date"
          min={local(new Date()).slice(0, 10)}
          value={day}
          onChange={(event) => setDay(event.target.value)}
        />
        <Input label="Why" maxLength={500} value={reason} onChange={(event) => setReason(event.target.value)} />
        <Wrong error={send.error} />
        <Button
          look="main"
          className="justify-self-start"
          busy={send.isPending}
          disabled={!day || !reason.trim()}
          onClick={() => send.mutate()}
        >
          Tolerate it
        </Button>
      </div>
    </Dialog>
  )
}

/** What breaks it, and whether that is tolerated. */
function Row({ name, breach, may }: Tolerating & { may: boolean }) {
  const [open, setOpen] = useState(false)
  const end = useAction(() =>
    post('/api/v1/separations/{name}/tolerate', { who: breach.who ?? null, until: null, reason: '' }, { name }),
  )
  const { tolerated_until: until, because } = breach
  return (
    <li className="flex flex-wrap items-baseline gap-x-2">
      <span className={until ? 'text-ink-2' : 'text-warm'}>
        <Broken breach={breach} />
        {until && (
          <>
            , tolerated until <Instant at={until} />
            {because && <>: “{because}”</>}
          </>
        )}
        .
      </span>
      {may && (
        <Button look="quiet" busy={end.isPending} onClick={() => (until ? end.mutate() : setOpen(true))}>
          {until ? 'Tolerate no longer' : 'Tolerate'}
        </Button>
      )}
      <Wrong error={end.error} />
      {open && <Tolerate {...{ name, breach }} close={() => setOpen(false)} />}
    </li>
  )
}

function Says({ one, may }: { one: Separation; may: boolean }) {
  return (
    <>
      <p className="break-words">
        <span className="mono font-semibold">{one.name}</span> {one.says}
      </p>
      {one.without_right.map((rights) => (
        <p key={rights} className="text-warm">
          There is no right of {rights} at present: it keeps nothing by that.
        </p>
      ))}
      {one.breaches.length === 0 ? (
        <p className="text-ink-2">Nothing breaks it.</p>
      ) : (
        <ul aria-label={`Breaks ${one.name}`}>
          {one.breaches.map((breach) => (
            <Row key={breach.who ?? ''} name={one.name} {...{ breach, may }} />
          ))}
        </ul>
      )}
    </>
  )
}

/** Every separation that the reader sees; `may` where they may change them. */
export function Separations({ may }: { may: boolean }) {
  const all = useData(['separations'], ['terms', 'people', 'standing', 'elevations'], () => get('/api/v1/separations'))
  return (
    <Named
      title="Separations"
      none="None is set: nothing is kept apart, whoever may ask for what."
      {...{ all, may, Says, Edit }}
    />
  )
}
