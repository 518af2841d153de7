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

export function HoursChart({ hours, zone }: { hours: Hour[]; zone: string }) {
  const x = scaleBand<number>()
    .domain(hours.map((hour) => hour.hour))
    .range([0, WIDTH])
    .paddingInner(0.16)
  const most = Math.max(1, ...hours.map(total))
  const y = scaleLinear()
    .domain([0, most])
    .range([0, HEIGHT - FOOT - 14])
  const sums = FATES.map((fate) => ({ ...fate, sum: hours.reduce((sum, hour) => sum + hour[fate.key], 0) }))
  const words = sums.filter((fate) => fate.sum > 0).map((fate) => `${figure(fate.sum)} ${fate.says}`)
  return (
    <figure className="grid gap-1">
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
          {hours.map((hour) => {
            let top = HEIGHT - FOOT
            return (
              <g key={hour.hour}>
                <title>{`${String(hour.hour).padStart(2, '0')}:00: ${FATES.map((fate) => `${hour[fate.key]} ${fate.says}`).join(', ')}`}</title>
                {FATES.map((fate) => {
                  const height = y(hour[fate.key])
                  top -= height
                  return (
                    height > 0 && (
                      <rect
                        key={fate.key}
                        x={x(hour.hour)}
                        y={top}
                        width={x.bandwidth()}
                        height={height}
                        className={fate.fill}
                      />
                    )
                  )
                })}
                {hour.refused > 0 && (
                  <text
                    x={(x(hour.hour) ?? 0) + x.bandwidth() / 2}
                    y={top - 3}
                    textAnchor="middle"
                    className="figures fill-alarm text-[11px] font-semibold"
                  >
                    {figure(hour.refused)}
                  </text>
                )}
                {hour.hour % 3 === 0 && (
                  <text
                    x={(x(hour.hour) ?? 0) + x.bandwidth() / 2}
                    y={HEIGHT - 4}
                    textAnchor="middle"
                    className="figures fill-ink-3 text-[12px]"
                  >
                    {String(hour.hour).padStart(2, '0')}
                  </text>
                )}
              </g>
            )
          })}
          <line x1={0} x2={WIDTH} y1={HEIGHT - FOOT} y2={HEIGHT - FOOT} className="stroke-edge" />
        </svg>
      </div>
    </figure>
  )
}
