// Whom a change of terms touches, and how; and whether it would be refused.

import type { Api } from '../../api/call'
import { Plain } from '../../parts/shown'
import { Who } from '../../parts/told'
import { count } from '../../words/time'

/** What somebody would have to bring less, or more, for. */
export const ACT: Record<Api['Act'], string> = {
  elevate: '',
  extend: 'to go on',
  'be-made-eligible': 'to be made eligible',
  'open-session': 'to open a session',
  'see-secret': 'to see a secret',
  answer: 'to answer',
  administer: 'to administer',
}

/** Whom it touches: each with what they would have to bring before and after. */
export function Touches({ touched }: { touched: Api['TermsTouched'] }) {
  return (
    <>
      {touched.refused_because && (
        <p className="text-alarm">
          It would be refused: <Plain text={touched.refused_because} />.
        </p>
      )}
      <p className="font-medium">
        {touched.count === 0
          ? 'Changes nothing for anybody who may ask at present.'
          : `Changes what ${count(touched.people, 'person', 'people')} must bring, in ${count(touched.count, 'eligibility', 'eligibilities')}.`}
        {touched.open_asks.length > 0 &&
          ` ${count(touched.open_asks.length, 'open ask')} keep their own terms; at opening the stricter wins.`}
        {touched.newly_against > 0 &&
          ` ${count(touched.newly_against, 'standing right')} would be held against the terms.`}
        {touched.no_longer_against > 0 &&
          ` ${count(touched.no_longer_against, 'standing right')} would be so no longer.`}
      </p>
      {touched.contradicts.map((one) => (
        <p key={`${one.rule} ${one.setting}`}>
          <span className="mono">{one.rule}</span> is about just the same{one.of && ` as ${one.of}`}, and sets{' '}
          {one.setting} to {one.theirs}; the stricter holds: {one.holds}.
        </p>
      ))}
      <ul className="max-h-48 overflow-auto" tabIndex={0} aria-label="Whom it touches">
        {touched.touched.map((one) => (
          <li key={`${one.who} ${one.right} ${one.act}`} className="border-t border-line py-1.5">
            <Who name={one.who} /> {ACT[one.act]} for <span className="mono">{one.right}</span>
            {one.changes.map((change) => (
              <span key={change.setting} className="block text-ink-2">
                {change.setting}: <s>{change.before}</s> → <strong>{change.after}</strong>
              </span>
            ))}
          </li>
        ))}
      </ul>
    </>
  )
}
