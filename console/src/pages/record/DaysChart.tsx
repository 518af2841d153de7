// Elevations by day, with total, most and average; and the standing rights that are left.

import { scaleBand, scaleLinear } from 'd3-scale'
import { area, curveStepAfter } from 'd3-shape'
import { type Api, get } from '../../api/call'
import { Section } from '../../parts/sections'
import { Shown } from '../../parts/shown'
import { useData } from '../../parts/data'
import { count, dayOf, figure } from '../../words/time'

type Day = Api['DayView']

const WIDTH = 1000
const HEIGHT = 92

function Elevations({ days }: { days: Day[] }) {
  const x = scaleBand()
    .domain(days.map((day) => day.day))
    .range([0, WIDTH])
    .paddingInner(0.18)
  const most = Math.max(1, ...days.map((day) => day.opened))
  const y = scaleLinear()
    .domain([0, most])
    .range([0, HEIGHT - 18])
  const labelled = days.filter((_, n) => n % Math.ceil(days.length / 7) === 0)
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="h-24 w-full"
      preserveAspectRatio="none"
      role="img"
      aria-label={`Elevations by day: ${days.reduce((sum, day) => sum + day.opened, 0)} in ${days.length} days, ${most} at most on one day`}
    >
      {days.map((day) => (
        <rect
          key={day.day}
          x={x(day.day)}
          y={HEIGHT - 16 - y(day.opened)}
          width={x.bandwidth()}
          height={y(day.opened)}
          className="fill-warm-fill"
        >
          <title>{`${dayOf(day.day)}: ${count(day.opened, 'elevation')}, ${day.most_at_once} at once at most, ${day.asked} asked`}</title>
        </rect>
      ))}
      <line x1={0} x2={WIDTH} y1={HEIGHT - 16} y2={HEIGHT - 16} className="stroke-line" />
      {labelled.map((day) => (
        <line key={day.day} x1={x(day.day)} x2={x(day.day)} y1={HEIGHT - 16} y2={HEIGHT - 11} className="stroke-edge" />
      ))}
    </svg>
  )
}

function StandingLine({ days }: { days: Day[] }) {
  const known = days.filter((day) => day.standing != null)
  if (known.length < 2) return null
  const most = Math.max(1, ...known.map((day) => day.standing ?? 0))
  const x = scaleLinear()
    .domain([0, days.length - 1])
    .range([0, WIDTH])
  const y = scaleLinear()
    .domain([0, most * 1.1])
    .range([HEIGHT - 16, 4])
  const shape = area<Day>()
    .defined((day) => day.standing != null)
    .x((day) => x(days.indexOf(day)))
    .y0(HEIGHT - 16)
    .y1((day) => y(day.standing ?? 0))
    .curve(curveStepAfter)
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="h-24 w-full"
      preserveAspectRatio="none"
      role="img"
      aria-label={`Standing rights: ${known[0]?.standing} on ${dayOf(known[0]?.day ?? '')}, ${known.at(-1)?.standing} now`}
    >
      <path d={shape(days) ?? ''} className="fill-sea opacity-35" />
      <line x1={0} x2={WIDTH} y1={HEIGHT - 16} y2={HEIGHT - 16} className="stroke-line" />
    </svg>
  )
}

/** How much happened on each day; a day leads to its entries. */
export function DaysChart() {
  const days = useData(['days'], ['elevations', 'standing'], () => get('/api/v1/days'))
  return (
    <Shown of="elevations by day" query={days} lines={4}>
      {(days) => {
        const total = days.reduce((sum, day) => sum + day.opened, 0)
        const most = days.reduce((best, day) => (day.opened > (best?.opened ?? -1) ? day : best), days[0])
        const standing = days.filter((day) => day.standing != null)
        const ends = (
          <p className="figures -mt-1 flex justify-between text-[0.82rem] text-ink-3">
            <span>{days[0] && dayOf(days[0].day)}</span>
            <span>{days.at(-1) && dayOf(days.at(-1)?.day ?? '')}</span>
          </p>
        )
        return (
          <div className="grid grid-cols-[minmax(0,1fr)] gap-4 md:grid-cols-2">
            <Section
              title={`${count(total, 'elevation')} in ${days.length} days: ${(total / days.length).toFixed(1)} a day${most && most.opened > 0 ? `, ${figure(most.opened)} on ${dayOf(most.day)}` : ''}`}
            >
              <div className="px-3.5 py-2">
                <Elevations days={days} />
                {ends}
              </div>
            </Section>
            {standing.length > 1 && (
              <Section
                title={`Standing rights: ${figure(standing.at(-1)?.standing ?? 0)} now, ${figure(standing[0]?.standing ?? 0)} on ${dayOf(standing[0]?.day ?? '')}`}
              >
                <div className="px-3.5 py-2">
                  <StandingLine days={days} />
                  {ends}
                </div>
              </Section>
            )}
          </div>
        )
      }}
    </Shown>
  )
}
