// Estate: the tree with weights and trouble on it; for a scope: who can, and the terms with where each setting comes from.

import { useMemo } from 'react'
import { useSearchParams } from 'react-router'
import { type Api, get } from '../../api/call'
import { Sentence } from '../../parts/sections'
import { Shown } from '../../parts/shown'
import { useData } from '../../parts/data'
import { count, figure } from '../../words/time'
import { ScopeSheet } from './ScopeSheet'

type Scope = Api['ScopeView']

function Node({
  scope,
  depth,
  at,
  choose,
}: {
  scope: Scope
  depth: number
  at: string
  choose: (path: string) => void
}) {
  const name = scope.path === '/' ? 'Everything' : scope.path.split('/').at(-1)
  return (
    <li role="treeitem" aria-level={depth + 1} aria-selected={scope.path === at}>
      <button
        type="button"
        onClick={() => choose(scope.path)}
        className={`flex w-full items-baseline gap-2 rounded py-1 pr-2 text-left hover:bg-sunk ${scope.path === at ? 'bg-sea-soft font-semibold' : ''}`}
        style={{ paddingLeft: `${depth * 1.1 + 0.5}rem` }}
        tabIndex={scope.path === at ? 0 : -1}
      >
        <span className={`min-w-0 flex-1 truncate ${scope.kind === 'folder' ? '' : 'mono'}`} title={scope.path}>
          {name}
          {scope.kind === 'target' && (
            <span className="ml-1.5 font-sans text-[0.79rem] font-normal text-ink-3">system</span>
          )}
        </span>
        {scope.trouble && (
          <span className="text-alarm" title={scope.trouble}>
            ! <span className="sr-only">{scope.trouble}</span>
          </span>
        )}
        {scope.rules > 0 && <span className="text-[0.79rem] font-normal text-sea">terms</span>}
        {scope.live > 0 && (
          <span className="figures rounded-full bg-warm-soft px-1.5 text-[0.82rem] font-normal text-warm">
            {figure(scope.live)} live
          </span>
        )}
        <span
          className="figures min-w-8 text-right text-[0.86rem] font-normal text-ink-3"
          title={`${scope.standing} standing rights, ${scope.critical} critical`}
        >
          {scope.standing ? figure(scope.standing) : ''}
        </span>
      </button>
    </li>
  )
}

/** The estate as a tree, and the sheet of the scope that is chosen. */
export default function EstatePage() {
  const [search, setSearch] = useSearchParams()
  const at = search.get('at') ?? '/'
  const estate = useData(['estate'], ['estate', 'standing', 'terms', 'elevations'], () => get('/api/v1/estate'))
  const trouble = useMemo(() => (estate.data ?? []).filter((scope) => scope.trouble).length, [estate.data])
  const choose = (path: string) => setSearch({ at: path })
  const press = (event: React.KeyboardEvent) => {
    const all = estate.data ?? []
    const n = all.findIndex((scope) => scope.path === at)
    const step = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1 }[event.key]
    const next = step ? all[n + step] : undefined
    if (!next) return
    event.preventDefault()
    choose(next.path)
    const tree = event.currentTarget
    requestAnimationFrame(() => tree.querySelector<HTMLElement>('[tabindex="0"]')?.focus())
  }
  const systems = (estate.data ?? []).filter((scope) => scope.kind === 'target').length
  return (
    <>
      <Sentence>
        {estate.data
          ? `${count(systems, 'system')} in ${count(estate.data.length, 'scope')}${trouble ? `; ${trouble} in trouble` : ', none in trouble'}.`
          : 'The estate'}
      </Sentence>
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-[290px_minmax(0,1fr)]">
        <Shown of="the estate" query={estate} lines={10}>
          {(scopes) => (
            <ul
              role="tree"
              aria-label="Estate"
              onKeyDown={press}
              className="max-h-[78vh] overflow-auto rounded-md border border-line bg-sheet p-1.5"
            >
              {scopes.map((scope) => (
                <Node
                  key={scope.path}
                  scope={scope}
                  depth={scope.path === '/' ? 0 : scope.path.split('/').length - 1}
                  at={at}
                  choose={choose}
                />
              ))}
            </ul>
          )}
        </Shown>
        {estate.data && <ScopeSheet key={at} path={at} scope={estate.data.find((scope) => scope.path === at)} />}
      </div>
    </>
  )
}
