// The rights themselves: thousands of rows, of which only those in view are drawn.

import { useVirtualizer } from '@tanstack/react-virtual'
import { type KeyboardEvent, useRef, useState } from 'react'
import { Empty, Instant, Weight, Who } from '../../parts/basics'
import type { Standing } from './StandingPage'

const ROW = 46
const COLUMNS = 'grid-cols-[2.2rem_minmax(8rem,1.1fr)_minmax(8rem,1.1fr)_minmax(9rem,1.5fr)_6.4rem_7.2rem]'
const HEADS = ['', 'Account', 'Whose', 'Right', 'Harm', 'Last used']

/** Why a right can't be picked; nothing where it can. */
function fixed(one: Standing): string | undefined {
  if (one.sealed) return 'An emergency holder that the system has sealed: nothing is taken from it'
  return one.direct ? undefined : 'It comes by a group or other role; convert that instead'
}

export function StandingTable({
  rows,
  chosen,
  setChosen,
}: {
  rows: Standing[]
  chosen: ReadonlySet<string>
  setChosen?: (chosen: ReadonlySet<string>) => void
}) {
  const scroll = useRef<HTMLDivElement>(null)
  const [at, setAt] = useState(0)
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroll.current,
    estimateSize: () => ROW,
    overscan: 10,
  })
  if (rows.length === 0) return <Empty>No standing right fits. Take a facet off, or search for less.</Empty>
  const choose = (one: Standing, on: boolean) =>
    setChosen?.(new Set(on ? [...chosen, one.id] : [...chosen].filter((id) => id !== one.id)))
  const convertible = rows.filter((one) => !fixed(one) && one.who)
  const all = convertible.length > 0 && convertible.every((one) => chosen.has(one.id))
  const press = (event: KeyboardEvent) => {
    const step = { j: 1, ArrowDown: 1, k: -1, ArrowUp: -1 }[event.key]
    const row = rows[at]
    if (step) {
      const next = Math.max(0, Math.min(rows.length - 1, at + step))
      setAt(next)
      virtual.scrollToIndex(next)
      event.preventDefault()
    } else if ((event.key === 'x' || event.key === 'Enter') && row && !fixed(row)) choose(row, !chosen.has(row.id))
  }
  return (
    <div role="table" aria-label="Standing rights" aria-rowcount={rows.length + 1} className="overflow-x-auto">
      <div className="min-w-[680px]">
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
                    onChange={(event) =>
                      setChosen(new Set(event.target.checked ? convertible.map((one) => one.id) : []))
                    }
                  />
                ) : (
                  head || <span className="sr-only">Picked</span>
                )}
              </span>
            ))}
          </div>
        </div>
        {/* eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions -- its rows move by keyboard, as a grid's do */}
        <div
          ref={scroll}
          role="rowgroup"
          tabIndex={0}
          onKeyDown={press}
          aria-label="Rows; j and k move, x picks"
          className="max-h-[58vh] overflow-y-auto [scrollbar-gutter:stable]"
        >
          <div role="presentation" className="relative" style={{ height: virtual.getTotalSize() }}>
            {virtual.getVirtualItems().map((item) => {
              const one = rows[item.index]
              if (!one) return null
              return (
                <div
                  key={one.id}
                  role="row"
                  aria-rowindex={item.index + 2}
                  className={`absolute inset-x-0 grid ${COLUMNS} items-center gap-2 border-b border-line px-3 ${chosen.has(one.id) ? 'bg-sea-soft' : ''} ${item.index === at ? 'shadow-[inset_3px_0_0_var(--sea)]' : ''}`}
                  style={{ height: ROW, transform: `translateY(${item.start}px)` }}
                >
                  <span role="cell">
                    {setChosen && (
                      <input
                        type="checkbox"
                        aria-label={`Pick ${one.id}`}
                        checked={chosen.has(one.id)}
                        disabled={fixed(one) !== undefined}
                        title={fixed(one)}
                        onChange={(event) => choose(one, event.target.checked)}
                      />
                    )}
                  </span>
                  <span role="cell" className="mono truncate" title={one.account}>
                    {one.account}
                  </span>
                  <span role="cell" className="truncate">
                    {one.who ? (
                      <Who name={one.who} />
                    ) : (
                      <span className="text-ink-3">{one.sealed ? '' : 'nobody named'}</span>
                    )}
                    {one.sealed && <span className="text-ink-2">{one.who ? ', ' : ''}sealed</span>}
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
                  </span>
                  <span role="cell" className="text-ink-2">
                    {one.last_used ? (
                      <Instant at={one.last_used} how="relative" />
                    ) : one.use_is_told ? (
                      'never seen'
                    ) : (
                      'not known'
                    )}
                  </span>
                </div>
              )
            })}
          </div>
        </div>
      </div>
    </div>
  )
}
