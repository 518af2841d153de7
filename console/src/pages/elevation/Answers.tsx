// Who was asked about an elevation, round by round and stage by stage, and what they said.

import type { Api } from '../../api/call'
import { useNow } from '../../parts/data'
import { Instant, Names, Who } from '../../parts/told'
import { openStage, silent } from '../../words/asked'
import { clock, list } from '../../words/time'

type Stage = Api['StageView']

/** What one stage takes, and until when. */
function Takes({ stage, waits }: { stage: Stage; waits: boolean }) {
  const now = useNow()
  const takes = `${stage.yes} yes settles it, ${stage.no} no refuses it`
  if (!stage.until) return <p className="text-ink-2">{takes}; not begun.</p>
  return (
    <p className="text-ink-2">
      {takes}; {waits ? 'open' : 'was open'} until {clock(new Date(stage.until), now)}
      {stage.onward.length > 0 && `, then for ${list(stage.onward, 'or')} too`}.
    </p>
  )
}

function OneStage({ stage, which, waits }: { stage: Stage; which: string | undefined; waits: boolean }) {
  return (
    <div className="grid gap-1">
      {which && <p className="label">{which}</p>}
      <Takes stage={stage} waits={waits} />
      {stage.away.map((away) => (
        <p key={away.who} className="text-ink-2">
          <Who name={away.who} /> is away until <Instant at={away.until} />: <Who name={away.delegate} /> is asked
          instead.
        </p>
      ))}
      {stage.answers.map((answer) => (
        <p key={answer.who}>
          <Who name={answer.who} /> said <strong>{answer.verdict}</strong>
          {answer.less && <> to less ({answer.less})</>} <Instant at={answer.at} />
          {answer.reason && <>: “{answer.reason}”</>}
        </p>
      ))}
      {waits && (
        <p>
          Waits for <Names names={silent(stage)} />.
        </p>
      )}
      {!stage.until && (
        <p className="text-ink-2">
          Then <Names names={stage.approvers} />.
        </p>
      )}
    </div>
  )
}

/** Every round, the open one last. */
export function Answers({ one }: { one: Api['ElevationView'] }) {
  const waits = one.state === 'waiting' || one.extension != null
  if (one.rounds.every((round) => round.stages.length === 0))
    return <p className="px-3.5 py-3 text-ink-2">Nobody had to be asked.</p>
  return (
    <div className="grid gap-3 px-3.5 py-3">
      {one.rounds.map((round, n) => {
        const isOpen = waits && n === one.rounds.length - 1
        const open = isOpen ? openStage(round.stages) : undefined
        return (
          <div key={n} className="grid gap-2">
            {round.extends_to && (
              <p className="label">
                To go on until <Instant at={round.extends_to} />
              </p>
            )}
            {round.stages.map((stage, at) => (
              <OneStage
                key={at}
                stage={stage}
                which={round.stages.length > 1 ? `Stage ${at + 1} of ${round.stages.length}` : undefined}
                waits={stage === open}
              />
            ))}
          </div>
        )
      })}
    </div>
  )
}
