// Letting a program in: its code is typed, what asks is shown, and a person says yes.

import { type FormEvent, useState } from 'react'
import { Link } from 'react-router'
import { type Api, get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Input } from '../../parts/fields'
import { Section, Sentence } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant } from '../../parts/told'
import { useAction, useData } from '../../parts/data'

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

/** The code, typed from one's own terminal. */
function CodeForm({ code, setCode, look }: { code: string; setCode: (code: string) => void; look: Act }) {
  const submit = (event: FormEvent) => {
    event.preventDefault()
    look.mutate(code)
  }
  return (
    <form className="grid gap-3" onSubmit={submit}>
      <p>
        Type it yourself, from a terminal you opened yourself. If somebody sent you a code, or wants you to type one:
        don’t.
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
  )
}

interface Act {
  isPending: boolean
  error: Error | null
  mutate: (code: string) => void
}

/** Who asks to be let in, and what that would allow. */
function Asks({ seen }: { seen: Api['DeviceView'] }) {
  return (
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
        It will read what you may see, and draft what you then confirm here. It can’t answer, reveal a password, or let
        anything else in.
      </p>
    </>
  )
}

function LetIn() {
  const [code, setCode] = useState('')
  const look = useAction((code: string) => post('/api/v1/devices/look', { code }))
  // The code that was looked at: what was typed while that was on its way is another's.
  const answer = useAction((letIn: boolean) =>
    post('/api/v1/devices/answer', { code: look.variables ?? '', let_in: letIn }),
  )
  const again = () => {
    answer.reset()
    look.reset()
    setCode('')
  }
  return (
    <Section title={answer.isSuccess ? 'Settled' : 'The code that the program shows'}>
      <div className="grid gap-4 px-3.5 py-3">
        {answer.isSuccess ? (
          <>
            <p role="status">
              {answer.variables
                ? 'It is let in, to read and to draft. You can go back to your terminal.'
                : 'It was refused.'}
            </p>
            <Button onClick={again}>Another one</Button>
          </>
        ) : !look.data ? (
          <CodeForm code={code} setCode={setCode} look={look} />
        ) : (
          <>
            <Asks seen={look.data} />
            <Wrong error={answer.error} />
            <div className="flex gap-2">
              <Button look="main" busy={answer.isPending && answer.variables} onClick={() => answer.mutate(true)}>
                It is mine: let it in
              </Button>
              <Button look="alarm" busy={answer.isPending && !answer.variables} onClick={() => answer.mutate(false)}>
                Refuse it
              </Button>
            </div>
          </>
        )}
      </div>
    </Section>
  )
}

/** Lets a program in by its code, and shows those that are in. */
export default function DevicePage() {
  return (
    <>
      <Sentence>Let a program in.</Sentence>
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-2">
        <LetIn />
        <Drafts />
      </div>
    </>
  )
}
