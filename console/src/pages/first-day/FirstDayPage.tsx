// The first day: five steps in order, each saying what it will do; left and taken up again at any time.

import { useState } from 'react'
import { Link } from 'react-router'
import { type Api, get, put } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Input } from '../../parts/fields'
import { Section, Sentence } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Right, Weight } from '../../parts/told'
import { useAction, useData } from '../../parts/data'
import { count } from '../../words/time'
import { AddPerson, Duties, Enrol } from '../settings/People'
import { Connect } from '../settings/Connect'

type Reply = Api['FirstDayReply']

const TITLES: Record<string, string> = {
  'second-keeper': 'Two who look after Tempestas',
  connect: 'Connect one system',
  look: 'Look',
  'hand-on': 'Set terms, hand duties on',
  convert: 'Convert the ten worst',
}

function SecondKeeper() {
  const [enrol, setEnrol] = useState<string>()
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
      <p className="px-3.5 pt-3 text-ink-2">
        Add a colleague, give them the administrator’s duty of everything, and hand them their one-time secret.
      </p>
      <AddPerson done={setEnrol} />
      <Duties />
      <Enrol name={enrol} onClose={() => setEnrol(undefined)} />
    </div>
  )
}

/** Accounts with standing rights that nobody is named for yet; how many there are in all. */
function useUnknown() {
  const standing = useData(['standing'], ['standing', 'people', 'estate'], () => get('/api/v1/standing'))
  const held = standing.data ?? []
  const unknown = [...new Map(held.filter((one) => !one.who).map((one) => [one.account, one])).values()]
  return { unknown, any: held.length > 0 }
}

/** A field with its list of what may be written there. */
function Named({ id, label, mono, value, set, of }: NamedProps) {
  return (
    <>
      <Input
        label={label}
        value={value}
        onChange={(event) => set(event.target.value)}
        list={id}
        className={mono ? 'mono' : ''}
      />
      <datalist id={id}>
        {of.map(([name, says]) => (
          <option key={name} value={name}>
            {says}
          </option>
        ))}
      </datalist>
    </>
  )
}

interface NamedProps {
  id: string
  label: string
  mono?: boolean
  value: string
  set: (value: string) => void
  of: [string, string][]
}

/** Says whose an account is: never guessed by equal names. */
function Owners() {
  const { unknown, any } = useUnknown()
  const targets = useData(['targets'], ['estate', 'standing', 'elevations'], () => get('/api/v1/targets'))
  const people = useData(['people'], ['people'], () => get('/api/v1/people'))
  const [account, setAccount] = useState('')
  const [who, setWho] = useState('')
  const present = (target: string) =>
    people.data?.find((one) => one.name === who)?.accounts.find((own) => own.target === target)?.digest ?? null
  const set = useAction(
    (target: string) => put('/api/v1/people/{who}/account', present(target), { target, account }, { who }),
    () => {
      setAccount('')
      setWho('')
    },
  )
  const chosen = unknown.find((one) => one.account === account)
  const target = targets.data?.find((one) => chosen?.scope === one.path || chosen?.scope.startsWith(`${one.path}/`))
  const accounts = unknown.map((one): [string, string] => [one.account, `${one.role} at ${one.scope}`])
  const owners = (people.data ?? []).map((one): [string, string] => [one.name, one.about])
  return (
    <form
      className="grid gap-3 px-3.5 py-3"
      onSubmit={(event) => {
        event.preventDefault()
        if (target) set.mutate(target.path)
      }}
    >
      <p>
        {any ? (
          <>
            {count(unknown.length, 'account')} nobody is named for yet.{' '}
            <Link to="/standing" className="text-sea underline">
              See all standing rights
            </Link>
            .
          </>
        ) : (
          'The first survey is on its way, as soon as a system is connected.'
        )}
      </p>
      <div className="grid items-end gap-3 sm:grid-cols-[1fr_1fr_auto]">
        <Named id="accounts" label="Account" mono value={account} set={setAccount} of={accounts} />
        <Named id="owners" label="Whose it is" value={who} set={setWho} of={owners} />
        <Button type="submit" look="main" busy={set.isPending} disabled={!target || !who}>
          Say so
        </Button>
      </div>
      <Wrong error={set.error} />
    </form>
  )
}

function Worst({ reply }: { reply: Reply }) {
  if (reply.worst.length === 0)
    return (
      <Empty>
        No standing right of a known person can be converted yet: look first, and say whose the accounts are.
      </Empty>
    )
  return (
    <div className="grid gap-3 py-2">
      <ul>
        {reply.worst.map((one) => (
          <li
            key={one.id}
            className="flex flex-wrap items-baseline justify-between gap-x-3 border-b border-line px-3.5 py-1.5"
          >
            <span>
              <span className="font-medium">{one.who}</span> as <span className="mono">{one.account}</span>:{' '}
              <Right right={`${one.role}@${one.scope}`} />
            </span>
            <Weight weight={one.weight} />
          </li>
        ))}
      </ul>
      <p className="px-3.5">
        <Link to="/standing?weight=critical&holder=known" className="text-sea underline">
          Choose among them
        </Link>
        , and the tray shows right by right what would change before anything does.
      </p>
    </div>
  )
}

function Work({ step, reply }: { step: string; reply: Reply }) {
  switch (step) {
    case 'second-keeper':
      return <SecondKeeper />
    case 'connect':
      return <Connect />
    case 'look':
      return <Owners />
    case 'hand-on':
      return (
        <div className="grid gap-3 py-3">
          <p className="px-3.5">
            Terms are set{' '}
            <Link to="/estate?at=/" className="text-sea underline">
              on the estate
            </Link>
            : at everything first, pinned where nobody below may do with less.
          </p>
          <Duties />
        </div>
      )
    default:
      return <Worst reply={reply} />
  }
}

/** The steps of the first day, those that are done among them. */
export default function FirstDayPage() {
  const query = useData(['first-day'], ['people', 'estate', 'standing', 'terms'], () => get('/api/v1/first-day'))
  const [open, setOpen] = useState<string>()
  return (
    <Shown of="the first day" query={query} lines={8}>
      {(reply) => {
        const next = reply.steps.find((step) => !step.done)?.step
        const at = open ?? next
        const done = reply.steps.filter((step) => step.done).length
        return (
          <>
            <Sentence>
              {reply.done
                ? 'The first day is done: all five steps.'
                : done === 0
                  ? 'Welcome. Five steps to the first right that ends by itself.'
                  : `${done} of five steps done; go on where you left off.`}
            </Sentence>
            <ol className="grid gap-3">
              {reply.steps.map((step, n) => (
                <li key={step.step}>
                  <Section
                    title={
                      <span className="flex items-center gap-2.5">
                        <span
                          className={`grid h-6 w-6 place-items-center rounded-full border text-[0.86rem] ${step.done ? 'border-sure text-sure' : step.step === next ? 'border-sea bg-sea text-on-sea' : 'border-edge text-ink-2'}`}
                        >
                          {step.done ? '✓' : n + 1}
                        </span>
                        {TITLES[step.step] ?? step.step}
                      </span>
                    }
                    aside={
                      <Button
                        look="quiet"
                        aria-expanded={at === step.step}
                        onClick={() => setOpen(at === step.step ? '' : step.step)}
                      >
                        {at === step.step ? 'Close' : step.done ? 'Look again' : 'Open'}
                      </Button>
                    }
                  >
                    <p className="px-3.5 py-2">
                      {step.says} <span className="text-ink-3">So far: {step.stands}.</span>
                    </p>
                    {at === step.step && (
                      <div className="border-t border-line">
                        <Work step={step.step} reply={reply} />
                      </div>
                    )}
                  </Section>
                </li>
              ))}
            </ol>
          </>
        )
      }}
    </Shown>
  )
}
