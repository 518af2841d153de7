// Directories that people and groups come from: set, read now, taken in where one was held, ended.

import { useState } from 'react'
import { type Api, get, post } from '../../api/call'
import { Button, TwicePressed } from '../../parts/buttons'
import { Input, Select } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant } from '../../parts/told'
import { useAction, useData } from '../../parts/data'
import { count } from '../../words/time'

type Source = Api['SourceView']

/** Where in the directory they are, and when they were last taken in. */
function Mapping({ one }: { one: Source }) {
  return (
    <span className="text-ink-3">
      People below <code>{one.mapping.people}</code>
      {one.mapping.groups && (
        <>
          , groups below <code>{one.mapping.groups}</code>
        </>
      )}
      ;{' '}
      {one.taken_at ? (
        <>
          last taken in <Instant at={one.taken_at} how="relative" />
        </>
      ) : (
        'nothing taken in yet'
      )}
      . It is read with each survey.
    </span>
  )
}

function Row({ one }: { one: Source }) {
  const read = useAction(() => post('/api/v1/sources/read', { target: one.target }))
  const accept = useAction(() => post('/api/v1/sources/accept', { target: one.target }))
  const end = useAction(() => post('/api/v1/sources/end', { target: one.target }))
  return (
    <li className="grid gap-1.5 border-b border-line px-3.5 py-2.5 last:border-0">
      <span className="flex flex-wrap items-baseline justify-between gap-2">
        <span>
          <span className="mono font-semibold">{one.target}</span>: {count(one.people, 'person', 'people')},{' '}
          {count(one.groups, 'group')}
          {one.suspended > 0 && `, ${one.suspended} of them suspended`}
          {one.unusable > 0 && (
            <span className="text-warm">
              ; {count(one.unusable, 'entry', 'entries')} can’t be taken in, because somebody here is called so already
            </span>
          )}
        </span>
        <span className="flex gap-1.5">
          <Button busy={read.isPending} onClick={() => read.mutate()}>
            Read now
          </Button>
          <TwicePressed says="End" sure="Nobody comes from it any more" act={end} />
        </span>
      </span>
      <Mapping one={one} />
      {one.held && (
        <span className="flex flex-wrap items-center gap-3 rounded border border-warm-fill bg-warm-soft px-3 py-2">
          <span className="min-w-0 flex-1">
            A reading would let too many go at once, so it waits for a person. Look at the alarm before you take it in.
          </span>
          <Button busy={accept.isPending} onClick={() => accept.mutate()}>
            Take it in
          </Button>
        </span>
      )}
      <Wrong error={read.error ?? accept.error ?? end.error} />
    </li>
  )
}

function Add({ directories }: { directories: Api['TargetView'][] }) {
  const [target, setTarget] = useState(directories[0]?.path ?? '')
  const base = directories.find((one) => one.path === target)?.connector
  const root = base?.kind === 'ldap' ? base.base : ''
  const [written, setWritten] = useState<Record<string, string>>({})
  const of = (key: string, usual: string) => written[key] ?? usual
  const field = (key: string, label: string, usual: string, hint?: string) => (
    <Input
      label={label}
      hint={hint}
      value={of(key, usual)}
      className="mono"
      onChange={(event) => setWritten({ ...written, [key]: event.target.value })}
    />
  )
  const people = of('people', `ou=people,${root}`)
  const groups = of('groups', `ou=groups,${root}`)
  const add = useAction(() =>
    post('/api/v1/sources', {
      target,
      mapping: {
        people,
        groups: groups || null,
        name: of('name', 'uid'),
        about: of('about', 'cn'),
        manager: of('manager', '') || null,
      },
    }),
  )
  return (
    <form
      className="grid gap-3 px-3.5 py-3 sm:grid-cols-2"
      onSubmit={(event) => {
        event.preventDefault()
        add.mutate()
      }}
    >
      <Select label="Directory" value={target} onChange={(event) => setTarget(event.target.value)}>
        {directories.map((one) => (
          <option key={one.path}>{one.path}</option>
        ))}
      </Select>
      {field('people', 'People are below', `ou=people,${root}`)}
      {field('groups', 'Groups are below', `ou=groups,${root}`, 'Empty for no groups')}
      {field('name', 'Attribute of the name', 'uid')}
      {field('about', 'Attribute of who they are', 'cn')}
      {field('manager', 'Attribute of the manager', '', 'Empty for none')}
      <div className="grid gap-2 sm:col-span-2">
        <Wrong error={add.error} />
        <Button type="submit" look="main" busy={add.isPending} className="justify-self-start">
          Have people come from it
        </Button>
      </div>
    </form>
  )
}

/** Directories that people and groups come from. */
export function Sources() {
  const sources = useData(['sources'], ['people', 'estate'], () => get('/api/v1/sources'))
  const targets = useData(['targets'], ['estate', 'standing', 'elevations'], () => get('/api/v1/targets'))
  const known = new Set((sources.data ?? []).map((one) => one.target))
  const directories = (targets.data ?? []).filter((one) => one.connector.kind === 'ldap' && !known.has(one.path))
  return (
    <Section title="Where people come from">
      <Shown of="sources" query={sources} lines={2}>
        {(all) =>
          all.length === 0 ? (
            <Empty>
              People are added by hand. Once a directory is connected under Systems, they and their groups can come from
              it: leavers are suspended, and an answer that is empty or too small changes nobody.
            </Empty>
          ) : (
            <ul>
              {all.map((one) => (
                <Row key={one.target} one={one} />
              ))}
            </ul>
          )
        }
      </Shown>
      {directories.length > 0 && <Add key={directories[0]?.path} directories={directories} />}
    </Section>
  )
}
