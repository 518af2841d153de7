// Connecting a system: its kind, where it goes in the estate, how it is reached.

import { useState } from 'react'
import { type Api, get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Input, Select, TextArea } from '../../parts/fields'
import { Wrong } from '../../parts/shown'
import { useAction } from '../../parts/data'
import { KINDS } from '../../words/systems'

type Kind = Api['Connector']['kind']

/** What is asked of each kind. */
interface Field {
  key: string
  label: string
  usual: string
  hint?: string
  secret?: boolean
  lines?: number
}

const FIELDS: Record<Kind, Field[]> = {
  postgres: [
    { key: 'host', label: 'Host', usual: '127.0.0.1' },
    { key: 'port', label: 'Port', usual: '5432' },
    { key: 'user', label: 'The broker’s login role', usual: 'tempestas_broker' },
    { key: 'database', label: 'Database for its own schema', usual: 'tempestas' },
    { key: 'secret', label: 'The broker’s password', usual: '', hint: 'Sealed, and never shown again.', secret: true },
  ],
  brightwater: [
    { key: 'url', label: 'Address', usual: 'http://127.0.0.1:' },
    { key: 'secret', label: 'The broker’s key', usual: '', hint: 'Sealed, and never shown again.', secret: true },
  ],
  fathom: [
    { key: 'url', label: 'Address', usual: 'http://127.0.0.1:' },
    { key: 'secret', label: 'The broker’s key', usual: '', hint: 'Sealed, and never shown again.', secret: true },
  ],
  ldap: [
    { key: 'url', label: 'Address', usual: 'ldaps://', hint: 'ldaps://HOST:PORT, or ldap:// on this machine.' },
    { key: 'user', label: 'Our account there', usual: '', hint: 'As a distinguished name.' },
    { key: 'base', label: 'Where people and groups are', usual: '', hint: 'As a distinguished name.' },
    { key: 'grants', label: 'Where grants are put', usual: '', hint: 'Below that, like ou=grants,dc=…' },
    {
      key: 'sweep',
      label: 'Seconds between sweeps',
      usual: '5',
      hint: 'dds-interval of the server: how exactly grants end.',
    },
    { key: 'secret', label: 'Our password there', usual: '', hint: 'Sealed, and never shown again.', secret: true },
  ],
  described: [
    {
      key: 'form',
      label: 'Description',
      usual: '',
      hint: 'The file that says what to call for survey, give, take and reading back.',
      lines: 12,
    },
    { key: 'secret', label: 'Its password or key', usual: '', hint: 'Sealed, and never shown again.', secret: true },
  ],
  linux: [
    { key: 'host', label: 'Host', usual: '' },
    { key: 'port', label: 'Port of sshd', usual: '22' },
    { key: 'user', label: 'Account that orders come through', usual: 'tempestas' },
    {
      key: 'host_key',
      label: 'The host’s own public key',
      usual: '',
      hint: 'As its /etc/ssh/ssh_host_ed25519_key.pub has it. No other host is ever spoken to.',
    },
  ],
}

function connector(kind: Kind, of: (key: string) => string): Api['Connector'] {
  const port = Number(of('port'))
  switch (kind) {
    case 'postgres':
      return { kind, host: of('host'), port, user: of('user'), database: of('database') }
    case 'fathom':
    case 'brightwater':
      return { kind, url: of('url') }
    case 'ldap':
      return {
        kind,
        url: of('url'),
        user: of('user'),
        base: of('base'),
        grants: of('grants'),
        sweep: Number(of('sweep')),
      }
    case 'described':
      return { kind, form: of('form') }
    case 'linux':
      return { kind, host: of('host'), port, user: of('user'), host_key: of('host_key').trim() }
  }
}

/** Makes the folders on the way that are missing; says the last of them, and the name left over. */
async function placed(path: string): Promise<{ parent: string; name: string }> {
  const parts = path.split('/').filter(Boolean)
  const name = parts.pop() ?? ''
  const known = new Set((await get('/api/v1/estate')).map((scope) => scope.path))
  let parent = '/'
  for (const part of parts) {
    const next = parent === '/' ? `/${part}` : `${parent}/${part}`
    if (!known.has(next)) await post('/api/v1/folders', { parent, name: part })
    parent = next
  }
  return { parent, name }
}

interface AskedProps {
  field: Field
  value: string
  write: (value: string) => void
}

const NUMBERS = ['port', 'sweep']

/** One field, in as many lines as it takes. */
function Asked({ field, value, write }: AskedProps) {
  const shared = {
    label: field.label,
    hint: field.hint,
    value,
    required: true,
    onChange: (event: { target: { value: string } }) => write(event.target.value),
  }
  if (field.lines) {
    return (
      <div className="sm:col-span-2">
        <TextArea {...shared} rows={field.lines} spellCheck={false} />
      </div>
    )
  }
  return (
    <Input
      {...shared}
      type={field.secret ? 'password' : NUMBERS.includes(field.key) ? 'number' : 'text'}
      autoComplete={field.secret ? 'new-password' : 'off'}
    />
  )
}

/** `done` is called once it is connected. */
export function Connect({ done }: { done?: () => void }) {
  const [kind, setKind] = useState<Kind>('postgres')
  const [path, setPath] = useState('')
  const [written, setWritten] = useState<Record<string, string>>({})
  const fields = FIELDS[kind]
  const of = (key: string) => written[`${kind}.${key}`] ?? fields.find((field) => field.key === key)?.usual ?? ''
  const connect = useAction(async () => {
    const at = await placed(path)
    return post('/api/v1/targets', {
      ...at,
      connector: connector(kind, of),
      secret: of('secret'),
      emergency_least: 1,
      alarm_after: 60,
    })
  }, done)
  return (
    <form
      className="grid gap-3 px-3.5 py-3 sm:grid-cols-2"
      onSubmit={(event) => {
        event.preventDefault()
        connect.mutate()
      }}
    >
      <Select label="Kind" value={kind} onChange={(event) => setKind(event.target.value as Kind)}>
        {Object.entries(KINDS).map(([value, word]) => (
          <option key={value} value={value}>
            {word}
          </option>
        ))}
      </Select>
      <Input
        label="Path in the estate"
        value={path}
        onChange={(event) => setPath(event.target.value)}
        placeholder="/harbour/databases/berths"
        className="mono"
        required
        hint="Folders on the way are made."
      />
      {fields.map((field) => (
        <Asked
          key={`${kind}.${field.key}`}
          field={field}
          value={of(field.key)}
          write={(value) => setWritten((old) => ({ ...old, [`${kind}.${field.key}`]: value }))}
        />
      ))}
      <div className="grid gap-3 sm:col-span-2">
        <Wrong error={connect.error} />
        <Button type="submit" look="main" busy={connect.isPending} className="justify-self-start">
          Connect it
        </Button>
      </div>
    </form>
  )
}
