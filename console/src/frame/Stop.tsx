// Stop: from any page, in two steps; and the banner while one is in force.

import { useState } from 'react'
import { type Api, get, post } from '../api/call'
import { Button } from '../parts/buttons'
import { Input, Select } from '../parts/fields'
import { Wrong } from '../parts/shown'
import { Instant, Reference, Who } from '../parts/told'
import { useAction, useData } from '../parts/data'
import type { Me } from '../parts/me'
import { Dialog } from '../parts/overlay'
import { count } from '../words/time'

type Reach = 'person' | 'scope' | 'everything'

function WhatToStop({
  me,
  reach,
  name,
  setName,
}: {
  me: Me
  reach: Reach
  name: string
  setName: (name: string) => void
}) {
  const people = useData(['people'], ['people'], () => get('/api/v1/people'), { enabled: reach === 'person' })
  const scopes = useData(['estate'], ['estate'], () => get('/api/v1/estate'), { enabled: reach === 'scope' })
  if (reach === 'everything') return null
  const known =
    reach === 'person'
      ? (people.data ?? []).filter((one) => one.kind === 'person').map((one) => [one.name, one.about])
      : (scopes.data ?? []).filter((one) => one.path !== '/').map((one) => [one.path, one.kind])
  return (
    <>
      <Input
        label={reach === 'person' ? 'Whom' : 'Which scope, with all below'}
        value={name}
        onChange={(event) => setName(event.target.value)}
        list="stop-names"
        autoComplete="off"
        hint={reach === 'person' && me.administers_all ? 'Every sign-in of theirs is reached.' : undefined}
      />
      <datalist id="stop-names">
        {known.map(([value, says]) => (
          <option key={value} value={value}>
            {says}
          </option>
        ))}
      </datalist>
    </>
  )
}

/** What was ended, once it is stopped. */
function Stopped({ done, close }: { done: Api['StopView']; close: () => void }) {
  return (
    <div className="grid gap-3">
      <p>
        {done.ended.length === 0
          ? 'Nothing was live or waiting there. New asks are barred from now on.'
          : `${count(done.ended.length, 'elevation')} ended. New asks are barred from now on.`}
      </p>
      {done.ended.length > 0 && (
        <p className="flex flex-wrap gap-2">
          {done.ended.slice(0, 40).map((id) => (
            <Reference key={id} id={id} />
          ))}
        </p>
      )}
      <Button onClick={close}>Close</Button>
    </div>
  )
}

interface Start {
  reach: Reach
  name: string
}

interface FormProps {
  me: Me
  start: Start | undefined
  stop: ReturnType<typeof useStop>
}

const useStop = () => useAction((body: Api['NewStop']) => post('/api/v1/stops', body))

function StopForm({ me, start, stop }: FormProps) {
  const [reach, setReach] = useState<Reach>(start?.reach ?? (me.administers_all ? 'everything' : 'scope'))
  const [name, setName] = useState(start?.name ?? '')
  const [word, setWord] = useState('')
  const what = reach === 'everything' ? 'everything' : name || '…'
  const body: Api['NewStop'] = {
    word,
    person: reach === 'person' ? name : undefined,
    scope: reach === 'scope' ? name : reach === 'everything' ? '/' : undefined,
  }
  return (
    <form
      className="grid gap-3"
      onSubmit={(event) => {
        event.preventDefault()
        stop.mutate(body)
      }}
    >
      <Select label="What to stop" value={reach} onChange={(event) => setReach(event.target.value as Reach)}>
        {me.administers_all && <option value="everything">Everything</option>}
        <option value="scope">A scope and all below</option>
        {me.administers_all && <option value="person">One person</option>}
      </Select>
      <WhatToStop {...{ me, reach, name, setName }} />
      <Input
        label="Why, for those it reaches to read"
        value={word}
        onChange={(event) => setWord(event.target.value)}
        maxLength={500}
      />
      <Wrong error={stop.error} />
      <Button
        type="submit"
        look="alarm"
        busy={stop.isPending}
        disabled={!word.trim() || (reach !== 'everything' && !name)}
      >
        Stop {what} now
      </Button>
    </form>
  )
}

interface DialogProps {
  open: boolean
  onClose: () => void
  me: Me
  start?: Start
}

/** Stops everything, a scope or a person, and says what that ended. */
export function StopDialog({ open, onClose, me, start }: DialogProps) {
  const stop = useStop()
  const done = stop.data
  const close = () => {
    stop.reset()
    onClose()
  }
  return (
    <Dialog
      open={open}
      onClose={close}
      title={done ? `Stopped: ${done.what}` : 'Stop'}
      says={
        done
          ? undefined
          : 'Ends what is live at once, on the systems themselves, and bars new asks. Lifting it takes two administrators; what it ends stays ended.'
      }
    >
      {done ? <Stopped done={done} close={close} /> : <StopForm {...{ me, start, stop }} />}
    </Dialog>
  )
}

/** Says on every page what is stopped, and lets the two lift it. */
export function StopBanner({ me }: { me: Me }) {
  const lift = useAction((id: string) => post('/api/v1/stops/{id}/lift', undefined, { id }))
  if (me.stops.length === 0) return null
  return (
    <section aria-label="Stopped" aria-live="polite" className="border-b border-alarm bg-alarm-soft">
      {me.stops.map((stop) => (
        <div
          key={stop.id}
          className="mx-auto flex max-w-[1280px] flex-wrap items-center gap-x-4 gap-y-1 px-3 py-1.5 md:px-5"
        >
          <p className="min-w-0 flex-1">
            <strong className="text-alarm">Stopped: {stop.what}.</strong> <Who name={stop.by} /> since{' '}
            <Instant at={stop.at} />: {stop.word}
            {stop.closing > 0 && <> · {count(stop.closing, 'grant')} not read back as gone yet</>}
            {stop.lift_by && (
              <>
                {' '}
                · <Who name={stop.lift_by} /> would lift it; one more must agree
              </>
            )}
          </p>
          {me.administers_all && stop.lift_by !== me.name && (
            <Button look="plain" busy={lift.isPending} onClick={() => lift.mutate(stop.id)}>
              {stop.lift_by ? 'Agree, and lift it' : 'Lift it (takes two)'}
            </Button>
          )}
          {lift.variables === stop.id && <Wrong error={lift.error} />}
        </div>
      ))}
    </section>
  )
}
