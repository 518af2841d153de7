// What was done and is over: who looks at it, by when, and what they found.

import { useState } from 'react'
import { type Api, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { TextArea } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Wrong } from '../../parts/shown'
import { Instant, Names, Who } from '../../parts/told'
import { useAction } from '../../parts/data'

type Finding = Api['DebriefRequest']['finding']

const FINDINGS: Record<Finding, string> = { 'in-order': 'in order', 'not-in-order': 'not in order' }

/** Signing it off. */
function Sign({ id }: { id: string }) {
  const [finding, setFinding] = useState<Finding>()
  const [word, setWord] = useState('')
  const sign = useAction((finding: Finding) =>
    post('/api/v1/elevations/{id}/debrief', { finding, word: word.trim() || null }, { id }),
  )
  const bad = finding === 'not-in-order'
  return (
    <form
      className="grid gap-3 border-t border-line pt-3"
      onSubmit={(event) => {
        event.preventDefault()
        if (finding) sign.mutate(finding)
      }}
    >
      <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
        <legend className="label">What was done was</legend>
        {Object.entries(FINDINGS).map(([value, says]) => (
          <label key={value} className="flex items-center gap-1.5">
            <input
              type="radio"
              name="finding"
              checked={finding === value}
              onChange={() => setFinding(value as Finding)}
            />
            {says}
          </label>
        ))}
      </fieldset>
      <TextArea
        label={bad ? 'What was not in order' : 'A word, if you like'}
        value={word}
        maxLength={2000}
        onChange={(event) => setWord(event.target.value)}
      />
      <Wrong error={sign.error} />
      <Button
        type="submit"
        look={bad ? 'alarm' : 'main'}
        className="justify-self-start"
        busy={sign.isPending}
        disabled={!finding || (bad && !word.trim())}
      >
        Sign it off
      </Button>
    </form>
  )
}

/** Who looks at what was done; nothing where nobody has to. */
export function Debrief({ one }: { one: Api['ElevationView'] }) {
  const { debrief } = one
  if (!debrief) return null
  const { signed } = debrief
  return (
    <Section title="What was done">
      <div className="grid gap-3 px-3.5 py-3">
        {signed ? (
          <p className="break-words">
            <Who name={signed.who} /> looked at it <Instant at={signed.at} /> and found it{' '}
            <strong className={signed.finding === 'in-order' ? 'text-sure' : 'text-alarm'}>
              {FINDINGS[signed.finding]}
            </strong>
            {signed.word && <>: “{signed.word}”</>}.
          </p>
        ) : (
          <p>
            Is to be looked at by {debrief.by.length > 0 ? <Names names={debrief.by} /> : 'somebody who may'}
            {debrief.higher > 0 ? (
              <strong className="text-alarm">; nobody did in time, and it went higher</strong>
            ) : (
              <>
                {' '}
                until <Instant at={debrief.until} />
              </>
            )}
            .
          </p>
        )}
        {debrief.for_me && <Sign id={one.id} />}
      </div>
    </Section>
  )
}
