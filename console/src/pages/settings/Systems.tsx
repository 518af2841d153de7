// Systems: how each does, a survey now, its settings; and connecting one.

import { useState } from 'react'
import { type Api, get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant } from '../../parts/told'
import { useAction, useData, useNow } from '../../parts/data'
import { whereIs } from '../../words/systems'
import { count, span } from '../../words/time'
import { Authorities } from './Authorities'
import { ChangeSystem, LetGo } from './ChangeSystem'
import { Connect } from './Connect'
import { HostEnrolment } from './HostEnrolment'

type Target = Api['TargetView']

/** How a system stands: what stands and is live on it, and when it answered. */
function Stands({ target }: { target: Target }) {
  return (
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
  )
}

/** Its last survey, its labels, and what it says of itself. */
function Told({ target }: { target: Target }) {
  const last = target.last_survey
  return (
    <p className="text-ink-3">
      {target.surveying && (
        <>
          Being surveyed, since <Instant at={target.surveying} how="relative" />.{' '}
        </>
      )}
      {last && (
        <>
          Last survey <Instant at={last.at} how="relative" />, {(last.took_ms / 1000).toFixed(1)} s
          {last.says === target.trouble ? '' : `: ${last.says}`}.{' '}
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
  )
}

/** The emergency holders that it has sealed, and by when each is to be tried. */
function Seals({ target }: { target: Target }) {
  const now = useNow()
  const tried = useAction((account: string) =>
    post('/api/v1/targets/seals/tried', { target: target.path, account, next: null }),
  )
  if (target.seals.length === 0) return null
  return (
    <ul className="grid gap-1" aria-label={`Sealed on ${target.path}`}>
      {target.seals.map((seal) => (
        <li key={seal.account} className="flex flex-wrap items-center gap-x-3 gap-y-1">
          <span>
            <span className="mono">{seal.account}</span>, sealed:{' '}
            {seal.tried_at ? (
              <>
                tried <Instant at={seal.tried_at} how="relative" />
                {seal.tried_by && <> (says {seal.tried_by})</>}
              </>
            ) : (
              'never tried'
            )}
            ;{' '}
            <span className={new Date(seal.due) <= now ? 'text-alarm' : ''}>
              to be tried by <Instant at={seal.due} />
            </span>
          </span>
          <Button look="quiet" busy={tried.isPending} onClick={() => tried.mutate(seal.account)}>
            It was tried
          </Button>
        </li>
      ))}
      <Wrong error={tried.error} />
    </ul>
  )
}

function Held({ busy, onTake }: { busy: boolean; onTake: () => void }) {
  return (
    <div className="flex flex-wrap items-center gap-3 rounded border border-warm-fill bg-warm-soft px-3 py-2">
      <span className="min-w-0 flex-1">
        A survey would change too much at once, so it waits for a person. Look at the alarm before you take it in.
      </span>
      <Button busy={busy} onClick={onTake}>
        Take it in
      </Button>
    </div>
  )
}

function System({ target }: { target: Target }) {
  const [open, setOpen] = useState(false)
  const survey = useAction(() => post('/api/v1/targets/survey', { target: target.path }))
  const accept = useAction(() => post('/api/v1/targets/accept', { target: target.path }))
  const found = survey.data ?? accept.data
  const user = target.connector.kind === 'linux' ? target.connector.user : 'its broker'
  return (
    <li className="grid gap-2 border-b border-line px-3.5 py-3 last:border-0">
      <div className="flex flex-wrap items-baseline justify-between gap-2">
        <span>
          <span className="mono font-semibold">{target.path}</span>{' '}
          <span className="text-ink-2">
            {whereIs(target.connector)}, as {target.broker ?? user}
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
      <Stands target={target} />
      <Told target={target} />
      <Seals target={target} />
      {target.trouble && <Wrong error={new Error(target.trouble)} />}
      {target.held && <Held busy={accept.isPending} onTake={() => accept.mutate()} />}
      {found && (
        <p role="status" className="text-sure">
          {found.held
            ? `Held: ${found.held}.`
            : `Surveyed: ${found.appeared} new, ${found.vanished} gone, ${found.changed} changed; ${found.standing} now.`}
        </p>
      )}
      <Wrong error={survey.error ?? accept.error} />
      {open && <ChangeSystem target={target} done={() => setOpen(false)} />}
      {target.connector.kind === 'linux' && <HostEnrolment target={target.path} begun={target.answered_at != null} />}
      {open && <LetGo target={target} />}
    </li>
  )
}

/** Every system that is connected, and how its surveys go. */
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
