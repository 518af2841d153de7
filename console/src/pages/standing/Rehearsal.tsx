// The rehearsal: what was recorded in the last months, replayed against the terms. Nothing is changed.

import { type Api, post } from '../../api/call'
import { Shown } from '../../parts/shown'
import { Who } from '../../parts/told'
import { useData } from '../../parts/data'
import { count, figure, list, span } from '../../words/time'
import { HoursChart } from './HoursChart'

type Rehearsed = Api['RehearsalView']

const DAYS = 90

function sentence({ all, rights }: Rehearsed): string {
  if (all.uses === 0)
    return `Nothing was recorded of ${rights === 1 ? 'this right' : 'these rights'} in ${DAYS} days, so nothing can be foretold.`
  const parts = [
    `${figure(all.asks)} asks (${all.asks_a_week} a week) for ${count(all.uses, 'recorded use')}`,
    `${figure(all.refused)} uses refused`,
  ]
  if (all.unattended > 0)
    parts.push(`${count(all.unattended, 'ask')} with nobody there to answer, ${figure(all.at_night)} of them at night`)
  if (all.longest_wait != null) parts.push(`the longest wait ${span(all.longest_wait)}`)
  return `In the last ${DAYS} days there would have been ${list(parts)}.`
}

function People({ people }: { people: Rehearsed['people'] }) {
  if (people.length === 0) return null
  return (
    <div className="overflow-x-auto">
      <table className="w-full min-w-[34rem] text-left">
        <thead>
          <tr className="label border-b border-line">
            {['Whom to talk to, first things first', 'Asks a week', 'Nobody there', 'Refused', 'Longest wait'].map(
              (head, n) => (
                <th key={head} className={`py-1 pr-3 ${n > 0 ? 'text-right' : ''}`}>
                  {head}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {people.slice(0, 12).map((one) => (
            <tr key={one.who} className="border-b border-line align-top last:border-0">
              <th scope="row" className="py-1.5 pr-3 font-normal">
                <Who name={one.who} className="font-medium" />
                {one.talk_about && <span className="block text-[0.86rem] text-ink-2">{one.talk_about}</span>}
              </th>
              <td className="figures py-1.5 pr-3 text-right">{one.figures.asks_a_week}</td>
              <td className="figures py-1.5 pr-3 text-right">{figure(one.figures.unattended)}</td>
              <td
                className={`figures py-1.5 pr-3 text-right ${one.figures.refused > 0 ? 'font-semibold text-alarm' : ''}`}
              >
                {figure(one.figures.refused)}
              </td>
              <td className="figures py-1.5 text-right whitespace-nowrap">
                {one.figures.longest_wait == null ? '–' : span(one.figures.longest_wait)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {people.length > 12 && <p className="py-1 text-ink-3">and {people.length - 12} more, less touched</p>}
    </div>
  )
}

function Body({ shown }: { shown: Rehearsed }) {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
      <p className="max-w-[75ch] font-medium">{sentence(shown)}</p>
      {shown.batches.map((batch) => (
        <p
          key={`${batch.who}${batch.right}${batch.when}`}
          className="rounded border-l-4 border-alarm bg-alarm-soft px-3 py-1.5"
        >
          What <Who name={batch.who} /> starts {batch.when} with <span className="mono">{batch.right}</span> would break
          ({count(batch.uses, 'use')}).
        </p>
      ))}
      {shown.all.uses > 0 && <HoursChart hours={shown.hours} zone={shown.zone} />}
      <People people={shown.people} />
      {shown.approvers.length > 0 && (
        <p className="text-ink-2">
          Asks a week would reach{' '}
          {shown.approvers.slice(0, 6).map((one, n) => (
            <span key={one.who}>
              {n > 0 && ', '}
              <Who name={one.who} /> ({one.asks_a_week})
            </span>
          ))}
          .
        </p>
      )}
      {shown.unseen.length > 0 && (
        <p className="text-ink-3">
          Nothing was recorded of {count(shown.unseen.length, 'right')}:{' '}
          {list(
            [
              ...new Set(
                shown.unseen.map((one) => `${one.account} (${one.told ? 'not used' : 'its system doesn’t tell'})`),
              ),
            ].slice(0, 6),
          )}
          .
        </p>
      )}
      <details className="text-ink-3">
        <summary className="cursor-pointer">What this assumes</summary>
        <ul className="list-disc pl-5">
          {shown.assumes.map((one) => (
            <li key={one}>{one}</li>
          ))}
        </ul>
      </details>
    </div>
  )
}

/** How recorded uses would have fared, had the rights been asked for. */
export function Rehearsal({ chosen }: { chosen: string[] }) {
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
  const query = useData(
    ['rehearsal', chosen.join(','), zone],
    ['terms'],
    () => post('/api/v1/rehearsals/preview', { chosen, days: DAYS, zone, rule: null }),
    { keep: true },
  )
  return (
    <Shown of="the rehearsal" query={query} lines={5}>
      {(shown) => <Body shown={shown} />}
    </Shown>
  )
}
