// People, groups, programs: adding, enrolling, suspending; duties within Tempestas.

import { useVirtualizer } from '@tanstack/react-virtual'
import { useRef, useState } from 'react'
import { type Api, get, post, remove } from '../../api/call'
import { Copyable } from '../../parts/Copyable'
import { Button } from '../../parts/buttons'
import { Input, Select } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant, Who } from '../../parts/told'
import { useAction, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'

type Subject = Api['SubjectView']
const ROW = 48

function Row({ one, enrol }: { one: Subject; enrol: (name: string) => void }) {
  const suspend = useAction(() =>
    post(one.suspended ? '/api/v1/people/{who}/resume' : '/api/v1/people/{who}/suspend', undefined, { who: one.name }),
  )
  return (
    <>
      <span className="min-w-0 flex-1">
        <Who name={one.name} className="font-medium" /> <span className="text-ink-3">{one.kind}</span>
        <span className="block truncate text-[0.86rem] text-ink-3">
          {one.about}
          {one.suspended && <strong className="text-alarm"> · suspended</strong>}
          {suspend.error && <strong className="text-alarm"> · {suspend.error.message}</strong>}
        </span>
      </span>
      {one.kind === 'person' && (
        <Button look="quiet" onClick={() => enrol(one.name)}>
          Let enrol
        </Button>
      )}
      <Button look="quiet" busy={suspend.isPending} onClick={() => suspend.mutate()}>
        {one.suspended ? 'Resume' : 'Suspend'}
      </Button>
    </>
  )
}

function List({ people, enrol }: { people: Subject[]; enrol: (name: string) => void }) {
  const scroll = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: people.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW,
    overscan: 6,
  })
  if (people.length === 0) return <Empty>Nobody of that name is known here.</Empty>
  return (
    <div
      ref={scroll}
      tabIndex={0}
      role="region"
      aria-label="People, groups and programs"
      className="max-h-[56vh] overflow-auto"
    >
      <ul className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map((item) => {
          const one = people[item.index]
          return one ? (
            <li
              key={one.id}
              className="absolute inset-x-0 flex items-center gap-1.5 border-b border-line px-3.5"
              style={{ height: ROW, transform: `translateY(${item.start}px)` }}
            >
              <Row one={one} enrol={enrol} />
            </li>
          ) : null
        })}
      </ul>
    </div>
  )
}

/** Adds somebody; `done` is told the name. */
export function AddPerson({ done }: { done?: (name: string) => void }) {
  const [kind, setKind] = useState<Subject['kind']>('person')
  const [name, setName] = useState('')
  const [about, setAbout] = useState('')
  const add = useAction(
    () => post('/api/v1/people', { kind, name, about, second_of: null }),
    (made) => {
      setName('')
      setAbout('')
      done?.(made.name)
    },
  )
  return (
    <form
      className="grid gap-3 px-3.5 py-3"
      onSubmit={(event) => {
        event.preventDefault()
        add.mutate()
      }}
    >
      <div className="grid gap-3 sm:grid-cols-[8rem_1fr_1fr]">
        <Select label="Is a" value={kind} onChange={(event) => setKind(event.target.value as Subject['kind'])}>
          <option>person</option>
          <option>group</option>
          <option>program</option>
        </Select>
        <Input
          label="Name to sign in by"
          value={name}
          onChange={(event) => setName(event.target.value)}
          className="mono"
          placeholder="henrik.voss"
          required
        />
        <Input
          label="Full name, or what it is for"
          value={about}
          onChange={(event) => setAbout(event.target.value)}
          required
        />
      </div>
      <Wrong error={add.error} />
      {add.data && add.data.alike.length > 0 && (
        <p role="status" className="text-alarm">
          At a glance <span className="mono">{add.data.name}</span> looks like{' '}
          <span className="mono">{add.data.alike.join(', ')}</span>; whoever answers their asks is told.
        </p>
      )}
      <Button type="submit" look="main" busy={add.isPending} className="justify-self-start">
        Add
      </Button>
    </form>
  )
}

/** The one-time secret of somebody, shown once. */
export function Enrol({ name, onClose }: { name: string | undefined; onClose: () => void }) {
  const issue = useAction((who: string) => post('/api/v1/people/{who}/enrolment', undefined, { who }))
  const close = () => {
    issue.reset()
    onClose()
  }
  return (
    <Dialog
      open={name !== undefined}
      onClose={close}
      title={`Let ${name} enrol`}
      says="A one-time secret, to be handed over in person. It sets password and code anew; what was there before is void, passkeys included. Whoever issues it can’t be answered by them for a day."
    >
      {issue.data ? (
        <div className="grid gap-3">
          <Copyable label="One-time secret" text={issue.data.secret} secret />
          <p>
            Good until <Instant at={issue.data.expires} />, once, at{' '}
            <span className="mono">{location.origin}/enrol</span>.
          </p>
          <Button onClick={close}>I have handed it over</Button>
        </div>
      ) : (
        <div className="grid gap-3">
          <Wrong error={issue.error} />
          <Button look="main" busy={issue.isPending} onClick={() => name && issue.mutate(name)}>
            Issue it
          </Button>
        </div>
      )}
    </Dialog>
  )
}

/** Who has which duty within Tempestas. */
export function Duties() {
  const duties = useData(['duties'], ['people'], () => get('/api/v1/duties'))
  const [who, setWho] = useState('')
  const [duty, setDuty] = useState<Api['DutyKind']>('auditor')
  const [scope, setScope] = useState('/')
  const give = useAction(
    () => post('/api/v1/duties', { who, duty, scope }),
    () => setWho(''),
  )
  const end = useAction((id: string) => remove('/api/v1/duties/{id}', { id }))
  return (
    <Section title="Duties within Tempestas">
      <Shown of="duties" query={duties} lines={3}>
        {(all) => (
          <ul>
            {all.map((one) => (
              <li key={one.id} className="flex items-center justify-between gap-3 border-b border-line px-3.5 py-1.5">
                <span>
                  <Who name={one.who} className="font-medium" />: {one.duty} of{' '}
                  <span className="mono">{one.scope === '/' ? 'everything' : one.scope}</span>
                </span>
                <Button
                  look="quiet"
                  busy={end.isPending && end.variables === one.id}
                  onClick={() => end.mutate(one.id)}
                >
                  End
                </Button>
              </li>
            ))}
          </ul>
        )}
      </Shown>
      <form
        className="grid items-end gap-3 px-3.5 py-3 sm:grid-cols-[1fr_9rem_1fr_auto]"
        onSubmit={(event) => {
          event.preventDefault()
          give.mutate()
        }}
      >
        <Input label="Person or group" value={who} onChange={(event) => setWho(event.target.value)} required />
        <Select label="Duty" value={duty} onChange={(event) => setDuty(event.target.value as Api['DutyKind'])}>
          <option>auditor</option>
          <option>administrator</option>
          <option>owner</option>
        </Select>
        <Input label="Of" value={scope} onChange={(event) => setScope(event.target.value)} className="mono" required />
        <Button type="submit" look="main" busy={give.isPending}>
          Give
        </Button>
      </form>
      <div className="px-3.5 pb-3">
        <Wrong error={give.error ?? end.error} />
      </div>
    </Section>
  )
}

/** Everybody, and what may be changed of them. */
export function People() {
  const [q, setQ] = useState('')
  const [enrol, setEnrol] = useState<string>()
  const people = useData(['people'], ['people'], () => get('/api/v1/people'))
  const low = q.toLowerCase()
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-2">
      <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
        <Section
          title="People, groups, programs"
          aside={
            <input
              type="search"
              value={q}
              onChange={(event) => setQ(event.target.value)}
              aria-label="Search people"
              placeholder="Search"
              className="h-8 w-44 rounded border border-edge bg-sheet px-2"
            />
          }
        >
          <Shown of="people" query={people} lines={8}>
            {(all) => (
              <List
                people={all.filter((one) => `${one.name} ${one.about}`.toLowerCase().includes(low))}
                enrol={setEnrol}
              />
            )}
          </Shown>
        </Section>
        <Section title="Add somebody">
          <AddPerson done={(name) => setQ(name)} />
        </Section>
      </div>
      <Duties />
      <Enrol name={enrol} onClose={() => setEnrol(undefined)} />
    </div>
  )
}
