// How sure one must be of people, by name: each with the rules that want it, and whom it would have refused while it only watches.

import { useState } from 'react'
import { type Api, get, put, remove } from '../../api/call'
import { useAction, useData } from '../../parts/data'
import { Input, Select } from '../../parts/fields'
import { Instant, Who } from '../../parts/told'
import { readNames, writeNames } from '../../words/names'
import { count } from '../../words/time'
import { Time } from './settings/fields'
import { Named, Setting } from './Named'

type Assurance = Api['AssuranceView']
type Body = Parameters<typeof put<'/api/v1/assurances/{name}'>>[2]

const LACKS: Record<Assurance['let_through'][number]['lack'], string> = {
  method: 'a proof that it accepts',
  age: 'a proof that is fresh enough',
  network: 'a network that it accepts',
}

const ACCEPTS: Record<string, Body['accepts']> = {
  'a passkey': ['passkey'],
  'a TOTP code': ['totp-code'],
  'a passkey or a TOTP code': ['passkey', 'totp-code'],
}

const NEW: Body = { accepts: ['passkey'], within: 600, networks: [], bypass: null, pilot: null, watch_only: true }

const bodyOf = ({ accepts, within, networks, bypass, pilot, watch_only }: Assurance): Body => ({
  accepts,
  within,
  networks: networks ?? [],
  bypass: bypass ?? null,
  pilot: pilot ?? null,
  watch_only: watch_only ?? false,
})

interface Editing {
  body: Body
  change: (next: Partial<Body>) => void
}

/** What is accepted: which proof, how fresh, from where. */
function Accepted({ body, change }: Editing) {
  const [networks, setNetworks] = useState(writeNames(body.networks).replace('none', ''))
  const chosen = Object.entries(ACCEPTS).find(
    ([, accepts]) => [...accepts].sort().join() === [...body.accepts].sort().join(),
  )
  return (
    <>
      <Select
        label="Accepts"
        value={chosen?.[0]}
        onChange={(event) => change({ accepts: ACCEPTS[event.target.value] ?? body.accepts })}
      >
        {Object.keys(ACCEPTS).map((says) => (
          <option key={says}>{says}</option>
        ))}
      </Select>
      <Time label="No older than" seconds={body.within} onChange={(within) => change({ within: within ?? 0 })} />
      <Input
        label="From these networks"
        placeholder="anywhere; or 10.20.0.0/16, 2001:db8::/32"
        value={networks}
        onChange={(event) => {
          setNetworks(event.target.value)
          change({ networks: readNames(event.target.value) ?? [] })
        }}
      />
    </>
  )
}

/** For whom it holds, and whether it refuses anybody yet. */
function HoldsFor({ body, change }: Editing) {
  return (
    <>
      <Input
        label="Tried out with this group"
        placeholder="holds for everybody"
        value={body.pilot ?? ''}
        onChange={(event) => change({ pilot: event.target.value.trim() || null })}
      />
      <Input
        label="Let through without it: this group"
        placeholder="nobody"
        value={body.bypass ?? ''}
        onChange={(event) => change({ bypass: event.target.value.trim() || null })}
      />
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={body.watch_only}
          onChange={(event) => change({ watch_only: event.target.checked })}
        />
        Refuse nobody yet, and only note whom it would have refused
      </label>
    </>
  )
}

function Edit({ one, close }: { one?: Assurance; close: () => void }) {
  const [name, setName] = useState(one?.name ?? '')
  const [body, setBody] = useState<Body>(one ? bodyOf(one) : NEW)
  const change = (next: Partial<Body>) => setBody((was) => ({ ...was, ...next }))
  const save = useAction(
    () => put('/api/v1/assurances/{name}', one?.digest ?? null, body, { name: name.trim() }),
    close,
  )
  const end = useAction(() => remove('/api/v1/assurances/{name}', { name }), close)
  return (
    <Setting
      of={one?.name}
      anew={{ title: 'A new assurance', like: 'hardware-key' }}
      says="Rules want it by its name; a change of it holds at once wherever it is wanted."
      saves="Change it"
      may={body.within > 0}
      {...{ name, setName, save, end, close }}
    >
      <Accepted body={body} change={change} />
      <HoldsFor body={body} change={change} />
    </Setting>
  )
}

function Says({ one }: { one: Assurance }) {
  return (
    <>
      <p>
        <span className="mono font-semibold">{one.name}</span> {one.says}
      </p>
      <p className="text-ink-2">
        {one.wanted_by.length === 0 ? 'No rule wants it.' : `Wanted by ${one.wanted_by.join(', ')}.`}
      </p>
      <ul className="text-ink-2">
        {one.let_through.map((by) => (
          <li key={by.who}>
            Would have refused <Who name={by.who} /> {count(by.times, 'time')}, last{' '}
            <Instant at={by.last_at} how="relative" />, for lacking {LACKS[by.lack]}.
          </li>
        ))}
      </ul>
    </>
  )
}

/** Every assurance that the reader sees; `may` where they may change them. */
export function Assurances({ may }: { may: boolean }) {
  const all = useData(['assurances'], ['terms', 'people'], () => get('/api/v1/assurances'))
  return (
    <Named
      title="Assurances"
      none="None is set: any passkey or TOTP code will do, as fresh as the rules say."
      {...{ all, may, Says, Edit }}
    />
  )
}
