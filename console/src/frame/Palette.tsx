// The palette: finds people, rights, scopes and elevations, and runs the verbs. Knows the trade's other words too.

import { Dialog as Radix } from 'radix-ui'
import { type KeyboardEvent, useDeferredValue, useState } from 'react'
import { useNavigate } from 'react-router'
import { type Api, get } from '../api/call'
import { useData } from '../parts/data'
import { isAdministrator, isOverseer, type Me } from '../parts/me'

interface Choice {
  key: string
  kind: string
  name: string
  says: string
  go: () => void
}

function target(hit: Api['Hit']): string {
  switch (hit.kind) {
    case 'elevation':
      return `/elevation/${hit.name}`
    case 'right':
      return `/ask?right=${encodeURIComponent(hit.name)}`
    case 'scope':
      return `/estate?at=${encodeURIComponent(hit.name)}`
    default:
      return `/person/${encodeURIComponent(hit.name)}`
  }
}

const VERBS = [
  { name: 'Ask for a right', words: 'ask request elevate activate', to: '/ask', for: () => true },
  { name: 'Answer what waits', words: 'answer approve deny reject review', to: '/answer', for: () => true },
  { name: 'What is in force now', words: 'now live active grants', to: '/', for: () => true },
  {
    name: 'Standing rights, and convert them',
    words: 'standing convert permanent admin',
    to: '/standing',
    for: isOverseer,
  },
  { name: 'Estate and terms', words: 'estate terms policy settings scope', to: '/estate', for: isOverseer },
  { name: 'The record', words: 'record audit log ledger history expire', to: '/record', for: () => true },
  { name: 'Let a program in', words: 'device code program client terminal', to: '/device', for: () => true },
  {
    name: 'Passkeys and sign-ins',
    words: 'passkey sign-in session security',
    to: '/settings?part=own',
    for: () => true,
  },
]

/** What fits a text: verbs of the console, and what the service finds. */
function useChoices(
  text: string,
  { open, me, to, stop }: { open: boolean; me: Me; to: (path: string) => void; stop: () => void },
) {
  const q = useDeferredValue(text.trim())
  const hits = useData(['search', q], [], () => get('/api/v1/search', { query: { q } }), {
    enabled: open && q.length > 0,
    keep: true,
  })
  const low = text.trim().toLowerCase()
  const fits = (words: string) => !low || words.includes(low)
  const verbs: Choice[] = VERBS.filter((verb) => verb.for(me) && fits(`${verb.name} ${verb.words}`.toLowerCase())).map(
    (verb) => ({ key: verb.to, kind: 'do', name: verb.name, says: '', go: () => to(verb.to) }),
  )
  if (isAdministrator(me) && fits('stop everything kill emergency')) {
    verbs.push({ key: 'stop', kind: 'do', name: 'Stop', says: 'end everything live, bar new asks', go: stop })
  }
  const found: Choice[] = (q ? (hits.data ?? []) : []).map((hit) => ({
    key: `${hit.kind} ${hit.name}`,
    kind: hit.kind,
    name: hit.name,
    says: hit.says,
    go: () => to(target(hit)),
  }))
  return [...found, ...verbs]
}

/** Moves and chooses by keyboard. */
type Press = (event: KeyboardEvent) => void

function Found({
  all,
  chosen,
  setAt,
  press,
}: {
  all: Choice[]
  chosen: number
  setAt: (n: number) => void
  press: Press
}) {
  return (
    <ul id="palette-list" role="listbox" aria-label="Found" className="max-h-[55vh] overflow-auto p-1.5">
      {all.map((choice, n) => (
        <li
          key={choice.key}
          id={`palette-${n}`}
          role="option"
          aria-selected={n === chosen}
          onClick={choice.go}
          onPointerMove={() => setAt(n)}
          onKeyDown={press}
          className={`flex cursor-pointer items-baseline gap-3 rounded px-2.5 py-1.5 ${n === chosen ? 'bg-sea-soft' : ''}`}
        >
          <span className="label w-16 shrink-0">{choice.kind}</span>
          <span className="min-w-0 font-medium break-words">{choice.name}</span>
          <span className="min-w-0 flex-1 truncate text-right text-ink-3">{choice.says}</span>
        </li>
      ))}
    </ul>
  )
}

function Finding({
  text,
  onText,
  active,
  press,
}: {
  text: string
  onText: (text: string) => void
  active?: string
  press: Press
}) {
  return (
    <input
      value={text}
      onChange={(event) => onText(event.target.value)}
      onKeyDown={press}
      role="combobox"
      aria-expanded="true"
      aria-controls="palette-list"
      aria-activedescendant={active}
      aria-label="Find people, rights, scopes, elevations; or say what to do"
      placeholder="A name, a right, a path, E1042; or what to do"
      className="w-full border-b border-line bg-transparent px-4 py-3 text-[1.07rem] outline-none placeholder:text-ink-3"
    />
  )
}

/** Finds, and does; `onStop` opens what ends everything. */
export function Palette({
  open,
  onClose,
  me,
  onStop,
}: {
  open: boolean
  onClose: () => void
  me: Me
  onStop: () => void
}) {
  const navigate = useNavigate()
  const [text, setText] = useState('')
  const [at, setAt] = useState(0)
  const say = (text: string) => {
    setText(text)
    setAt(0)
  }
  const close = () => {
    say('')
    onClose()
  }
  const to = (path: string) => {
    close()
    void navigate(path)
  }
  const stop = () => {
    close()
    onStop()
  }
  const all = useChoices(text, { open, me, to, stop })
  const chosen = Math.min(at, all.length - 1)
  const press: Press = (event) => {
    if (event.key === 'ArrowDown') setAt(Math.min(chosen + 1, all.length - 1))
    else if (event.key === 'ArrowUp') setAt(Math.max(chosen - 1, 0))
    else if (event.key === 'Enter') all[chosen]?.go()
    else return
    event.preventDefault()
  }
  return (
    <Radix.Root open={open} onOpenChange={(next) => !next && close()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-black/40" />
        <Radix.Content className="rise fixed top-[10vh] left-1/2 z-50 w-[calc(100vw-1.5rem)] max-w-xl -translate-x-1/2 overflow-hidden rounded-md border border-line bg-sheet shadow-xl">
          <Radix.Title className="sr-only">Find, or do</Radix.Title>
          <Radix.Description className="sr-only">
            Finds people, rights, scopes and elevations, and runs the verbs.
          </Radix.Description>
          <Finding text={text} onText={say} active={all[chosen] ? `palette-${chosen}` : undefined} press={press} />
          <Found all={all} chosen={chosen} setAt={setAt} press={press} />
          {all.length === 0 && (
            <p className="px-4 pb-4 text-ink-2">
              Nothing that you may see is called so. Try part of a name, a path, or a reference like E1042.
            </p>
          )}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  )
}
