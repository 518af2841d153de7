// Several answers at once: listed, confirmed, sent one by one, each with its own outcome.

import { useState } from 'react'
import { type Api, post, Problem } from '../../api/call'
import { Button } from '../../parts/buttons'
import { TextArea } from '../../parts/fields'
import { Weight } from '../../parts/told'
import { invalidate } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { howLong, why } from '../../words/asked'
import { count } from '../../words/time'

type Ask = Api['ElevationView']

/** Answers asks one after another, as they were shown, and says what became of each. */
function useAnswers() {
  const [outcome, setOutcome] = useState<ReadonlyMap<string, string>>()
  const [listed, setListed] = useState<Ask[]>([])
  const [sending, setSending] = useState(false)
  const send = async (asks: Ask[], verdict: 'yes' | 'no', reason: string) => {
    setSending(true)
    setListed(asks)
    const became = new Map<string, string>()
    for (const ask of asks) {
      try {
        const answered = await post(
          '/api/v1/elevations/{id}/answer',
          { verdict, reason: reason || null, shown: ask.digest },
          { id: ask.id },
        )
        became.set(ask.id, `answered; it is ${answered.state}`)
      } catch (error) {
        became.set(ask.id, error instanceof Problem ? error.message : 'failed')
      }
      setOutcome(new Map(became))
    }
    setSending(false)
  }
  return { outcome, listed, sending, send, reset: () => setOutcome(undefined) }
}

/** What is answered, each with its weight, and once it is sent with what became of it. */
function Listed({ asks, outcome }: { asks: Ask[]; outcome: ReadonlyMap<string, string> | undefined }) {
  return (
    <ul
      className="mb-3 max-h-[45vh] overflow-auto rounded border border-line"
      tabIndex={0}
      aria-label="What is answered"
    >
      {asks.map((ask) => (
        <li
          key={ask.id}
          className="grid gap-x-3 border-b border-line px-3 py-2 last:border-0 sm:grid-cols-[5rem_1fr_auto]"
        >
          <span className="mono font-semibold text-sea">{ask.id}</span>
          <span>
            <strong>{ask.who}</strong> asks {ask.extension ? 'to go on with' : 'for'}{' '}
            <span className="mono break-words">{ask.right}</span> for {howLong(ask)}: {why(ask)}
          </span>
          {outcome?.has(ask.id) ? (
            <span className="text-ink-2">{outcome.get(ask.id)}</span>
          ) : (
            <Weight weight={ask.weight} />
          )}
        </li>
      ))}
    </ul>
  )
}

interface SeveralProps {
  verdict: 'yes' | 'no' | undefined
  asks: Ask[]
  onClose: () => void
  done: () => void
}

/** The same answer to several asks, looked at once more before it is sent. */
export function SeveralDialog({ verdict, asks, onClose, done }: SeveralProps) {
  const [reason, setReason] = useState('')
  const answers = useAnswers()
  const sent = answers.outcome !== undefined
  const shown = sent ? answers.listed : asks
  const close = () => {
    answers.reset()
    setReason('')
    onClose()
    if (sent) {
      done()
      invalidate(['elevations'])
    }
  }
  return (
    <Dialog
      open={verdict !== undefined}
      onClose={close}
      wide
      title={`${verdict === 'yes' ? 'Yes' : 'No'} to ${count(shown.length, 'ask')}`}
      says={sent ? undefined : 'Look once more; each is answered as it stands here.'}
    >
      <Listed asks={shown} outcome={answers.outcome} />
      {sent && !answers.sending ? (
        <Button onClick={close}>Close</Button>
      ) : (
        <div className="grid gap-3">
          <TextArea
            label={verdict === 'no' ? 'Why, for the askers to read' : 'A word to all, if you like'}
            value={reason}
            onChange={(event) => setReason(event.target.value)}
            rows={2}
          />
          <Button
            look={verdict === 'no' ? 'alarm' : 'main'}
            busy={answers.sending}
            disabled={verdict === 'no' && !reason.trim()}
            onClick={() => verdict && void answers.send(asks, verdict, reason)}
          >
            Send {count(asks.length, 'answer')}
          </Button>
        </div>
      )}
    </Dialog>
  )
}
