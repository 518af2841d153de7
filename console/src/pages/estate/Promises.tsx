// Promises: what must hold whatever terms, groups and labels say; each with the shortest examples of what breaks it at present.

import { useState } from 'react'
import { type Api, get, post, put, remove } from '../../api/call'
import { useAction, useData } from '../../parts/data'
import { Input, NumberInput, Select } from '../../parts/fields'
import { readSpan, span } from '../../words/time'
import { Plain } from '../../parts/shown'
import { Named, Setting, WouldBreak } from './Named'

type PromiseView = Api['PromiseView']
type Body = Api['PromiseBody']
type Promised = Body['promised']

const PROMISES: Record<Promised['is'], string> = {
  answered: 'nobody holds one without a yes',
  brief: 'nobody holds one for longer',
  assured: 'nobody begins without an assurance',
  answerable: 'so many people could answer',
  'never-standing': 'nobody holds one all the time',
  only: 'nobody may but some',
}

/** Each as it begins. */
const BEGINS: Record<Promised['is'], Promised> = {
  answered: { is: 'answered', yes: 1 },
  brief: { is: 'brief', longest: 4 * 3600 },
  assured: { is: 'assured', assurance: '' },
  answerable: { is: 'answerable', people: 2 },
  'never-standing': { is: 'never-standing' },
  only: { is: 'only', to: '' },
}

function isWhole({ of, promised }: Body): boolean {
  if (!of.trim()) return false
  if (promised.is === 'assured') return !!promised.assurance.trim()
  if (promised.is === 'brief') return promised.longest > 0
  return promised.is !== 'only' || !!promised.to.trim()
}

function Longest({ seconds, set }: { seconds: number; set: (seconds: number) => void }) {
  const [text, setText] = useState(span(seconds))
  return (
    <Input
      label="At most"
      hint="like 4 h, or 30 min"
      value={text}
      wrong={readSpan(text) === undefined ? 'That is no time.' : undefined}
      onChange={(event) => {
        setText(event.target.value)
        set(readSpan(event.target.value) ?? 0)
      }}
    />
  )
}

/** What is promised of them, in figures and names. */
function What({ promised, set }: { promised: Promised; set: (promised: Promised) => void }) {
  switch (promised.is) {
    case 'answered':
      return (
        <NumberInput label="How many yes" value={promised.yes} set={(yes) => set({ ...promised, yes: yes ?? 0 })} />
      )
    case 'brief':
      return <Longest seconds={promised.longest} set={(longest) => set({ ...promised, longest })} />
    case 'assured':
      return (
        <Input
          label="Which assurance"
          value={promised.assurance}
          onChange={(event) => set({ ...promised, assurance: event.target.value })}
        />
      )
    case 'answerable':
      return (
        <NumberInput
          label="How many people"
          value={promised.people}
          set={(people) => set({ ...promised, people: people ?? 0 })}
        />
      )
    case 'only':
      return (
        <Input
          label="Who may"
          hint="a person, or a group"
          value={promised.to}
          onChange={(event) => set({ ...promised, to: event.target.value })}
        />
      )
    default:
      return null
  }
}

function Edit({ one, close }: { one?: PromiseView; close: () => void }) {
  const [name, setName] = useState(one?.name ?? '')
  const [body, setBody] = useState<Body>(
    one ? { of: one.of, by: one.by ?? null, promised: one.promised } : { of: '', by: null, promised: BEGINS.answered },
  )
  const change = (next: Partial<Body>) => setBody({ ...body, ...next })
  const save = useAction(() => put('/api/v1/promises/{name}', one?.digest ?? null, body, { name: name.trim() }), close)
  const end = useAction(() => remove('/api/v1/promises/{name}', { name }), close)
  return (
    <Setting
      of={one?.name}
      anew={{ title: 'A new promise', like: 'critical-by-two' }}
      says="A change of terms, groups, people or labels that would break it is refused, with the shortest example. What comes from outside and breaks it is an alarm."
      saves="Change it"
      may={isWhole(body)}
      {...{ name, setName, save, end, close }}
    >
      <Input
        label="Of these rights"
        hint="role@/path, weight:critical@/path, or /path for all there"
        value={body.of}
        onChange={(event) => change({ of: event.target.value })}
      />
      <Input
        label="Only of"
        hint="a person, or the members of a group; left empty, of everybody"
        value={body.by ?? ''}
        onChange={(event) => change({ by: event.target.value || null })}
      />
      <Select
        label="Promise that"
        value={body.promised.is}
        onChange={(event) => change({ promised: BEGINS[event.target.value as Promised['is']] })}
      >
        {Object.entries(PROMISES).map(([is, says]) => (
          <option key={is} value={is}>
            {says}
          </option>
        ))}
      </Select>
      <What promised={body.promised} set={(promised) => change({ promised })} />
      <WouldBreak
        body={body}
        may={isWhole(body)}
        look={(body) => post('/api/v1/promises/preview', body)}
        each={(found) => [
          ...found.examples.map((example) => <Plain key={example.says} text={example.says} />),
          ...more(found),
        ]}
      />
    </Setting>
  )
}

/** How many times it is broken besides by the examples. */
function more({ times, examples }: Api['BrokenView']): string[] {
  return times > examples.length ? [`In all, for ${times} pairs of somebody and a right.`] : []
}

/** So many examples are shown at first. */
const FEW = 3

function Says({ one }: { one: PromiseView }) {
  const { times, examples } = one.broken
  return (
    <>
      <p className="break-words">
        <span className="mono font-semibold">{one.name}</span> {one.says}
      </p>
      {times === 0 ? (
        <p className="text-ink-2">Kept: nothing breaks it.</p>
      ) : (
        <ul aria-label={`Breaks ${one.name}`} className="break-words text-warm">
          {examples.slice(0, FEW).map((example) => (
            <li key={example.says}>
              <Plain text={example.says} />.
            </li>
          ))}
          {more({ times, examples: examples.slice(0, FEW) }).map((says) => (
            <li key={says} className="text-ink-2">
              {says}
            </li>
          ))}
        </ul>
      )}
    </>
  )
}

/** Every promise that the reader sees; `may` where they may change them. */
export function Promises({ may }: { may: boolean }) {
  const all = useData(['promises'], ['terms', 'people', 'standing'], () => get('/api/v1/promises'))
  return (
    <Named
      title="Promises"
      none="None is set: whatever terms, groups and labels come to say, holds."
      {...{ all, may, Says, Edit }}
    />
  )
}
