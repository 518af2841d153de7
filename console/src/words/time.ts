// Times and spans, spoken as people do.

const MINUTE = 60
const HOUR = 60 * MINUTE
const DAY = 24 * HOUR

/** `1 h 30 min`, `45 s`. */
export function span(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds))
  const parts: [number, string][] = [
    [Math.floor(whole / DAY), 'd'],
    [Math.floor((whole % DAY) / HOUR), 'h'],
    [Math.floor((whole % HOUR) / MINUTE), 'min'],
    [whole % MINUTE, 's'],
  ]
  const said = parts.filter(([count]) => count > 0).slice(0, 2)
  return said.length ? said.map(([count, unit]) => `${count} ${unit}`).join(' ') : '0 s'
}

/** One figure of a span, for what is read at a glance: `42 min`, `3 h`, `5 d`. */
export function about(seconds: number): string {
  const whole = Math.max(0, seconds)
  if (whole < 100) return `${Math.ceil(whole)} s`
  if (whole < 2 * HOUR) return `${Math.round(whole / MINUTE)} min`
  if (whole < 2 * DAY) return `${Math.round(whole / HOUR)} h`
  return `${Math.round(whole / DAY)} d`
}

const sameDay = (a: Date, b: Date) => a.toDateString() === b.toDateString()

/** `14:05`, `Friday 18:00`, `3 Oct 09:12`. */
export function clock(at: Date, now: Date): string {
  const time = at.toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
  if (sameDay(at, now)) return time
  const days = Math.abs(at.getTime() - now.getTime()) / 1000 / DAY
  if (days < 6) return `${at.toLocaleDateString('en-GB', { weekday: 'long' })} ${time}`
  return `${date(at, now)} ${time}`
}

/** `3 Oct`, `3 Oct 2024`. */
export function date(at: Date, now: Date): string {
  const year = at.getFullYear() === now.getFullYear() ? undefined : 'numeric'
  return at.toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year })
}

/** `3 Oct`, of a day as the service names it. */
export const dayOf = (day: string) =>
  new Date(`${day}T12:00`).toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })

/** The exact instant with its zone, for hovering and for screen readers. */
export function exact(at: Date): string {
  const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
  const local = at.toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'medium' })
  return `${local} ${zone}`
}

/** `2 min ago`, `in 3 h`. */
export function relative(at: Date, now: Date): string {
  const seconds = (at.getTime() - now.getTime()) / 1000
  if (Math.abs(seconds) < 5) return 'just now'
  return seconds < 0 ? `${about(-seconds)} ago` : `in ${about(seconds)}`
}

/** `5,000`. */
export const figure = (number: number): string => number.toLocaleString('en-GB')

/** `1 right`, `3 rights`. */
export function count(number: number, one: string, many = `${one}s`): string {
  return `${figure(number)} ${number === 1 ? one : many}`
}

/** Orders names as people do: `host-9` before `host-10`. */
export const byName = new Intl.Collator('en-GB', { numeric: true }).compare

/** `a, b and c`. */
export function list(words: string[], joint = 'and'): string {
  if (words.length < 2) return words[0] ?? ''
  return `${words.slice(0, -1).join(', ')} ${joint} ${words.at(-1)}`
}

/** Reads `90m`, `2h`, `1h30m`, `45` (minutes) as seconds. */
export function readSpan(text: string): number | undefined {
  const plain = text.trim().toLowerCase().replaceAll(' ', '')
  if (/^\d+$/.test(plain)) return Number(plain) * MINUTE
  if (!/^(\d+(d|h|min|m|s))+$/.test(plain)) return undefined
  const units: Record<string, number> = { d: DAY, h: HOUR, min: MINUTE, m: MINUTE, s: 1 }
  let total = 0
  for (const [, figure, unit] of plain.matchAll(/(\d+)(d|h|min|m|s)/g))
    total += Number(figure) * (units[unit ?? 's'] ?? 1)
  return total
}

/** A moment as a field for date and time has it, by the reader's own clock; its first ten letters are the day. */
export const local = (at: Date) => new Date(at.getTime() - at.getTimezoneOffset() * 60000).toISOString().slice(0, 16)

/** The beginning of a day that was picked, by the reader's own clock. */
export const fromDay = (day: string) => new Date(`${day}T00:00`).toISOString()

/** The end of a day that was picked, by the reader's own clock: until a day means all of it. */
export const throughDay = (day: string) => new Date(`${day}T23:59:59`).toISOString()
