// Letting a program in: its code is typed, what asks is shown, and a person says yes.

import { useState } from 'react'
import { Link } from 'react-router'
import { get, post } from '../../api/call'
import { Button, Empty, Input, Instant, Section, Sentence, Shown, Wrong } from '../../parts/basics'
import { useAct, useData } from '../../parts/data'

function Drafts() {
  const drafts = useData(['drafts'], [], () => get('/api/v1/drafts'))
  return (
    <Section title="What programs drafted for you">
      <Shown of="drafts" query={drafts} lines={2}>
        {(all) => {
          const open = all.filter((one) => one.state === 'open')
          if (open.length === 0)
            return <Empty>Nothing waits. What a program drafts comes here, and is done only once you confirm it.</Empty>
          return (
            <ul>
              {open.map((one) => (
                <li
                  key={one.id}
                  className="flex items-baseline justify-between gap-3 border-b border-line px-3.5 py-2 last:border-0"
                >
                  <Link to={`/drafts/${one.id}`} className="text-sea underline">
                    Draft {one.id}
                  </Link>
                  <span className="mono min-w-0 flex-1 truncate">{one.path.replace('/api/v1/', '')}</span>
                  <Instant at={one.drawn_at} how="relative" />
                </li>
              ))}
            </ul>
          )
        }}
      </Shown>
    </Section>
  )
}

export default function DevicePage() {
  const [code, setCode] = useState('')
  const look = useAct(() => post('/api/v1/devices/look', { code }))
  const answer = useAct((letIn: boolean) => post('/api/v1/devices/answer', { code, let_in: letIn }))
  const seen = look.data
  return (
    <>
      <Sentence>Let a program in.</Sentence>
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-2">
        <Section title={answer.isSuccess ? 'Settled' : 'The code that the program shows'}>
          <div className="grid gap-4 px-3.5 py-3">
            {answer.isSuccess ? (
              <>
                <p role="status">
                  {answer.variables
                    ? 'It is let in, to read and to draft. You can go back to your terminal.'
                    : 'It was refused.'}
                </p>
                <Button
                  onClick={() => {
                    answer.reset()
                    look.reset()
                    setCode('')
                  }}
                >
                  Another one
                </Button>
              </>
            ) : !seen ? (
              <form
                className="grid gap-3"
                onSubmit={(event) => {
                  event.preventDefault()
                  look.mutate()
                }}
              >
                <p>
                  Type it yourself, from a terminal you opened yourself. If somebody sent you a code, or wants you to
                  type one: don’t.
                </p>
                <Input
                  label="Code"
                  value={code}
                  onChange={(event) => setCode(event.target.value.toUpperCase())}
                  className="mono max-w-56 text-[1.3rem] tracking-widest"
                  placeholder="XXXX-XXXX"
                  autoComplete="off"
                  spellCheck={false}
                  maxLength={12}
                  autoFocus
                />
                <Button
                  type="submit"
                  look="main"
                  busy={look.isPending}
                  disabled={code.replace(/[^A-Z]/g, '').length < 8}
                  className="justify-self-start"
                >
                  Look who asks
                </Button>
                <Wrong error={look.error} />
              </form>
            ) : (
              <>
                <dl className="grid grid-cols-[7rem_minmax(0,1fr)] gap-x-3 gap-y-1.5">
                  <dt className="label">Program</dt>
                  <dd className="mono">{seen.program}</dd>
                  <dt className="label">On the host</dt>
                  <dd className="mono">{seen.host} (as it says)</dd>
                  <dt className="label">From</dt>
                  <dd className="mono">{seen.address}</dd>
                  <dt className="label">Asked</dt>
                  <dd>
                    <Instant at={seen.asked_at} how="relative" />; good until <Instant at={seen.expires} />
                  </dd>
                </dl>
                <p>
                  It will read what you may see, and draft what you then confirm here. It can’t answer, reveal a
                  password, or let anything else in.
                </p>
                <Wrong error={answer.error} />
                <div className="flex gap-2">
                  <Button look="main" busy={answer.isPending && answer.variables} onClick={() => answer.mutate(true)}>
                    It is mine: let it in
                  </Button>
                  <Button
                    look="alarm"
                    busy={answer.isPending && !answer.variables}
                    onClick={() => answer.mutate(false)}
                  >
                    Refuse it
                  </Button>
                </div>
              </>
            )}
          </div>
        </Section>
        <Drafts />
      </div>
    </>
  )
}
