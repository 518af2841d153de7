// From when until when, and why: of an eligibility, and of a cover for an absence.

import { useState } from 'react'
import { Input, TextArea } from '../../parts/fields'

/** A window as it is typed, by days. */
export interface Typed {
  from: string
  until: string
  reason: string
}

/** A window that is being typed; it ends on a day that is given, or is left open. */
export function useWindow(until = '') {
  const [typed, setTyped] = useState<Typed>({ from: '', until, reason: '' })
  return { typed, set: (next: Partial<Typed>) => setTyped({ ...typed, ...next }) }
}

/** Its fields; `ends` says what an end means. */
export function Window({ of: { typed, set }, ends }: { of: ReturnType<typeof useWindow>; ends: string }) {
  return (
    <>
      <div className="grid gap-3 sm:grid-cols-2">
        <Input
          label="From"
          hint="Empty for now"
          type="date"
          value={typed.from}
          onChange={(event) => set({ from: event.target.value })}
        />
        <Input
          label="Until"
          hint={ends}
          type="date"
          value={typed.until}
          onChange={(event) => set({ until: event.target.value })}
        />
      </div>
      <TextArea label="Why" value={typed.reason} onChange={(event) => set({ reason: event.target.value })} />
    </>
  )
}
