// The tide chart: lanes over time, with now on it. Outlined is to come, warm is live, grey is over, hatched is overdue;
// a diamond waits for an answer.

import { type ScaleTime, scaleTime } from 'd3-scale'
import { useEffect, useRef, useState } from 'react'
import { useNavigate } from 'react-router'
import { Empty } from '../../parts/shown'
import { clock, count, exact } from '../../words/time'
import { type Bar, type By, gathered, type Lane, labelOf, labelRoom, place } from './lanes'

const ROW = 26
const GATHERED_HEIGHT = 52
const LABEL = 150
const HEAD = 24

function useWidth() {
  const ref = useRef<HTMLDivElement>(null)
  const [width, setWidth] = useState(860)
  useEffect(() => {
    if (!ref.current) return
    const observer = new ResizeObserver(([entry]) => entry && setWidth(Math.max(320, entry.contentRect.width)))
    observer.observe(ref.current)
    return () => observer.disconnect()
  }, [])
  return [ref, width] as const
}

function look(bar: Bar): string {
  if (bar.overdue) return 'hatched stroke-alarm'
  switch (bar.state) {
    case 'live':
    case 'opening':
    case 'closing':
      return 'fill-warm-fill stroke-warm'
    case 'waiting':
    case 'scheduled':
    case 'ready':
      return 'fill-sheet stroke-sea'
    default:
      return 'fill-line stroke-edge'
  }
}

const dark = (bar: Bar) => ['live', 'opening', 'closing'].includes(bar.state) && !bar.overdue

function Mark({
  bar,
  by,
  x,
  width,
  y,
  height,
}: {
  bar: Bar
  by: By
  x: number
  width: number
  y: number
  height: number
}) {
  const navigate = useNavigate()
  const says = `${bar.id}: ${labelOf(bar, by)}; ${bar.who} at ${bar.scope}, ${bar.overdue ? 'overdue' : bar.state}, ${exact(new Date(bar.from))} to ${exact(new Date(bar.to))}`
  const go = (event: React.MouseEvent) => {
    event.preventDefault()
    void navigate(`/elevation/${bar.id}`)
  }
  const waiting = bar.state === 'waiting'
  const label = labelOf(bar, by)
  const inside = width >= labelRoom(bar, by)
  return (
    <a href={`/elevation/${bar.id}`} onClick={go} aria-label={says} className="cursor-pointer">
      <title>{`${says}\n${bar.reason ?? ''}`}</title>
      <rect
        x={x}
        y={y}
        width={Math.max(width, 3)}
        height={height}
        rx={3}
        className={look(bar)}
        strokeWidth={1.2}
        strokeDasharray={waiting ? '4 3' : undefined}
      />
      {waiting && (
        <path
          d={`M${x + 10} ${y + 4} l6 ${height / 2 - 4} l-6 ${height / 2 - 4} l-6 ${4 - height / 2} z`}
          className={bar.for_me ? 'fill-warm-fill stroke-warm' : 'fill-sea stroke-sea'}
        />
      )}
      {bar.leftovers > 0 && <circle cx={x + Math.max(width, 3)} cy={y} r={4} className="fill-alarm" />}
      <text
        x={inside ? x + (waiting ? 22 : 7) : x + Math.max(width, 3) + 6}
        y={y + height / 2 + 4}
        className={`pointer-events-none text-[11.5px] ${inside ? (dark(bar) ? 'fill-[#231400]' : 'fill-ink') : 'fill-ink-2'}`}
      >
        {label}
      </text>
    </a>
  )
}

/** All bars of a gathered lane: one shape for each look, however many there are. Opened, each can be reached. */
function Dense({ lane, x, width, row }: { lane: Lane; x: (at: Date) => number; width: number; row: number }) {
  const shapes = new Map<string, string[]>()
  for (const { bar, row: n } of lane.bars) {
    const left = Math.max(x(new Date(bar.from)), -2)
    const wide = Math.max(Math.min(x(new Date(bar.to)), width + 4) - left, 1.5)
    const tall = Math.max(row - 0.6, 0.4)
    const shape = `M${left.toFixed(1)} ${(4 + n * row).toFixed(2)}h${wide.toFixed(1)}v${tall.toFixed(2)}h${(-wide).toFixed(1)}z`
    const alike = shapes.get(look(bar))
    if (alike) alike.push(shape)
    else shapes.set(look(bar), [shape])
  }
  return [...shapes.entries()].map(([style, all]) => (
    <path key={style} d={all.join('')} className={style} strokeWidth={0.3} />
  ))
}

function LaneLabel({
  lane,
  gathered,
  open,
  onOpen,
}: {
  lane: Lane
  gathered: boolean
  open: boolean
  onOpen: () => void
}) {
  const parts = lane.name.split('/')
  const short = parts.at(-1) || lane.name
  return (
    <div className="min-w-0 pt-1 pr-2" title={lane.name}>
      <div className="truncate font-medium">{short}</div>
      {gathered ? (
        <button type="button" onClick={onOpen} aria-expanded={open} className="text-[0.82rem] text-sea underline">
          {open ? 'gather' : `${count(lane.bars.length, 'grant')}: open`}
        </button>
      ) : (
        <div className="truncate text-[0.79rem] text-ink-3">
          {parts.slice(0, -1).join('/') || count(lane.bars.length, 'grant')}
        </div>
      )}
    </div>
  )
}

type Scale = ScaleTime<number, number>

/** How the chart is laid out: what is where along the line of time. */
interface Layout {
  x: Scale
  width: number
  ticks: Date[]
  at: number
  by: By
}

/** The hours above the lanes, with the present one. */
function Hours({
  layout: { x, width, ticks, at },
  now,
  format,
}: {
  layout: Layout
  now: Date
  format: (tick: Date) => string
}) {
  return (
    <svg width="100%" height={HEAD} aria-hidden="true" className="overflow-visible">
      {ticks
        .filter((tick) => Math.abs(x(tick) - at) > 46)
        .map((tick) => (
          <text
            key={tick.getTime()}
            x={x(tick)}
            y={15}
            textAnchor="middle"
            className="fill-ink-3 text-[11.5px] tabular-nums"
          >
            {format(tick)}
          </text>
        ))}
      {at >= 0 && at <= width && (
        <g>
          <rect x={at - 24} y={2} width={48} height={17} rx={3} className="fill-ink" />
          <text x={at} y={15} textAnchor="middle" className="fill-paper text-[11.5px] font-semibold tabular-nums">
            {clock(now, now)}
          </text>
        </g>
      )}
    </svg>
  )
}

/** The bars of one lane, each by itself. */
function Marks({ lane, layout: { x, width, by } }: { lane: Lane; layout: Layout }) {
  return lane.bars.map(({ bar, row }) => {
    const left = Math.max(x(new Date(bar.from)), -2)
    return (
      <Mark
        key={bar.id}
        bar={bar}
        by={by}
        x={left}
        width={Math.min(x(new Date(bar.to)), width + 4) - left}
        y={6 + row * ROW}
        height={ROW - 5}
      />
    )
  })
}

function LaneChart({ lane, thin, layout }: { lane: Lane; thin: boolean; layout: Layout }) {
  const { x, width, ticks, at } = layout
  const tall = thin ? GATHERED_HEIGHT : lane.rows * ROW + 12
  return (
    <svg
      width="100%"
      height={tall}
      className="overflow-hidden border-t border-line"
      role="group"
      aria-label={`Elevations of ${lane.name}`}
    >
      {ticks.map((tick) => (
        <line
          key={tick.getTime()}
          x1={x(tick)}
          x2={x(tick)}
          y1={0}
          y2={tall}
          className="stroke-line"
          strokeWidth={0.7}
        />
      ))}
      {thin ? (
        <Dense lane={lane} x={x} width={width} row={(tall - 8) / lane.rows} />
      ) : (
        <Marks lane={lane} layout={layout} />
      )}
      <line x1={at} x2={at} y1={0} y2={tall} className="pointer-events-none stroke-ink" strokeWidth={1.4} />
    </svg>
  )
}

const BARS: [string, string][] = [
  ['live', 'fill-warm-fill stroke-warm'],
  ['to come', 'fill-sheet stroke-sea'],
  ['over', 'fill-line stroke-edge'],
  ['overdue', 'hatched stroke-alarm'],
]

function Legend() {
  return (
    <ul className="mt-2 flex flex-wrap gap-x-4 gap-y-1 text-[0.82rem] text-ink-2" aria-label="What the marks mean">
      {BARS.map(([says, style]) => (
        <li key={says} className="flex items-center gap-1.5">
          <svg width="18" height="10" aria-hidden="true">
            <rect x="0.5" y="0.5" width="17" height="9" rx="2" className={style} />
          </svg>
          {says}
        </li>
      ))}
      <li className="flex items-center gap-1.5">
        <svg width="12" height="12" aria-hidden="true">
          <path d="M6 0l6 6-6 6-6-6z" className="fill-sea" />
        </svg>
        waits for an answer
      </li>
      <li className="flex items-center gap-1.5">
        <svg width="10" height="10" aria-hidden="true">
          <circle cx="5" cy="5" r="4" className="fill-alarm" />
        </svg>
        leftovers found
      </li>
    </ul>
  )
}

/** What overdue bars are filled with. */
function Hatching() {
  return (
    <svg width="0" height="0" className="absolute" aria-hidden="true">
      <defs>
        <pattern id="hatch" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="7" height="7" className="fill-alarm-soft" />
          <rect width="3" height="7" className="fill-alarm" />
        </pattern>
      </defs>
    </svg>
  )
}

/** Elevations along the line of time, in lanes by system or person. */
export function TideChart({
  bars,
  from,
  to,
  now,
  lanes: by,
}: {
  bars: Bar[]
  from: Date
  to: Date
  now: Date
  lanes: By
}) {
  const [ref, full] = useWidth()
  const [open, setOpen] = useState<ReadonlySet<string>>(new Set())
  const span = to.getTime() - from.getTime()
  const label = full < 560 ? 88 : LABEL
  const width = full - label - 24
  const lanes = place(bars, by, span / width)
  const dense = gathered(lanes)
  const x = scaleTime().domain([from, to]).range([0, width])
  const layout = { x, width, ticks: x.ticks(Math.max(3, Math.floor(width / 90))), at: x(now), by }
  if (bars.length === 0) {
    return (
      <div ref={ref}>
        <Empty>
          Nothing was, is or will be in force in this span, as far as you may see. What you may ask for is under Ask.
        </Empty>
      </div>
    )
  }
  const toggle = (name: string) =>
    setOpen((old) => new Set(old.has(name) ? [...old].filter((one) => one !== name) : [...old, name]))
  return (
    <div ref={ref} className="px-3 pb-3">
      <Hatching />
      <div className="grid" style={{ gridTemplateColumns: `${label}px minmax(0, 1fr)` }}>
        <div />
        <Hours layout={layout} now={now} format={x.tickFormat(0, span > 3 * 86400_000 ? '%a %d' : '%H:%M')} />
        {lanes.map((lane) => (
          <div key={lane.name} className="contents" role="group" aria-label={lane.name}>
            <LaneLabel
              lane={lane}
              gathered={dense.has(lane.name)}
              open={open.has(lane.name)}
              onOpen={() => toggle(lane.name)}
            />
            <LaneChart lane={lane} thin={dense.has(lane.name) && !open.has(lane.name)} layout={layout} />
          </div>
        ))}
      </div>
      <Legend />
    </div>
  )
}
