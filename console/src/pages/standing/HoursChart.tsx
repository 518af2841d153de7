// How uses would have fared, by hour of the day: stacked, the worst on top, each told apart without colour.

import { scaleBand, scaleLinear } from 'd3-scale'
import type { Api } from '../../api/call'
import { figure } from '../../words/time'

type Hour = Api['RehearsedHour']

const WIDTH = 960
const HEIGHT = 132
const FOOT = 18

const FATES = [
  { key: 'free', says: 'at once', fill: 'fill-line' },
  { key: 'soon', says: 'after a wait under an hour', fill: 'fill-sea' },
  { key: 'late', says: 'after an hour or more', fill: 'fill-warm-fill' },
  { key: 'refused', says: 'refused', fill: 'fill-alarm' },
] as const

const total = (hour: Hour) => hour.free + hour.soon + hour.late + hour.refused

/** What each colour stands for, with how many there are of it in all. */
function Legend({ sums, zone }: { sums: { key: string; says: string; fill: string; sum: number }[]; zone: string }) {
  return (
    <figcaption className="flex flex-wrap items-center gap-x-4 gap-y-1 text-[0.86rem]">
      <span className="label">Uses by hour of the day ({zone})</span>
      {sums.map((fate) => (
        <span key={fate.key} className="inline-flex items-center gap-1.5">
          <svg width="11" height="11" aria-hidden="true">
            <rect width="11" height="11" className={fate.fill} />
          </svg>
          {figure(fate.sum)} {fate.says}
        </span>
      ))}
    </figcaption>
  )
}

/** The uses of one hour, the refused ones on top with their number. */
function Column({ hour, left, width, tall }: { hour: Hour; left: number; width: number; tall: (n: number) => number }) {
  const middle = left + width / 2
  const clock = String(hour.hour).padStart(2, '0')
  const floor = HEIGHT - FOOT
  const parts = FATES.map((fate, n) => ({
    ...fate,
    height: tall(hour[fate.key]),
    // On what is drawn of the fates before it.
    top: floor - FATES.slice(0, n + 1).reduce((sum, below) => sum + tall(hour[below.key]), 0),
  }))
  return (
    <g>
      <title>{`${clock}:00: ${FATES.map((fate) => `${hour[fate.key]} ${fate.says}`).join(', ')}`}</title>
      {parts
        .filter((part) => part.height > 0)
        .map((part) => (
          <rect key={part.key} x={left} y={part.top} width={width} height={part.height} className={part.fill} />
        ))}
      {hour.refused > 0 && (
        <text
          x={middle}
          y={floor - tall(total(hour)) - 3}
          textAnchor="middle"
          className="figures fill-alarm text-[11px] font-semibold"
        >
          {figure(hour.refused)}
        </text>
      )}
      {hour.hour % 3 === 0 && (
        <text x={middle} y={HEIGHT - 4} textAnchor="middle" className="figures fill-ink-3 text-[12px]">
          {clock}
        </text>
      )}
    </g>
  )
}

/** How the uses of each hour of the day would have fared. */
export function HoursChart({ hours, zone }: { hours: Hour[]; zone: string }) {
  const x = scaleBand<number>()
    .domain(hours.map((hour) => hour.hour))
    .range([0, WIDTH])
    .paddingInner(0.16)
  const most = Math.max(1, ...hours.map(total))
  const tall = scaleLinear()
    .domain([0, most])
    .range([0, HEIGHT - FOOT - 14])
  const sums = FATES.map((fate) => ({ ...fate, sum: hours.reduce((sum, hour) => sum + hour[fate.key], 0) }))
  const words = sums.filter((fate) => fate.sum > 0).map((fate) => `${figure(fate.sum)} ${fate.says}`)
  return (
    <figure className="grid gap-1">
      <Legend sums={sums} zone={zone} />
      <div
        role="group"
        tabIndex={0}
        aria-label="The chart; scrolls where it is wider than the page"
        className="overflow-x-auto"
      >
        <svg
          viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
          className="w-full min-w-[36rem]"
          role="img"
          aria-label={`Uses by hour of the day: ${words.join(', ')}`}
        >
          {hours.map((hour) => (
            <Column key={hour.hour} hour={hour} left={x(hour.hour) ?? 0} width={x.bandwidth()} tall={tall} />
          ))}
          <line x1={0} x2={WIDTH} y1={HEIGHT - FOOT} y2={HEIGHT - FOOT} className="stroke-edge" />
        </svg>
      </div>
    </figure>
  )
}
