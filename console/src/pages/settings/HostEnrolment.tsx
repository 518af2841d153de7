// What a host has to be given before it can be looked after: the power in plain words, a script for its root, a check.

import { useState } from 'react'
import { get, post } from '../../api/call'
import { Copyable } from '../../parts/Copyable'
import { Button } from '../../parts/buttons'
import { Shown, Wrong } from '../../parts/shown'
import { useAction, useData } from '../../parts/data'

function Script({ target }: { target: string }) {
  const enrolment = useData(['enrolment', target], [], () => get('/api/v1/targets/enrolment', { query: { target } }))
  const [undo, setUndo] = useState(false)
  return (
    <Shown of="what it has to be given" query={enrolment}>
      {(given) => (
        <div className="grid gap-3">
          <ul className="list-disc pl-5 text-ink-2">
            {given.says.map((sentence) => (
              <li key={sentence}>{sentence}</li>
            ))}
          </ul>
          <Copyable
            key={String(undo)}
            label={undo ? 'Run as root on the host, to take all of it away' : 'Read, then run as root on the host'}
            text={undo ? given.undo : given.script}
            block
          />
          <Button look="quiet" className="justify-self-start" onClick={() => setUndo(!undo)}>
            {undo ? 'How it is placed' : 'How all of it is taken away again'}
          </Button>
        </div>
      )}
    </Shown>
  )
}

/** What is to be run on a host, and what the service is to know of it. */
export function HostEnrolment({ target, begun }: { target: string; begun: boolean }) {
  const [open, setOpen] = useState(!begun)
  const check = useAction(() => post('/api/v1/targets/check', { target }))
  return (
    <div className="grid gap-3">
      <div className="flex flex-wrap gap-1.5">
        <Button busy={check.isPending} onClick={() => check.mutate()}>
          Check it
        </Button>
        <Button look="quiet" aria-expanded={open} onClick={() => setOpen(!open)}>
          What it has to be given
        </Button>
      </div>
      {check.data && check.data.missing.length === 0 && (
        <p role="status">It can be looked after; nothing is missing.</p>
      )}
      {check.data?.missing.map((missing) => (
        <Wrong key={missing} error={new Error(missing)} />
      ))}
      <Wrong error={check.error} />
      {open && <Script target={target} />}
    </div>
  )
}
