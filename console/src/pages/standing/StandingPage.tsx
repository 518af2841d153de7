// Standing: every right held all the time, with facets that count; chosen ones go to the tray. An address with
// `?pick=h12&pick=h13&rehearse=1` opens it with those picked, for handing a choice on.

import { useMemo, useState } from 'react'
import { useSearchParams } from 'react-router'
import { type Api, get } from '../../api/call'
import { Section, Sentence } from '../../parts/sections'
import { Shown } from '../../parts/shown'
import { useData } from '../../parts/data'
import { isAdministrator, useMe } from '../../parts/me'
import { byName, count, figure } from '../../words/time'
import { Conversions } from './Conversions'
import { Drift } from './Drift'
import { FACETS, Facets, fits, type Picked } from './facets'
import { StandingTable } from './StandingTable'
import { Tray } from './Tray'

/** A right that is held all the time. */
export type Standing = Api['StandingView']

/** A right, with what administrators and the system itself say of where it is. */
export type Row = Standing & { labels: string[]; says: string[] }

const said = (names: Record<string, string>) => Object.entries(names).map(([name, value]) => `${name}=${value}`)

const HARM = { critical: 0, privileged: 1, ordinary: 2 }
const worstFirst = (a: Standing, b: Standing) =>
  HARM[a.weight] - HARM[b.weight] || byName(a.account, b.account) || byName(a.scope, b.scope)

function sentence(all: Standing[]): string {
  if (all.length === 0) return 'No standing rights are known.'
  const critical = all.filter((one) => one.weight === 'critical').length
  const unused = all.filter((one) => !one.last_used && one.use_is_told).length
  const unknown = all.filter((one) => !one.last_used && !one.use_is_told).length
  const untold = unknown > 0 ? `; of ${figure(unknown)} the use is not known` : ''
  return `${count(all.length, 'standing right')}: ${figure(critical)} critical, ${figure(unused)} never seen used${untold}.`
}

/** What the address narrows the list to, and the means to change it. */
function useNarrowed() {
  const [search, setSearch] = useSearchParams()
  const picked: Picked = useMemo(
    () => Object.fromEntries(FACETS.map((facet) => [facet.key, search.getAll(facet.key)])),
    [search],
  )
  return {
    search,
    picked,
    q: search.get('q') ?? '',
    onPick: (key: string, value: string, on: boolean) =>
      setSearch((old) => {
        const values = old.getAll(key).filter((one) => one !== value)
        old.delete(key)
        for (const one of on ? [...values, value] : values) old.append(key, one)
        return old
      }),
    write: (q: string) =>
      setSearch(
        (old) => {
          if (q) old.set('q', q)
          else old.delete('q')
          return old
        },
        { replace: true },
      ),
  }
}

/** Every standing right that the reader may see, worst first, with what is said of its system. */
function useRows(): [ReturnType<typeof useStanding>, Row[]] {
  const standing = useStanding()
  const targets = useData(['targets'], ['estate', 'standing', 'elevations'], () => get('/api/v1/targets'))
  const all = useMemo(() => {
    const groups = new Map(
      (targets.data ?? []).map((one) => [one.path, { labels: said(one.labels), says: said(one.attributes) }]),
    )
    return [...(standing.data ?? [])]
      .sort(worstFirst)
      .map((one) => ({ labels: [], says: [], ...one, ...groups.get(one.target) }))
  }, [standing.data, targets.data])
  return [standing, all]
}

const useStanding = () => useData(['standing'], ['standing', 'people', 'estate'], () => get('/api/v1/standing'))

/** The facets beside the list; on a narrow screen behind a line of their own. */
function Narrowing({ all, narrowed }: { all: Row[]; narrowed: ReturnType<typeof useNarrowed> }) {
  const [wide] = useState(() => matchMedia('(min-width: 64rem)').matches)
  const { search, picked, q, onPick } = narrowed
  return (
    <details open={wide || FACETS.some((facet) => search.has(facet.key)) || undefined}>
      <summary className="label mb-2 cursor-pointer lg:hidden">
        Narrow by harm, use, holder, system, label, role
      </summary>
      <Facets {...{ all, picked, q, onPick }} />
    </details>
  )
}

/** Every right that is held all the time, and what becomes of those that are picked. */
export default function StandingPage() {
  const me = useMe()
  const narrowed = useNarrowed()
  const { search, picked, q } = narrowed
  const [chosen, setChosen] = useState<ReadonlySet<string>>(() => new Set(search.getAll('pick')))
  const [standing, all] = useRows()
  const shown = useMemo(() => all.filter((one) => fits(one, picked, q)), [all, picked, q])
  const administers = me.data !== undefined && isAdministrator(me.data)
  return (
    <>
      <Sentence>{standing.data ? sentence(all) : 'Standing rights'}</Sentence>
      <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-[220px_minmax(0,1fr)]">
        <Narrowing all={all} narrowed={narrowed} />
        <div className="grid min-w-0 grid-cols-[minmax(0,1fr)] gap-4">
          <Drift may={administers} />
          <Section
            title={`${count(shown.length, 'right')}${shown.length < all.length ? ` of ${figure(all.length)}` : ''}`}
            aside={
              <input
                type="search"
                value={q}
                onChange={(event) => narrowed.write(event.target.value)}
                aria-label="Search standing rights"
                placeholder="Account, person, role, path"
                className="h-8 w-64 rounded border border-edge bg-sheet px-2"
              />
            }
          >
            <Shown of="standing rights" query={standing} lines={10}>
              {() => <StandingTable rows={shown} chosen={chosen} setChosen={administers ? setChosen : undefined} />}
            </Shown>
          </Section>
          {administers && chosen.size > 0 && (
            <Tray
              rehearsed={search.has('rehearse')}
              chosen={all.filter((one) => chosen.has(one.id))}
              clear={() => setChosen(new Set())}
            />
          )}
          <Conversions may={administers} />
        </div>
      </div>
    </>
  )
}
