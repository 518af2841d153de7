// Who answers in somebody's place while they are away: arranged, and ended early.

import { useState } from 'react'
import { type Api, get, post, remove } from '../../api/call'
import { Button } from '../../parts/buttons'
import { useAction, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { Section } from '../../parts/sections'
import { Empty, Wrong } from '../../parts/shown'
import { Instant, Who } from '../../parts/told'
import { type Absence, AbsenceForm } from './AbsenceForm'

type One = Api['DelegationView']

function Arrange({ absent, close }: { absent: string; close: () => void }) {
  const send = ({ who, ...rest }: Absence) => post('/api/v1/delegations', { absent, delegate: who, ...rest })
  return <AbsenceForm who="Who answers" sends="Have them answer" send={send} close={close} />
}

function Row({ one }: { one: One }) {
  const end = useAction(() => remove('/api/v1/delegations/{id}', { id: one.id }))
  return (
    <li className="grid gap-1 border-b border-line px-3.5 py-2 last:border-0">
      <span className="flex flex-wrap items-baseline justify-between gap-2">
        <span>
          <span className="mono font-semibold">{one.id}</span> <Who name={one.delegate} className="font-medium" /> for{' '}
          <Who name={one.absent} />, <Instant at={one.from} /> to <Instant at={one.until} />
          {one.holds && ': away now'}
        </span>
        {one.may_end && (
          <Button look="quiet" busy={end.isPending} onClick={() => end.mutate()}>
            End
          </Button>
        )}
      </span>
      {one.reason && <span className="text-ink-3">{one.reason}</span>}
      <Wrong error={end.error} />
    </li>
  )
}

/** `may` where the reader administers people, or it is their own page. */
export function Delegations({ of, may }: { of: string; may: boolean }) {
  const [arranging, setArranging] = useState(false)
  const all = useData(['delegations'], ['people'], () => get('/api/v1/delegations'))
  const shown = (all.data ?? []).filter((one) => one.absent === of || one.delegate === of)
  if (!may && shown.length === 0) return null
  return (
    <Section
      title="Answers during absences"
      aside={may && <Button onClick={() => setArranging(true)}>Have somebody answer …</Button>}
    >
      {shown.length === 0 && (
        <Empty>
          Nobody answers for {of}, and {of} for nobody.
        </Empty>
      )}
      <ul>
        {shown.map((one) => (
          <Row key={one.id} one={one} />
        ))}
      </ul>
      <Dialog
        open={arranging}
        onClose={() => setArranging(false)}
        title={`While ${of} is away`}
        says="What would be asked of them meanwhile is asked of somebody else, which whoever asks is told. What waits for them already stays theirs."
      >
        <Arrange absent={of} close={() => setArranging(false)} />
      </Dialog>
    </Section>
  )
}
