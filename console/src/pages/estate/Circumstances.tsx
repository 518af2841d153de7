// Circumstances: what other systems are asked, by name; each with whether it holds, and the rules that want it.

import { useState } from 'react'
import { type Api, get, put, remove } from '../../api/call'
import { useAction, useData } from '../../parts/data'
import { Input } from '../../parts/fields'
import { Instant } from '../../parts/told'
import { Named, Setting } from './Named'

type Circumstance = Api['CircumstanceView']
type Body = Parameters<typeof put<'/api/v1/circumstances/{name}'>>[2]

function Edit({ one, close }: { one?: Circumstance; close: () => void }) {
  const [name, setName] = useState(one?.name ?? '')
  const [body, setBody] = useState<Body>({
    address: one?.address ?? '',
    pointer: one?.pointer ?? '',
    is: one?.is ?? '',
    secret: null,
  })
  const change = (next: Partial<Body>) => setBody({ ...body, ...next })
  const save = useAction(
    () => put('/api/v1/circumstances/{name}', one?.digest ?? null, body, { name: name.trim() }),
    close,
  )
  const end = useAction(() => remove('/api/v1/circumstances/{name}', { name }), close)
  const isElsewhere = one && one.address !== body.address
  return (
    <Setting
      of={one?.name}
      anew={{ title: 'A new circumstance', like: 'incident-open' }}
      says="Rules want it by its name. It is asked while somebody rests on it; what could not be asked does not hold, and what is held ends with it."
      saves="Change it"
      may={!!body.address.trim() && !!body.is}
      {...{ name, setName, save, end, close }}
    >
      <Input
        label="Address that is asked"
        hint="A part of its path may be {visit} or {ticket}: the reference of that name that an asker brings."
        placeholder="https://desk.example/visits/{visit}"
        value={body.address}
        onChange={(event) => change({ address: event.target.value })}
      />
      <Input
        label="Where in its answer"
        placeholder="/state; or empty, for the whole of it"
        value={body.pointer}
        onChange={(event) => change({ pointer: event.target.value })}
      />
      <Input
        label="What stands there while it holds"
        placeholder="open"
        value={body.is}
        onChange={(event) => change({ is: event.target.value })}
      />
      <Input
        label="Token that it is asked with"
        type="password"
        autoComplete="off"
        hint={
          isElsewhere
            ? 'The one there is was for the other address, and is forgotten.'
            : one && 'Left empty, the one there is stays.'
        }
        value={body.secret ?? ''}
        onChange={(event) => change({ secret: event.target.value || null })}
      />
    </Setting>
  )
}

function Says({ one }: { one: Circumstance }) {
  return (
    <>
      <p className="break-words">
        <span className="mono font-semibold">{one.name}</span> {one.says}
      </p>
      {one.since && (
        <p className={one.holds ? 'text-sure' : 'text-warm'}>
          {one.holds ? 'Holds' : 'Does not hold'} since <Instant at={one.since} />.
        </p>
      )}
      {one.trouble && <p className="text-alarm">Can’t be asked at present: {one.trouble}.</p>}
      <p className="text-ink-2">
        {one.wanted_by.length === 0 ? 'No rule wants it.' : `Wanted by ${one.wanted_by.join(', ')}.`}
      </p>
    </>
  )
}

/** Every circumstance that the reader sees; `may` where they may change them. */
export function Circumstances({ may }: { may: boolean }) {
  const all = useData(['circumstances'], ['terms'], () => get('/api/v1/circumstances'))
  return (
    <Named
      title="Circumstances"
      none="None is set: nothing is held only while another system says so."
      {...{ all, may, Says, Edit }}
    />
  )
}
