// Weeks of hours as people write them, a line each: `Europe/Oslo mon-fri 07:00-17:00`.

import type { Api } from '../api/call'

type Week = NonNullable<Api['SettingsView']['hours']>[number]

/** As text; none where two weeks are of one zone, which lines can't tell apart. */
export function writeHours(weeks: readonly Week[] | null | undefined): string | undefined {
  const all = weeks ?? []
  if (new Set(all.map((week) => week.zone)).size < all.length) return undefined
  return all.flatMap((week) => week.open.map((time) => `${week.zone} ${time}`)).join('\n')
}

/** From text; nothing where a line can't be read. */
export function readHours(text: string): Week[] | undefined {
  const weeks = new Map<string, string[]>()
  for (const line of text.split('\n').filter((line) => line.trim())) {
    const [, zone, time] = /^\s*([A-Za-z_/+\-0-9]+)\s+(\S+ \d\d:\d\d-\d\d:\d\d)\s*$/.exec(line) ?? []
    if (!zone || !time) return undefined
    weeks.set(zone, [...(weeks.get(zone) ?? []), time])
  }
  return [...weeks].map(([zone, open]) => ({ zone, open }))
}

/** How to write them, for whoever wrote something else. */
export const HOURS_FORM = 'Write each line like Europe/Oslo mon-fri 07:00-17:00.'
