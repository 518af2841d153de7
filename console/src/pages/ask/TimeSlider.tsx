// For how long: a slider that shows the hour it would end at.

import { Slider } from 'radix-ui'
import { clock, span } from '../../words/time'

/** Steps that people ask for, in seconds, up to the longest. */
function steps(longest: number): number[] {
  const known = [
    60, 300, 600, 900, 1200, 1800, 2700, 3600, 5400, 7200, 10800, 14400, 21600, 28800, 43200, 64800, 86400, 172800,
    259200, 604800,
  ]
  const fit = known.filter((one) => one < longest)
  return [...fit, longest]
}

/** For how long, from a minute to the longest that terms allow. */
export function TimeSlider({
  seconds,
  longest,
  from,
  now,
  onChange,
  open,
}: {
  seconds: number
  longest: number
  from: Date
  now: Date
  onChange: (seconds: number) => void
  open: boolean
}) {
  const all = steps(longest)
  const nearest = all.reduce(
    (best, one, n) => (Math.abs(one - seconds) < Math.abs((all[best] ?? 0) - seconds) ? n : best),
    0,
  )
  const end = new Date(from.getTime() + seconds * 1000)
  return (
    <div className="grid gap-1.5">
      <div className="flex items-baseline justify-between gap-3">
        <span className="label" id="how-long">
          For how long
        </span>
        <span className="figures">
          <strong>{span(seconds)}</strong>
          <span className="text-ink-3">
            {open ? ', ending' : ', until'} {open && 'at the earliest '}
            {clock(end, now)}
          </span>
        </span>
      </div>
      <Slider.Root
        value={[nearest]}
        min={0}
        max={all.length - 1}
        step={1}
        onValueChange={([n]) => onChange(all[n ?? 0] ?? longest)}
        className="relative flex h-7 touch-none items-center select-none"
      >
        <Slider.Track className="relative h-1.5 flex-1 rounded bg-sunk ring-1 ring-line">
          <Slider.Range className="absolute h-full rounded bg-warm-fill" />
        </Slider.Track>
        <Slider.Thumb
          aria-labelledby="how-long"
          aria-valuetext={`${span(seconds)}, until ${clock(end, now)}`}
          className="block h-5 w-5 rounded-full border-2 border-warm bg-sheet"
        />
      </Slider.Root>
      <div className="figures flex justify-between text-[0.82rem] text-ink-3">
        <span>{span(all[0] ?? 0)}</span>
        <span>{span(longest)} at most</span>
      </div>
    </div>
  )
}
