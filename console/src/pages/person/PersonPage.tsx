// One page for a person, a group or a program: all that is held, may be asked for, is live, has ended, by what route.

import { OctagonX } from 'lucide-react'
import { useState } from 'react'
import { useParams } from 'react-router'
import { type Api, get } from '../../api/call'
import { StopDialog } from '../../frame/Stop'
import { Button } from '../../parts/buttons'
import { Section, Sentence } from '../../parts/sections'
import { Empty, Shown } from '../../parts/shown'
import { Instant, Reference, Right, State, Weight, Who } from '../../parts/told'
import { Said } from '../../parts/Said'
import { useData } from '../../parts/data'
import { isAdministrator, isOverseer, type Me, useMe } from '../../parts/me'
import { Ways } from '../../parts/Ways'
import { count, figure, list } from '../../words/time'
import { Covers } from './Covers'
import { Delegations } from './Delegations'
import { Eligible } from './Eligible'
import { GiveEligibility } from './GiveEligibility'
import { Manager } from './Manager'
import { Members } from './Members'

type Page = Api['PersonPage']

function sentence(page: Page): string {
  const live = page.elevations.filter((one) => ['live', 'opening', 'closing'].includes(one.state)).length
  const parts = [
    `holds ${count(page.standing.length, 'right')} all the time`,
    `may ask for ${figure(page.eligible.length)}`,
    live > 0 ? `has ${figure(live)} live now` : 'has nothing live',
  ]
  return `${page.subject.name} ${list(parts)}.`
}

function Facts({ page, may }: { page: Page; may: boolean }) {
  const { subject } = page
  const rows: [string, React.ReactNode][] = [
    ['Is', `${subject.kind}${subject.suspended ? ', suspended' : ''}${subject.about ? `: ${subject.about}` : ''}`],
    ...(subject.second_of
      ? [['Second of', <Who key="s" name={subject.second_of} />] as [string, React.ReactNode]]
      : []),
    ...(subject.kind === 'person' && !subject.second_of
      ? [
          ['Manager', <Manager key="m" who={subject.name} manager={subject.manager} may={may} />] as [
            string,
            React.ReactNode,
          ],
        ]
      : []),
    [
      'Belongs to',
      page.groups.length === 0
        ? 'no group'
        : page.groups.map((way, n) => (
            <span key={way.group}>
              {n > 0 && ', '}
              <Who name={way.group} />
              {way.by.length > 0 && <span className="text-ink-3"> through {way.by.join(', ')}</span>}
            </span>
          )),
    ],
    [
      'Accounts',
      subject.accounts.length === 0 ? (
        'none named'
      ) : (
        <span className="mono">{subject.accounts.map((own) => `${own.account}@${own.target}`).join(', ')}</span>
      ),
    ],
    [
      'Duties',
      page.duties.length === 0
        ? 'none'
        : page.duties
            .map((duty) => `${duty.duty} of ${duty.scope}${duty.who === subject.name ? '' : ` (${duty.who})`}`)
            .join(', '),
    ],
    ['Last sign-in', page.signed_in_at ? <Instant at={page.signed_in_at} /> : 'not lately'],
  ]
  return (
    <dl className="grid grid-cols-[6.5rem_minmax(0,1fr)] gap-x-3 gap-y-1.5 px-3.5 py-3">
      {rows.map(([term, value]) => (
        <div key={term} className="contents">
          <dt className="label pt-0.5">{term}</dt>
          <dd className="break-words">{value}</dd>
        </div>
      ))}
    </dl>
  )
}

function Standing({ page }: { page: Page }) {
  if (page.standing.length === 0)
    return <Empty>Holds nothing all the time, as far as surveys and your duties show.</Empty>
  return (
    <ul>
      {page.standing.map((held) => (
        <li key={held.id} className="grid gap-0.5 border-b border-line px-3.5 py-2 last:border-0">
          <span className="flex items-baseline justify-between gap-3">
            <Right right={`${held.role}@${held.scope}`} />
            <Weight weight={held.weight} />
          </span>
          <span className="text-ink-3">
            as <span className="mono">{held.account}</span>
            {held.chain.length > 0 && `, by ${held.chain.join(' → ')}`};{' '}
            {held.last_used ? (
              <>
                last used <Instant at={held.last_used} how="relative" />
              </>
            ) : held.use_is_told ? (
              'never seen used'
            ) : (
              'use not known'
            )}
          </span>
        </li>
      ))}
    </ul>
  )
}

function Elevations({ page }: { page: Page }) {
  const [all, setAll] = useState(false)
  if (page.elevations.length === 0) return <Empty>Has asked for nothing yet that you may see.</Empty>
  return (
    <ul>
      {page.elevations.slice(0, all ? undefined : 12).map((one) => (
        <li
          key={one.id}
          className="grid grid-cols-[4.5rem_minmax(0,1fr)_auto] items-baseline gap-x-2 border-b border-line px-3.5 py-1.5 last:border-0"
        >
          <Reference id={one.id} />
          <span className="min-w-0">
            <span className="mono">{one.role}</span> <span className="text-ink-2">{one.reason}</span>
            {one.leftovers > 0 && <span className="text-alarm"> {count(one.leftovers, 'leftover')}</span>}
          </span>
          <span className="flex items-baseline gap-2">
            <State state={one.state} />
            <span className="text-ink-3">
              <Instant at={one.from} how="relative" />
            </span>
          </span>
        </li>
      ))}
      {page.elevations.length > 12 && !all && (
        <li className="px-3.5 py-2">
          <Button look="quiet" onClick={() => setAll(true)}>
            All {page.elevations.length}
          </Button>
        </li>
      )}
    </ul>
  )
}

/** What the record says of them lately. */
function Lately({ page }: { page: Page }) {
  if (page.entries.length === 0) return <Empty>Nothing lately that you may see.</Empty>
  return (
    <ul>
      {page.entries.slice(0, 14).map((entry) => (
        <li key={entry.n} className="border-b border-line px-3.5 py-1.5 last:border-0">
          <span className="font-medium">{entry.who}</span> <Said words={entry.words} />{' '}
          <span className="text-ink-3">
            <Instant at={entry.at} how="relative" />
          </span>
        </li>
      ))}
    </ul>
  )
}

/** Who they are, what they hold, and what they may ask for. */
function Holds({ page, me }: { page: Page; me: Me | undefined }) {
  const { name, kind } = page.subject
  const administers = me !== undefined && isAdministrator(me)
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
      <Section title="Who">
        <Facts page={page} may={me?.administers_all ?? false} />
      </Section>
      {kind === 'group' && <Members group={name} members={page.subject.members} may={administers} />}
      <Section title="Held all the time">
        <Standing page={page} />
      </Section>
      {me && isOverseer(me) && <Ways key={name} of={name} />}
      <Section title="May be asked for" aside={administers && <GiveEligibility who={name} />}>
        <Eligible of={name} eligible={page.eligible} may={administers} own={me?.name === name} />
      </Section>
      {kind === 'person' && <Covers of={name} may={administers || me?.name === name} />}
      {kind === 'person' && <Delegations of={name} may={me?.administers_all === true || me?.name === name} />}
    </div>
  )
}

/** All that is known of a person, a group or a program, as far as the reader may see. */
export default function PersonPage() {
  const { name = '' } = useParams()
  const me = useMe()
  const [stop, setStop] = useState(false)
  const query = useData(['person', name], ['people', 'standing', 'elevations', 'record'], () =>
    get('/api/v1/people/{who}', { at: { who: name } }),
  )
  return (
    <Shown page of={name} query={query} lines={8}>
      {(page) => (
        <>
          <Sentence
            aside={
              me.data?.administers_all && page.subject.kind === 'person' ? (
                <Button look="alarm" onClick={() => setStop(true)}>
                  <OctagonX size={16} aria-hidden="true" /> Stop {page.subject.name.split('.')[0]}
                </Button>
              ) : undefined
            }
          >
            {sentence(page)}
          </Sentence>
          <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-2">
            <Holds page={page} me={me.data} />
            <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
              <Section title="Elevations">
                <Elevations page={page} />
              </Section>
              <Section title="Lately">
                <Lately page={page} />
              </Section>
            </div>
          </div>
          {me.data && (
            <StopDialog
              open={stop}
              onClose={() => setStop(false)}
              me={me.data}
              start={{ reach: 'person', name: page.subject.name }}
            />
          )}
        </>
      )}
    </Shown>
  )
}
