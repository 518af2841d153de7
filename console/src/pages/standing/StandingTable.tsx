// The rights themselves: thousands of rows, of which only those in view are drawn.

import { useVirtualizer } from '@tanstack/react-virtual'
import { type KeyboardEvent, useRef, useState } from 'react'
import { Empty } from '../../parts/shown'
import { Instant, Weight, Who } from '../../parts/told'
import type { Standing } from './StandingPage'

const ROW = 46
const COLUMNS = 'grid-cols-[2.2rem_minmax(8rem,1.1fr)_minmax(8rem,1.1fr)_minmax(9rem,1.5fr)_6.4rem_7.2rem]'
const HEADS = ['', 'Account', 'Whose', 'Right', 'Harm', 'Last used']

/** Why a right can't be picked; nothing where it can. */
function fixed(one: Standing): string | undefined {
  if (one.sealed) return 'An emergency holder that the system has sealed: nothing is taken from it'
  return one.direct ? undefined : 'It comes by a group or other role; convert that instead'
}

interface Choosing {
  chosen: ReadonlySet<string>
  setChosen?: (chosen: ReadonlySet<string>) => void
}

function Heads({ rows, chosen, setChosen }: Choosing & { rows: Standing[] }) {
  const convertible = rows.filter((one) => !fixed(one) && one.who)
  const all = convertible.length > 0 && convertible.every((one) => chosen.has(one.id))
  return (
    <div role="rowgroup">
      <div
        role="row"
        aria-rowindex={1}
        className={`grid ${COLUMNS} items-center gap-2 overflow-y-auto border-b border-line px-3 py-1.5 [scrollbar-gutter:stable]`}
      >
        {HEADS.map((head, n) => (
          <span role="columnheader" key={head || 'pick'} className="label">
            {n === 0 && setChosen ? (
              <input
                type="checkbox"
                aria-label="Pick all that are shown and can be converted"
                checked={all}
                onChange={(event) => setChosen(new Set(event.target.checked ? convertible.map((one) => one.id) : []))}
              />
            ) : (
              head || <span className="sr-only">Picked</span>
            )}
          </span>
        ))}
      </div>
    </div>
  )
}

function Whose({ one }: { one: Standing }) {
  return (
    <>
      {one.who ? <Who name={one.who} /> : <span className="text-ink-3">{one.sealed ? '' : 'nobody named'}</span>}
      {one.sealed && <span className="text-ink-2">{one.who ? ', ' : ''}sealed</span>}
    </>
  )
}

function LastUsed({ one }: { one: Standing }) {
  if (one.last_used) return <Instant at={one.last_used} how="relative" />
  return one.use_is_told ? 'never seen' : 'not known'
}

/** The cells of one right, after the one that picks it. */
function Cells({ one }: { one: Standing }) {
  return (
    <>
      <span role="cell" className="mono truncate" title={one.account}>
        {one.account}
      </span>
      <span role="cell" className="truncate">
        <Whose one={one} />
      </span>
      <span role="cell" className="min-w-0" title={`${one.role}@${one.scope}`}>
        <span className="mono block truncate font-medium">{one.role}</span>
        <span className="block truncate text-[0.86rem] text-ink-3">
          {one.scope}
          {one.chain.length > 0 && ` · by ${one.chain.join(' → ')}`}
        </span>
      </span>
      <span role="cell">
        <Weight weight={one.weight} />
        {one.against && (
          <span className="block text-[0.86rem] text-alarm" title={`By ${one.against} it is never held all the time`}>
            against terms
          </span>
        )}
      </span>
      <span role="cell" className="text-ink-2">
        <LastUsed one={one} />
      </span>
    </>
  )
}

function Pick({ one, picked, onPick }: { one: Standing; picked: boolean; onPick: (on: boolean) => void }) {
  return (
    <input
      type="checkbox"
      aria-label={`Pick ${one.id}`}
      checked={picked}
      disabled={fixed(one) !== undefined}
      title={fixed(one)}
      onChange={(event) => onPick(event.target.checked)}
    />
  )
}

const STEPS: Record<string, number> = { j: 1, ArrowDown: 1, k: -1, ArrowUp: -1 }

/** The rows that scroll; j and k move, x picks. */
function Rows({ rows, chosen, setChosen }: Choosing & { rows: Standing[] }) {
  const scroll = useRef<HTMLDivElement>(null)
  const [at, setAt] = useState(0)
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW,
    overscan: 10,
  })
  const choose = (one: Standing, on: boolean) =>
    setChosen?.(new Set(on ? [...chosen, one.id] : [...chosen].filter((id) => id !== one.id)))
  const press = (event: KeyboardEvent) => {
    const [step, row] = [STEPS[event.key], rows[at]]
    if (step) {
      const next = Math.max(0, Math.min(rows.length - 1, at + step))
      setAt(next)
      virtual.scrollToIndex(next)
      event.preventDefault()
    } else if ((event.key === 'x' || event.key === 'Enter') && row && !fixed(row)) choose(row, !chosen.has(row.id))
  }
  const look = (one: Standing, index: number) =>
    `absolute inset-x-0 grid ${COLUMNS} items-center gap-2 border-b border-line px-3 ${chosen.has(one.id) ? 'bg-sea-soft' : ''} ${index === at ? 'shadow-[inset_3px_0_0_var(--sea)]' : ''}`
  return (
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions -- its rows move by keyboard, as a grid's do
    <div
      ref={scroll}
      role="rowgroup"
      tabIndex={0}
      onKeyDown={press}
      aria-label="Rows; j and k move, x picks"
      className="max-h-[58vh] overflow-y-auto [scrollbar-gutter:stable]"
    >
      <div role="presentation" className="relative" style={{ height: virtual.getTotalSize() }}>
        {virtual.getVirtualItems().map(({ index, start }) => {
          const one = rows[index]
          if (!one) return null
          const place = { height: ROW, transform: `translateY(${start}px)` }
          return (
            <div key={one.id} role="row" aria-rowindex={index + 2} className={look(one, index)} style={place}>
              <span role="cell">
                {setChosen && <Pick one={one} picked={chosen.has(one.id)} onPick={(on) => choose(one, on)} />}
              </span>
              <Cells one={one} />
            </div>
          )
        })}
      </div>
    </div>
  )
}

/** Standing rights, to be picked where `setChosen` is there. */
export function StandingTable({ rows, ...choosing }: Choosing & { rows: Standing[] }) {
  if (rows.length === 0) return <Empty>No standing right fits. Take a facet off, or search for less.</Empty>
  return (
    <div role="table" aria-label="Standing rights" aria-rowcount={rows.length + 1} className="overflow-x-auto">
      <div className="min-w-[680px]">
        <Heads rows={rows} {...choosing} />
        <Rows rows={rows} {...choosing} />
      </div>
    </div>
  )
}
