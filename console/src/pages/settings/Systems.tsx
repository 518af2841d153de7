// Systems: how each does, a survey now, its settings; and connecting one.

import { useState } from 'react'
import { type Api, get, patch, post } from '../../api/call'
import { Button, Empty, Input, Instant, Section, Select, Shown, Wrong } from '../../parts/basics'
import { useAct, useData } from '../../parts/data'
import { NAMED_FORM, readNamed, writeNamed } from '../../words/named'
import { whereIs } from '../../words/systems'
import { count, span } from '../../words/time'
import { Authorities } from './Authorities'
import { Connect } from './Connect'
import { HostEnrolment } from './HostEnrolment'

type Target = Api['TargetView']

function Change({ target, done }: { target: Target; done: () => void }) {
  // Of what the form began with, whatever comes in meanwhile.
  const [digest] = useState(target.digest)
  const [least, setLeast] = useState(String(target.emergency_least))
  const [after, setAfter] = useState(String(target.alarm_after))
  const [secret, setSecret] = useState('')
  const [host, setHost] = useState(target.runs_on ?? '')
  const [own, setOwn] = useState(target.connector.kind === 'postgres' && target.connector.own_login === true)
  const [labels, setLabels] = useState(() => writeNamed(target.labels))
  const others = useData(['targets'], ['estate', 'standing', 'elevations'], () => get('/api/v1/targets'))
  const save = useAct(
    () =>
      patch('/api/v1/targets/settings', digest, {
        target: target.path,
        emergency_least: Number(least),
        alarm_after: Number(after),
        secret: secret || null,
        runs_on: host,
        own_login: target.connector.kind === 'postgres' && own !== target.connector.own_login ? own : null,
        labels: readNamed(labels) ?? null,
      }),
    done,
  )
  return (
    <form
      className="grid gap-3 rounded bg-sunk p-3 sm:grid-cols-3"
      onSubmit={(event) => {
        event.preventDefault()
        save.mutate()
      }}
    >
      <Input
        label="Accounts that keep everything"
        type="number"
        min={0}
        value={least}
        onChange={(event) => setLeast(event.target.value)}
        hint="through any conversion"
      />
      <Input
        label="An end is an alarm after"
        type="number"
        min={1}
        value={after}
        onChange={(event) => setAfter(event.target.value)}
        hint="seconds"
      />
      {target.connector.kind !== 'linux' && (
        <Input
          label="New password or key of the broker"
          type="password"
          autoComplete="new-password"
          value={secret}
          onChange={(event) => setSecret(event.target.value)}
          hint="left out, it stays"
        />
      )}
      <Select
        label="Runs on"
        hint="so that ways through it are known"
        value={host}
        onChange={(event) => setHost(event.target.value)}
      >
        <option value="">none that is looked after</option>
        {(others.data ?? [])
          .filter((one) => one.path !== target.path)
          .map((one) => (
            <option key={one.path}>{one.path}</option>
          ))}
      </Select>
      <Input
        label="Labels"
        hint="like stage=production, quay=north; rules of terms go by them"
        value={labels}
        wrong={readNamed(labels) ? undefined : NAMED_FORM}
        onChange={(event) => setLabels(event.target.value)}
      />
      {target.connector.kind === 'postgres' && (
        <Select
          label="Grants go on"
          hint="on people’s own, every session of theirs ends with a grant"
          value={String(own)}
          onChange={(event) => setOwn(event.target.value === 'true')}
        >
          <option value="false">a login for the one grant</option>
          <option value="true">people’s own logins</option>
        </Select>
      )}
      <div className="flex gap-2 sm:col-span-3">
        <Button type="submit" look="main" busy={save.isPending} disabled={!readNamed(labels)}>
          Save
        </Button>
        <Button look="quiet" onClick={done}>
          Leave it
        </Button>
      </div>
      <div className="sm:col-span-3">
        <Wrong error={save.error} />
      </div>
    </form>
  )
}

function LetGo({ target }: { target: Target }) {
  const [reason, setReason] = useState('')
  const end = useAct(() => post('/api/v1/targets/end', { target: target.path, reason }))
  return (
    <form
      className="grid gap-2 rounded border border-line p-3"
      onSubmit={(event) => {
        event.preventDefault()
        end.mutate()
      }}
    >
      <p className="text-ink-2">
        Look after it no more: its {count(target.standing, 'standing right')} are seen no more, and nobody may ask for
        rights there. What is on it stays as it is; the record stays.
        {target.connector.kind === 'linux' && ' Take what was placed on the host away first, by the script above.'}
      </p>
      <div className="flex flex-wrap items-end gap-3">
        <Input label="Why" value={reason} onChange={(event) => setReason(event.target.value)} />
        <Button type="submit" look="alarm" busy={end.isPending} disabled={!reason.trim()}>
          Let it go
        </Button>
      </div>
      <Wrong error={end.error} />
    </form>
  )
}

function System({ target }: { target: Target }) {
  const [open, setOpen] = useState(false)
  const survey = useAct(() => post('/api/v1/targets/survey', { target: target.path }))
  const accept = useAct(() => post('/api/v1/targets/accept', { target: target.path }))
  const found = survey.data ?? accept.data
  return (
    <li className="grid gap-2 border-b border-line px-3.5 py-3 last:border-0">
      <div className="flex flex-wrap items-baseline justify-between gap-2">
        <span>
          <span className="mono font-semibold">{target.path}</span>{' '}
          <span className="text-ink-2">
            {whereIs(target.connector)}, as{' '}
            {target.broker ?? (target.connector.kind === 'linux' ? target.connector.user : 'its broker')}
          </span>
        </span>
        <span className="flex gap-1.5">
          <Button busy={survey.isPending} onClick={() => survey.mutate()}>
            Survey now
          </Button>
          <Button look="quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
            Settings
          </Button>
        </span>
      </div>
      <p className="text-ink-2">
        {count(target.standing, 'standing right')}, {target.live} live;{' '}
        {target.answered_at ? (
          <>
            answered <Instant at={target.answered_at} how="relative" />
          </>
        ) : (
          'has not answered yet'
        )}
        ; an end is an alarm after {span(target.alarm_after)}.
      </p>
      <p className="text-ink-3">
        {target.surveying ? (
          <>
            Being surveyed, since <Instant at={target.surveying} how="relative" />.{' '}
          </>
        ) : null}
        {target.last_survey && (
          <>
            Last survey <Instant at={target.last_survey.at} how="relative" />,{' '}
            {(target.last_survey.took_ms / 1000).toFixed(1)} s
            {target.last_survey.says === target.trouble ? '' : `: ${target.last_survey.says}`}.{' '}
          </>
        )}
        {Object.entries(target.labels).map(([name, value]) => (
          <span key={name} className="mono mr-1.5 rounded bg-sea-soft px-1.5 text-sea">
            {name}={value}
          </span>
        ))}
        {Object.entries(target.attributes).map(([name, value]) => (
          <span
            key={name}
            className="mono mr-1.5 rounded bg-sunk px-1.5"
            title="What the system says of itself; rules that go by it only tighten"
          >
            {name}: {value}
          </span>
        ))}
      </p>
      {target.trouble && <Wrong error={new Error(target.trouble)} />}
      {target.held && (
        <div className="flex flex-wrap items-center gap-3 rounded border border-warm-fill bg-warm-soft px-3 py-2">
          <span className="min-w-0 flex-1">
            A survey would change too much at once, so it waits for a person. Look at the alarm before you take it in.
          </span>
          <Button busy={accept.isPending} onClick={() => accept.mutate()}>
            Take it in
          </Button>
        </div>
      )}
      {found && (
        <p role="status" className="text-sure">
          {found.held
            ? `Held: ${found.held}.`
            : `Surveyed: ${found.appeared} new, ${found.vanished} gone, ${found.changed} changed; ${found.standing} now.`}
        </p>
      )}
      <Wrong error={survey.error ?? accept.error} />
      {open && <Change target={target} done={() => setOpen(false)} />}
      {target.connector.kind === 'linux' && <HostEnrolment target={target.path} begun={target.answered_at != null} />}
      {open && <LetGo target={target} />}
    </li>
  )
}

export function Systems() {
  const targets = useData(['targets'], ['estate', 'standing', 'elevations'], () => get('/api/v1/targets'))
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
      <Section title="Systems">
        <Shown of="systems" query={targets} lines={4}>
          {(all) =>
            all.length === 0 ? (
              <Empty>
                No system is connected yet. Connect the first below: it is only read until you convert something.
              </Empty>
            ) : (
              <ul>
                {all.map((target) => (
                  <System key={target.path} target={target} />
                ))}
              </ul>
            )
          }
        </Shown>
      </Section>
      <Authorities />
      <Section title="Connect a system">
        <Connect />
      </Section>
    </div>
  )
}
