// One ask, with what an approver wants to know, and the answer: yes, no with a reason, or yes to less.

import { type FormEvent, type ReactElement, useState } from 'react'
import { type Api, get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Input, Select, TextArea } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Words } from '../../parts/Said'
import { Shown, Wrong } from '../../parts/shown'
import { Instant, Reference, Right, State, Weight, Who } from '../../parts/told'
import { useKeys } from '../../parts/keys'
import { useAction, useData } from '../../parts/data'
import { count, list, readSpan, span } from '../../words/time'
import { opened } from '../../words/sentence'
import { broughtFor, howLong, lastStages, openStage, referencesOf } from '../../words/asked'

type Ask = Api['ElevationView']

/** The account that it is put on, and what that holds besides. */
function OnAccount({ ask }: { ask: Ask }) {
  return (
    <>
      <span className="mono">{ask.account}</span>
      {ask.account_holds.length > 0 && (
        <span className="block text-alarm">It holds besides, all the time: {list(ask.account_holds)}.</span>
      )}
    </>
  )
}

/** For how long, and from when. */
function ForHow({ ask }: { ask: Ask }) {
  const { start, extension } = ask
  if (extension) {
    return (
      <>
        {howLong(ask)} than it has, until <Instant at={extension.until} />
      </>
    )
  }
  return (
    <>
      {howLong(ask)}
      {start.start === 'on-begin' && ', when they begin'}
      {start.start === 'at' && (
        <>
          , from <Instant at={start.time} />
        </>
      )}
    </>
  )
}

function Why({ reason }: { reason: string | null | undefined }) {
  if (!reason) return 'no reason given'
  return <blockquote className="border-l-2 border-line pl-2 whitespace-pre-wrap">{reason}</blockquote>
}

/** Who is asked after that. */
const then = (stages: Api['StageView'][]) => stages.map((stage) => list(stage.approvers, 'or')).join(', then ')

type Fact = [string, ReactElement | ReactElement[] | string | false | null | undefined]

function Facts({ ask }: { ask: Ask }) {
  const stages = lastStages(ask)
  const open = openStage(stages)
  const brought = broughtFor(ask)
  const facts: Fact[] = [
    ['Who', <Who key="who" name={ask.who} />],
    ['Not', ask.alike.length > 0 && <span className="text-alarm">to be taken for {list(ask.alike)}</span>],
    ['What', <Right key="what" right={ask.right} />],
    ['Account', ask.account && <OnAccount ask={ask} />],
    ['Purpose', brought.purpose],
    ['Why', <Why key="why" reason={brought.reason} />],
    ['Why first', ask.extension && <Why key="first" reason={ask.brought.reason} />],
    ...referencesOf(brought).map(([name, reference]): Fact => [
      opened(name),
      <span key={name} className="mono">
        {reference}
      </span>,
    ]),
    ['For', <ForHow key="for" ask={ask} />],
    ['Harm', <Weight key="harm" weight={ask.weight} />],
    [
      'Until',
      <>
        {open?.until && <Instant at={open.until} />},{' '}
        {open?.onward.length ? `then ${list(open.onward, 'or')} may answer too` : 'then it runs out'}
      </>,
    ],
    [
      'Away',
      open &&
        open.away.length > 0 &&
        open.away.map(({ who, delegate, until }) => (
          <span key={who} className="block">
            {who} until <Instant at={until} />: {delegate} answers instead
          </span>
        )),
    ],
    ['Stage', open && stages.length > 1 && `${stages.indexOf(open) + 1} of ${stages.length}`],
    ['Then', open && stages.at(-1) !== open && then(stages.slice(stages.indexOf(open) + 1))],
  ]
  return (
    <dl className="grid grid-cols-[5.2rem_minmax(0,1fr)] gap-x-3 gap-y-1.5">
      {facts
        .filter(([, value]) => value)
        .map(([term, value]) => (
          <div key={term} className="contents">
            <dt className="label pt-0.5">{term}</dt>
            <dd className="break-words">{value}</dd>
          </div>
        ))}
    </dl>
  )
}

function Context({ ask }: { ask: Ask }) {
  const context = useData(['context', ask.id], ['elevations', 'standing'], () =>
    get('/api/v1/elevations/{id}/context', { at: { id: ask.id } }),
  )
  return (
    <Shown of="what is known about it" query={context} lines={3}>
      {(known) => (
        <div className="grid grid-cols-[minmax(0,1fr)] gap-3 break-words">
          <p>
            <span className="label block">What would change</span>
            <Words text={`${opened(known.would_change)}.`} />
          </p>
          <p>
            <span className="label block">What else they hold</span>
            {known.holds.length === 0
              ? 'Nothing else at present.'
              : list(known.holds.slice(0, 6)) +
                (known.holds.length > 6 ? ` and ${known.holds.length - 6} more` : '') +
                '.'}
          </p>
          <div>
            <span className="label block">This role before</span>
            {known.earlier_count === 0 ? (
              <p>Never asked for it before.</p>
            ) : (
              <ul className="grid gap-0.5">
                {known.earlier.slice(0, 4).map((one) => (
                  <li key={one.id} className="flex items-baseline gap-2">
                    <Reference id={one.id} /> <State state={one.state} />
                    {one.leftovers > 0 && <span className="text-alarm">{count(one.leftovers, 'leftover')}</span>}
                    <span className="min-w-0 flex-1 truncate text-ink-2">{one.reason}</span>
                    <span className="text-ink-3">
                      <Instant at={one.asked_at} how="relative" />
                    </span>
                  </li>
                ))}
                {known.earlier_count > 4 && <li className="text-ink-3">and {known.earlier_count - 4} more before</li>}
              </ul>
            )}
          </div>
        </div>
      )}
    </Shown>
  )
}

function Less({
  ask,
  less,
  setLess,
}: {
  ask: Ask
  less: typeof NOTHING_LESS
  setLess: (less: typeof NOTHING_LESS) => void
}) {
  const context = useData(['context', ask.id], ['elevations', 'standing'], () =>
    get('/api/v1/elevations/{id}/context', { at: { id: ask.id } }),
  )
  const seconds = less.duration ? readSpan(less.duration) : undefined
  return (
    <fieldset className="grid gap-3 rounded border border-line p-3">
      <legend className="label px-1">Yes to less; what you leave out stays as asked</legend>
      <div className="grid gap-3 sm:grid-cols-2">
        <Input
          label="For at most"
          value={less.duration}
          onChange={(event) => setLess({ ...less, duration: event.target.value })}
          placeholder={howLong(ask)}
          wrong={less.duration && seconds === undefined ? 'Write it like 30m or 1h30m.' : undefined}
          hint={seconds !== undefined ? span(seconds) : 'like 30m'}
        />
        {!ask.extension && (
          <Input
            label="From"
            type="datetime-local"
            value={less.start}
            onChange={(event) => setLess({ ...less, start: event.target.value })}
          />
        )}
      </div>
      {!ask.extension && (context.data?.narrower.length ?? 0) > 0 && (
        <Select
          label="Only at"
          value={less.scope}
          onChange={(event) => setLess({ ...less, scope: event.target.value })}
        >
          <option value="">as asked: {ask.right.split('@')[1]}</option>
          {context.data?.narrower.map((path) => (
            <option key={path} value={path}>
              {path}
            </option>
          ))}
        </Select>
      )}
    </fieldset>
  )
}

type Way = 'yes' | 'less' | 'no'

const WAYS: [Way, string, string][] = [
  ['yes', 'Yes', 'y'],
  ['less', 'Yes to less', 'l'],
  ['no', 'No', 'n'],
]

/** Chooses a way by its letter; Escape chooses none. */
function useLetters(setWay: (way: Way | undefined) => void) {
  useKeys((key) => {
    const chosen = WAYS.find(([, , letter]) => letter === key)
    if (key === 'Escape') setWay(undefined)
    else if (chosen) setWay(chosen[0])
  })
}

function Ways({ way, setWay }: { way: Way | undefined; setWay: (way: Way) => void }) {
  return (
    <div className="flex flex-wrap gap-2" role="group" aria-label="Your answer">
      {WAYS.map(([one, says, letter]) => (
        <Button key={one} look={way === one ? 'main' : 'plain'} aria-pressed={way === one} onClick={() => setWay(one)}>
          {says} <kbd className="opacity-70">{letter}</kbd>
        </Button>
      ))}
    </div>
  )
}

const NOTHING_LESS = { duration: '', scope: '', start: '' }

/** What a yes to less leaves, as the service takes it. */
const asLess = ({ duration, scope, start }: typeof NOTHING_LESS) => ({
  duration: duration ? readSpan(duration) : undefined,
  scope: scope || undefined,
  start: start ? { start: 'at' as const, time: new Date(start).toISOString() } : undefined,
})

/** What sending it will do, in words. */
function sends(way: Way, ask: Ask): string {
  if (way === 'no') return 'Send the no'
  if (way === 'less') return 'Send yes to less'
  return `Send the yes: ${ask.who.split('.')[0]} gets it for ${howLong(ask)}`
}

function Changed({ onLooked }: { onLooked: () => void }) {
  return (
    <p role="alert" className="rounded border border-warm-fill bg-warm-soft px-3 py-2">
      This is not the ask you opened any more: it was narrowed meanwhile.{' '}
      <button type="button" className="underline" onClick={onLooked}>
        I have looked at it anew
      </button>
    </p>
  )
}

function AnswerForm({ ask, next }: { ask: Ask; next: () => void }) {
  const [way, setWay] = useState<Way>()
  const [reason, setReason] = useState('')
  const [less, setLess] = useState(NOTHING_LESS)
  // What was looked at is what is answered: a change since then is shown before it can be answered.
  const [looked, setLooked] = useState(ask.digest)
  const changed = looked !== ask.digest
  const answer = useAction((way: Way) => {
    const verdict = way === 'no' ? 'no' : 'yes'
    const said = {
      verdict,
      reason: reason || null,
      shown: looked,
      less: way === 'less' ? asLess(less) : undefined,
    } as const
    return post('/api/v1/elevations/{id}/answer', said, { id: ask.id })
  }, next)
  useLetters(setWay)
  const nothingLess = way === 'less' && !less.duration && !less.scope && !less.start
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (way) answer.mutate(way)
  }
  return (
    <form className="grid gap-3 border-t border-line pt-3" onSubmit={submit}>
      {changed && <Changed onLooked={() => setLooked(ask.digest)} />}
      <Ways way={way} setWay={setWay} />
      {way === 'less' && <Less ask={ask} less={less} setLess={setLess} />}
      {way && (
        <>
          <TextArea
            label={way === 'no' ? 'Why, for the asker to read' : 'A word, if you like'}
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            rows={2}
            maxLength={2000}
            autoFocus
          />
          <Wrong error={answer.error} />
          <div className="flex items-center gap-3">
            <Button
              type="submit"
              look={way === 'no' ? 'alarm' : 'main'}
              busy={answer.isPending}
              disabled={(way === 'no' && !reason.trim()) || nothingLess || changed}
            >
              {sends(way, ask)}
            </Button>
            <Button look="quiet" onClick={() => setWay(undefined)}>
              Not yet
            </Button>
          </div>
        </>
      )}
    </form>
  )
}

/** One ask to be answered, with all that is known about it; `gone` once it was settled by others. */
export function AskDetail({ ask, gone, next }: { ask: Ask; gone: boolean; next: () => void }) {
  return (
    <Section
      title={<span className="mono text-sea">{ask.id}</span>}
      aside={<State state={gone ? 'settled' : ask.state} />}
    >
      <div className="grid grid-cols-[minmax(0,1fr)] gap-4 px-3.5 py-3">
        <Facts ask={ask} />
        {lastStages(ask)
          .flatMap((stage) => stage.answers)
          .map((said) => (
            <p key={said.who} className="border-l-4 border-sea pl-2.5">
              <Who name={said.who} /> said <strong>{said.verdict}</strong>
              {said.less && ` to less (${said.less})`}
              {said.reason && `: “${said.reason}”`}
            </p>
          ))}
        <Context ask={ask} />
        {gone ? (
          <p className="rounded bg-sunk px-3 py-2">
            Settled meanwhile: <Reference id={ask.id} /> tells how.
          </p>
        ) : (
          <AnswerForm ask={ask} next={next} />
        )}
      </div>
    </Section>
  )
}
