// One scope: what is there, who can, and its terms.

import { useState } from 'react'
import { type Api, get } from '../../api/call'
import { Select } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant, Right, Weight, Who } from '../../parts/told'
import { useData } from '../../parts/data'
import { Ways } from '../../parts/Ways'
import { whereIs } from '../../words/systems'
import { count, span } from '../../words/time'
import { Assurances } from './Assurances'
import { Calendars } from './Calendars'
import { Circumstances } from './Circumstances'
import { TermsFiles } from './Files'
import { Promises } from './Promises'
import { Separations } from './Separations'
import { TermsEditor } from './TermsEditor'
import { isOverseer, useMe } from '../../parts/me'

type Scope = Api['ScopeView']

const within = (path: string, of: string) => of === '/' || path === of || path.startsWith(`${of}/`)

function TargetFacts({ path }: { path: string }) {
  const targets = useData(['targets'], ['estate', 'standing', 'elevations'], () => get('/api/v1/targets'))
  const target = targets.data?.find((one) => one.path === path)
  if (!target) return null
  return (
    <Section title="The system">
      <dl className="grid grid-cols-[7rem_minmax(0,1fr)] gap-x-3 gap-y-1.5 px-3.5 py-3">
        <dt className="label">Kind</dt>
        <dd>{whereIs(target.connector)}</dd>
        <dt className="label">Answered</dt>
        <dd>{target.answered_at ? <Instant at={target.answered_at} how="relative" /> : 'not yet'}</dd>
        <dt className="label">Last survey</dt>
        <dd>
          {target.surveyed_at ? (
            <>
              changed something <Instant at={target.surveyed_at} how="relative" />
            </>
          ) : (
            'none yet'
          )}
          {target.held && <span className="text-alarm">; one is held and waits for a person</span>}
        </dd>
        <dt className="label">Keeps</dt>
        <dd>
          {count(target.emergency_least, 'account')} with everything, through any conversion; an end is an alarm after{' '}
          {span(target.alarm_after)}
        </dd>
      </dl>
      {target.trouble && (
        <div className="px-3.5 pb-3">
          <Wrong error={new Error(target.trouble)} />
        </div>
      )}
    </Section>
  )
}

/** Held all the time at a scope: the first ten, or all. */
function Held({ held }: { held: Api['StandingView'][] }) {
  const [all, setAll] = useState(false)
  return (
    <>
      <h3 className="label px-3.5 pt-2.5">All the time: {count(held.length, 'right')}</h3>
      {held.length === 0 && <Empty>Nobody holds anything here all the time.</Empty>}
      <ul>
        {held.slice(0, all ? 500 : 10).map((one) => (
          <li key={one.id} className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-3 border-b border-line px-3.5 py-1.5">
            <span className="min-w-0">
              {one.who ? <Who name={one.who} className="font-medium" /> : <span className="mono">{one.account}</span>}{' '}
              <Right right={`${one.role}@${one.scope}`} />
              {one.chain.length > 0 && (
                <span className="block text-[0.86rem] text-ink-3">because of {one.chain.join(' → ')}</span>
              )}
            </span>
            <Weight weight={one.weight} />
          </li>
        ))}
      </ul>
      {held.length > 10 && !all && (
        <button type="button" onClick={() => setAll(true)} className="px-3.5 py-2 text-sea underline">
          all {held.length}
        </button>
      )}
    </>
  )
}

/** Who may ask for something at a scope, above or below it. */
function Eligible({ may }: { may: Api['EligibilityView'][] }) {
  return (
    <>
      <h3 className="label px-3.5 pt-2.5">On asking: {may.length}</h3>
      <ul>
        {may.slice(0, 30).map((one) => (
          <li key={one.id} className="border-b border-line px-3.5 py-1.5 last:border-0">
            <Who name={one.who} className="font-medium" /> may ask for <Right right={one.right} />
            {one.until && (
              <>
                {' '}
                until <Instant at={one.until} />
              </>
            )}
          </li>
        ))}
      </ul>
      {may.length === 0 && <Empty>Nobody may ask for anything here.</Empty>}
    </>
  )
}

function WhoCan({ path }: { path: string }) {
  const standing = useData(['standing', 'at', path], ['standing', 'people'], () =>
    get('/api/v1/standing', { query: { at: path } }),
  )
  const eligible = useData(['eligibilities'], ['people'], () => get('/api/v1/eligibilities'))
  const may = (eligible.data ?? []).filter((one) => {
    const scope = one.right.split('@')[1] ?? ''
    return within(scope, path) || within(path, scope)
  })
  return (
    <Section title="Who can">
      <Shown of="who can" query={standing}>
        {(held) => (
          <>
            <Held held={held} />
            <Eligible may={may} />
          </>
        )}
      </Shown>
    </Section>
  )
}

/** Each setting, what holds of it, and which rule that comes from. */
function SettingsTable({ settings }: { settings: Api['EffectiveReply']['settings'] }) {
  return (
    <table className="w-full text-left">
      <thead>
        <tr className="label border-b border-line">
          <th className="px-3.5 py-1">Setting</th>
          <th className="px-2 py-1">What holds</th>
          <th className="px-2 py-1">Comes from</th>
        </tr>
      </thead>
      <tbody>
        {settings.map((one) => (
          <tr key={one.setting} className="border-b border-line align-top last:border-0">
            <th scope="row" className="px-3.5 py-1.5 font-medium">
              {one.setting}
            </th>
            <td className="px-2 py-1.5">{one.value}</td>
            <td className="px-2 py-1.5 text-ink-2">
              {one.from}
              {one.tightened_by.length > 0 && (
                <span className="ml-1 rounded bg-sea-soft px-1 text-[0.82rem] text-sea">pinned</span>
              )}
              {one.passed_over.length > 0 && (
                <span className="block text-[0.86rem] text-ink-3">passed over: {one.passed_over.join(', ')}</span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** What holds for one role and one asker. */
function Effective({ path, roles }: { path: string; roles: Api['RoleView'][] }) {
  const here = roles.filter((role) => within(path, role.target))
  const [role, setRole] = useState('')
  const [asker, setAsker] = useState('')
  const people = useData(['people'], ['people'], () => get('/api/v1/people'))
  const right = `${role || here[0]?.role}@${path}`
  const effective = useData(
    ['effective', right, asker],
    ['terms', 'people'],
    () => get('/api/v1/terms/effective', { query: { right, asker: asker || undefined } }),
    { enabled: here.length > 0, keep: true },
  )
  if (here.length === 0)
    return <Empty>Terms hold for rights on systems; choose a system or a part of one to see what holds there.</Empty>
  return (
    <>
      <div className="grid gap-3 px-3.5 py-3 sm:grid-cols-2">
        <Select label="For the role" value={role || here[0]?.role} onChange={(event) => setRole(event.target.value)}>
          {here.map((one) => (
            <option key={one.role} value={one.role}>
              {one.role} ({one.weight})
            </option>
          ))}
        </Select>
        <Select label="Asked by" value={asker} onChange={(event) => setAsker(event.target.value)}>
          <option value="">anybody like you</option>
          {(people.data ?? []).map((one) => (
            <option key={one.id} value={one.name}>
              {one.name} ({one.kind})
            </option>
          ))}
        </Select>
      </div>
      <Shown of="what holds" query={effective}>
        {({ settings }) => <SettingsTable settings={settings} />}
      </Shown>
    </>
  )
}

/** A scope: what it is, its terms, what they come to, and who can do what there. */
export function ScopeSheet({ path, scope }: { path: string; scope: Scope | undefined }) {
  const me = useMe()
  const roles = useData(['roles'], ['standing', 'estate'], () => get('/api/v1/roles'))
  const administers = me.data?.duties.some((duty) => duty.duty === 'administrator' && within(path, duty.scope)) ?? false
  if (!scope) return <Empty>There is no scope {path} that you may see.</Empty>
  return (
    <div className="grid min-w-0 grid-cols-[minmax(0,1fr)] gap-4">
      <h2 className="mono text-[1.07rem] font-semibold break-words">{path === '/' ? 'Everything' : path}</h2>
      {scope.kind === 'target' && <TargetFacts path={path} />}
      <TermsEditor path={path} roles={roles.data ?? []} may={administers} />
      {me.data && isOverseer(me.data) && <TermsFiles path={path} may={administers} />}
      {path === '/' && <Assurances may={me.data?.administers_all ?? false} />}
      {path === '/' && <Calendars may={me.data?.administers_all ?? false} />}
      {path === '/' && <Circumstances may={me.data?.administers_all ?? false} />}
      {path === '/' && <Promises may={me.data?.administers_all ?? false} />}
      {path === '/' && <Separations may={me.data?.administers_all ?? false} />}
      <Section title="What holds here">
        <Effective path={path} roles={roles.data ?? []} />
      </Section>
      <WhoCan path={path} />
      <Ways key={path} to={path} />
    </div>
  )
}
