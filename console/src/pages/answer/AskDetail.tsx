// One ask, with what an approver wants to know, and the answer: yes, no with a reason, or yes to less.

import { useEffect, useState } from 'react'
import { type Api, get, post } from '../../api/call'
import {
  Button,
  Input,
  Instant,
  Reference,
  Right,
  Section,
  Select,
  Shown,
  State,
  TextArea,
  Weight,
  Who,
  Wrong,
} from '../../parts/basics'
import { useAct, useData } from '../../parts/data'
import { count, list, readSpan, span } from '../../words/time'
import { opened } from '../../words/sentence'

type Ask = Api['ElevationView']

function Facts({ ask }: { ask: Ask }) {
  return (
    <dl className="grid grid-cols-[5.2rem_minmax(0,1fr)] gap-x-3 gap-y-1.5">
      {(
        [
          ['Who', <Who key="w" name={ask.who} />],
          ...(ask.alike?.length
            ? [
                [
                  'Not',
                  <span key="n" className="text-alarm">
                    to be taken for {list(ask.alike)}
                  </span>,
                ],
              ]
            : []),
          ['What', <Right key="r" right={ask.right} />],
          ...(ask.account
            ? [
                [
                  'Account',
                  <span key="a">
                    <span className="mono">{ask.account}</span>
                    {ask.account_holds?.length ? (
                      <span className="block text-alarm">
                        It holds besides, all the time: {list(ask.account_holds)}.
                      </span>
                    ) : null}
                  </span>,
                ],
              ]
            : []),
          [
            'Why',
            ask.reason ? (
              <blockquote key="y" className="whitespace-pre-wrap border-l-2 border-line pl-2">
                {ask.reason}
              </blockquote>
            ) : (
              <span key="y">no reason given</span>
            ),
          ],
          ...(ask.ticket
            ? [
                [
                  'Ticket',
                  <span key="t" className="mono">
                    {ask.ticket}
                  </span>,
                ],
              ]
            : []),
          [
            'For',
            <span key="f">
              {span(ask.duration)}
              {ask.start.start === 'on-begin' ? (
                ', when they begin'
              ) : ask.start.start === 'at' ? (
                <>
                  , from <Instant at={ask.start.time} />
                </>
              ) : (
                ''
              )}
            </span>,
          ],
          ['Harm', <Weight key="h" weight={ask.weight} />],
          [
            'Until',
            <span key="u">
              {ask.stages.at(-1) && <Instant at={ask.stages.at(-1)?.until ?? ''} />}, then it runs out
            </span>,
          ],
        ] as [string, React.ReactNode][]
      ).map(([term, value]) => (
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
            {opened(known.would_change)}.
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
  less: { duration: string; scope: string; start: string }
  setLess: (less: { duration: string; scope: string; start: string }) => void
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
          placeholder={span(ask.duration)}
          wrong={less.duration && seconds === undefined ? 'Write it like 30m or 1h30m.' : undefined}
          hint={seconds !== undefined ? span(seconds) : 'like 30m'}
        />
        <Input
          label="From"
          type="datetime-local"
          value={less.start}
          onChange={(event) => setLess({ ...less, start: event.target.value })}
        />
      </div>
      {(context.data?.narrower.length ?? 0) > 0 && (
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

export function AskDetail({ ask, gone, next }: { ask: Ask; gone: boolean; next: () => void }) {
  const [way, setWay] = useState<Way>()
  const [reason, setReason] = useState('')
  const [less, setLess] = useState({ duration: '', scope: '', start: '' })
  // What was looked at is what is answered: a change since then is shown before it can be answered.
  const [looked, setLooked] = useState(ask.digest)
  const changed = looked !== ask.digest
  const answer = useAct(
    (way: Way) =>
      post(
        '/api/v1/elevations/{id}/answer',
        {
          verdict: way === 'no' ? 'no' : 'yes',
          reason: reason || null,
          shown: looked,
          less:
            way === 'less'
              ? {
                  duration: less.duration ? readSpan(less.duration) : undefined,
                  scope: less.scope || undefined,
                  start: less.start ? { start: 'at' as const, time: new Date(less.start).toISOString() } : undefined,
                }
              : undefined,
        },
        { id: ask.id },
      ),
    next,
  )
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const typing =
        event.target instanceof HTMLElement &&
        event.target.matches('input:not([type=checkbox]), textarea, select, [role=combobox]')
      if (event.key === 'Escape') setWay(undefined)
      if (typing || event.ctrlKey || event.metaKey || document.querySelector('[role=dialog]')) return
      if (event.key === 'y') setWay('yes')
      if (event.key === 'n') setWay('no')
      if (event.key === 'l') setWay('less')
    }
    document.addEventListener('keydown', press)
    return () => document.removeEventListener('keydown', press)
  }, [])
  const nothingLess = way === 'less' && !less.duration && !less.scope && !less.start
  return (
    <Section
      title={<span className="mono text-sea">{ask.id}</span>}
      aside={<State state={gone ? 'settled' : ask.state} />}
    >
      <div className="grid grid-cols-[minmax(0,1fr)] gap-4 px-3.5 py-3">
        <Facts ask={ask} />
        {ask.stages.at(-1)?.answers.map((said) => (
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
          <form
            className="grid gap-3 border-t border-line pt-3"
            onSubmit={(event) => {
              event.preventDefault()
              if (way) answer.mutate(way)
            }}
          >
            {changed && (
              <p role="alert" className="rounded border border-warm-fill bg-warm-soft px-3 py-2">
                This is not the ask you opened any more: it was narrowed meanwhile.{' '}
                <button type="button" className="underline" onClick={() => setLooked(ask.digest)}>
                  I have looked at it anew
                </button>
              </p>
            )}
            <div className="flex flex-wrap gap-2" role="group" aria-label="Your answer">
              <Button
                look={way === 'yes' ? 'main' : 'plain'}
                aria-pressed={way === 'yes'}
                onClick={() => setWay('yes')}
              >
                Yes <kbd className="opacity-70">y</kbd>
              </Button>
              <Button
                look={way === 'less' ? 'main' : 'plain'}
                aria-pressed={way === 'less'}
                onClick={() => setWay('less')}
              >
                Yes to less <kbd className="opacity-70">l</kbd>
              </Button>
              <Button look={way === 'no' ? 'main' : 'plain'} aria-pressed={way === 'no'} onClick={() => setWay('no')}>
                No <kbd className="opacity-70">n</kbd>
              </Button>
            </div>
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
                    {way === 'no'
                      ? 'Send the no'
                      : way === 'less'
                        ? 'Send yes to less'
                        : `Send the yes: ${ask.who.split('.')[0]} gets it for ${span(ask.duration)}`}
                  </Button>
                  <Button look="quiet" onClick={() => setWay(undefined)}>
                    Not yet
                  </Button>
                </div>
              </>
            )}
          </form>
        )}
      </div>
    </Section>
  )
}
