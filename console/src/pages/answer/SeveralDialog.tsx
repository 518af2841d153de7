// Several answers at once: listed, confirmed, sent one by one, each with its own outcome.

import { useState } from 'react'
import { type Api, post, Problem } from '../../api/call'
import { Button } from '../../parts/buttons'
import { TextArea } from '../../parts/fields'
import { Weight } from '../../parts/told'
import { freshen } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { count, span } from '../../words/time'

type Ask = Api['ElevationView']

export function SeveralDialog({
  verdict,
  asks,
  onClose,
  done,
}: {
  verdict: 'yes' | 'no' | undefined
  asks: Ask[]
  onClose: () => void
  done: () => void
}) {
  const [reason, setReason] = useState('')
  const [sent, setSent] = useState<Map<string, string>>()
  const [sending, setSending] = useState(false)
  const [listed, setListed] = useState<Ask[]>([])
  const shown = sent ? listed : asks
  const close = () => {
    setSent(undefined)
    setReason('')
    onClose()
    if (sent) {
      done()
      freshen(['elevations'])
    }
  }
  const send = async () => {
    if (!verdict) return
    setSending(true)
    setListed(asks)
    const outcome = new Map<string, string>()
    for (const ask of asks) {
      try {
        const answered = await post(
          '/api/v1/elevations/{id}/answer',
          { verdict, reason: reason || null, shown: ask.digest },
          { id: ask.id },
        )
        outcome.set(ask.id, `answered; it is ${answered.state}`)
      } catch (error) {
        outcome.set(ask.id, error instanceof Problem ? error.message : 'failed')
      }
      setSent(new Map(outcome))
    }
    setSending(false)
  }
  return (
    <Dialog
      open={verdict !== undefined}
      onClose={close}
      wide
      title={`${verdict === 'yes' ? 'Yes' : 'No'} to ${count(shown.length, 'ask')}`}
      says={sent ? undefined : 'Look once more; each is answered as it stands here.'}
    >
      <ul
        className="mb-3 max-h-[45vh] overflow-auto rounded border border-line"
        tabIndex={0}
        aria-label="What is answered"
      >
        {shown.map((ask) => (
          <li
            key={ask.id}
            className="grid gap-x-3 border-b border-line px-3 py-2 last:border-0 sm:grid-cols-[5rem_1fr_auto]"
          >
            <span className="mono font-semibold text-sea">{ask.id}</span>
            <span>
              <strong>{ask.who}</strong> asks for <span className="mono break-words">{ask.right}</span> for{' '}
              {span(ask.duration)}: {ask.reason}
            </span>
            {sent?.has(ask.id) ? (
              <span className="text-ink-2">{sent.get(ask.id)}</span>
            ) : (
              <Weight weight={ask.weight} />
            )}
          </li>
        ))}
      </ul>
      {sent && !sending ? (
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
            busy={sending}
            disabled={verdict === 'no' && !reason.trim()}
            onClick={() => void send()}
          >
            Send {count(asks.length, 'answer')}
          </Button>
        </div>
      )}
    </Dialog>
  )
}
