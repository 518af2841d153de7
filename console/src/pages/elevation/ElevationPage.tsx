// The elevation's page: the story from ask to end as it happens, and what may be done with it.

import { useParams } from 'react-router'
import { type Api, get } from '../../api/call'
import { Section, Sentence } from '../../parts/sections'
import { Shown } from '../../parts/shown'
import { Instant, Right, State, Weight, Who } from '../../parts/told'
import { useData, useNow } from '../../parts/data'
import { lastStages, openStage, referencesOf, silent } from '../../words/asked'
import { about, clock, count, list, span } from '../../words/time'
import { opened } from '../../words/sentence'
import { Acts } from './Acts'
import { Answers } from './Answers'
import { Debrief } from './Debrief'
import { Reach } from './Reach'
import { Story } from './Story'

type Story_ = Api['ElevationStory']

const ENDED: Record<string, string> = {
  lapsed: 'lapsed at its set time',
  used: 'was good for one use, which was seen',
  'cut-short': 'was cut short, for it was held only while something else held',
  'given-back': 'was given back',
  revoked: 'was revoked',
  refused: 'was refused',
  withdrawn: 'was withdrawn',
  unanswered: 'ran out',
  failed: 'failed',
}

/** How going on with it stands; nothing where that isn't asked. */
function goesOn(one: Story_, open: string[], now: Date): string {
  if (one.grant?.moving_to) return `; its end is being moved to ${clock(new Date(one.grant.moving_to), now)}`
  if (!one.extension) return ''
  return `; to go on until ${clock(new Date(one.extension.until), now)} it waits for ${list(open, 'or')}`
}

/** Which of several stages is open. */
function whichStage(stages: Api['StageView'][]): string {
  const open = openStage(stages)
  return open && stages.length > 1 ? ` (stage ${stages.indexOf(open) + 1} of ${stages.length})` : ''
}

/** Where it stands, as the rest of the page's first sentence. */
function standing(one: Story_, left: number, now: Date): React.ReactNode {
  const stages = lastStages(one)
  const stage = openStage(stages)
  const open = stage ? silent(stage) : []
  switch (one.state) {
    case 'live':
      return (
        <>
          is live, <span className="text-warm">{about(left)} left</span>
          {goesOn(one, open, now)}.
        </>
      )
    case 'waiting':
      return `waits for ${list(open, 'or')} until ${clock(new Date(stage?.until ?? one.asked_at), now)}${whichStage(stages)}.`
    case 'scheduled':
      return one.start.start === 'at' ? `begins ${clock(new Date(one.start.time), now)}.` : 'begins as soon as it may.'
    case 'ready':
      return 'is ready: begin it when you need it.'
    case 'opening':
      return 'is being put on its system.'
    case 'closing':
      return 'is being taken away on its system.'
    default: {
      const gone = one.grant?.leftovers
      const found =
        gone == null
          ? ''
          : gone.length === 0
            ? '; gone, nothing left over'
            : `; gone, ${count(gone.length, 'leftover')}`
      const at = one.grant?.seen_at ? ` ${clock(new Date(one.grant.seen_at), now)}` : ''
      return `${ENDED[one.state] ?? one.state}${at}${found}.`
    }
  }
}

function Ends({ one }: { one: Story_ }) {
  const found = one.grant?.leftovers
  return (
    <div className="grid gap-2 px-3.5 py-3">
      {one.grant && (
        <p>
          {opened(one.grant.ends.says)}.{' '}
          {one.grant.ends.holder_can_undo && 'Its holder could undo that end, so it is watched.'}
        </p>
      )}
      {found && found.length === 0 && <p className="text-sure">✓ Read back as gone; no leftovers found.</p>}
      {found?.map((leftover) => (
        <p key={leftover.what} className="border-l-4 border-alarm pl-2.5">
          Leftover: {leftover.what}
          {leftover.when && (
            <>
              , since <Instant at={leftover.when} />
            </>
          )}
          ; {leftover.ended ? 'ended' : <strong className="text-alarm">still there</strong>}.
        </p>
      ))}
      {!one.grant && <p className="text-ink-2">Nothing was put on the system yet.</p>}
      {one.grant && !found && (
        <p className="text-ink-2">
          At its end the system is searched for what was made, started or left open meanwhile. A token that the system
          gave out already, or a file copied elsewhere, is beyond that.
        </p>
      )}
    </div>
  )
}

function Asked({ one }: { one: Story_ }) {
  const rows: [string, React.ReactNode][] = [
    ['Who', <Who key="w" name={one.who} />],
    ['What', <Right key="r" right={one.right} />],
    ['Which is', <span key="s">{one.says}</span>],
    ['Harm', <Weight key="h" weight={one.weight} />],
    ['For', span(one.duration)],
    ...(one.brought.purpose ? [['Purpose', one.brought.purpose] as [string, React.ReactNode]] : []),
    ['Why', one.brought.reason ?? '—'],
    ...referencesOf(one.brought).map(([name, reference]): [string, React.ReactNode] => [
      opened(name),
      <span key={name} className="mono">
        {reference}
      </span>,
    ]),
    ['Asked', <Instant key="a" at={one.asked_at} />],
  ]
  return (
    <dl className="grid grid-cols-[5.5rem_minmax(0,1fr)] gap-x-3 gap-y-1.5 px-3.5 py-3">
      {rows.map(([term, value]) => (
        <div key={term} className="contents">
          <dt className="label pt-0.5">{term}</dt>
          <dd className="break-words whitespace-pre-wrap">{value}</dd>
        </div>
      ))}
    </dl>
  )
}

/** What was asked to go on with it; nothing where it wasn't. */
function GoneOn({ one }: { one: Story_ }) {
  if (!one.extends?.length) return null
  return (
    <Section title="To go on with it">
      <ul className="grid gap-1.5 px-3.5 py-3">
        {one.extends.map((asked) => (
          <li key={asked.asked_at} className="break-words">
            until <Instant at={asked.until} />, asked <Instant at={asked.asked_at} />
            {asked.brought.purpose && ` for ${asked.brought.purpose}`}
            {referencesOf(asked.brought).map(([name, reference]) => (
              <span key={name}>
                , {name} <span className="mono">{reference}</span>
              </span>
            ))}
            {asked.brought.reason && <>: “{asked.brought.reason}”</>}
          </li>
        ))}
      </ul>
    </Section>
  )
}

/** One elevation: what it is, what may be done with it, and its story. */
export default function ElevationPage() {
  const { id = '' } = useParams()
  const now = useNow()
  const query = useData(['elevation', id], ['elevations'], () => get('/api/v1/elevations/{id}', { at: { id } }))
  return (
    <Shown page of={id} query={query} lines={8}>
      {(one) => {
        const left = one.grant ? (new Date(one.grant.until).getTime() - now.getTime()) / 1000 : 0
        return (
          <>
            <Sentence aside={<State state={one.state} />}>
              {one.id}: {one.mine ? 'your' : `${one.who}’s`} {one.right.split('@')[0]} {standing(one, left, now)}
            </Sentence>
            {one.asked && (
              <p className="mb-4 rounded border border-warm-fill bg-warm-soft px-3 py-2">
                An approver said yes to less: asked was <Right right={one.asked.right} /> for {span(one.asked.duration)}
                ; it is <Right right={one.right} /> for {span(one.duration)}
                {one.start.start === 'at' && one.asked.start.start !== 'at' && (
                  <>
                    , from <Instant at={one.start.time} />
                  </>
                )}
                .
              </p>
            )}
            {one.glass && (
              <p className="mb-4 rounded border border-alarm bg-alarm-soft px-3 py-2">
                The glass was broken for it: nobody was asked.
              </p>
            )}
            {one.trouble && (
              <p className="mb-4 rounded border border-alarm bg-alarm-soft px-3 py-2">In the way: {one.trouble}.</p>
            )}
            <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)]">
              <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
                <Acts one={one} />
                <Debrief one={one} />
                {one.mine && one.state === 'live' && <Reach id={one.id} host={one.takes_own_key} />}
                <Section title="What was asked">
                  <Asked one={one} />
                </Section>
                <Section title="Answers">
                  <Answers one={one} />
                </Section>
                <GoneOn one={one} />
                <Section title="Its end">
                  <Ends one={one} />
                </Section>
              </div>
              <Story of={one.id} entries={one.story} />
            </div>
          </>
        )
      }}
    </Shown>
  )
}
