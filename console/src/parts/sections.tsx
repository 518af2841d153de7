// What a page is made of: its first sentence, and its parts.

import type { ReactNode } from 'react'
import { join } from './classes'

/** The first thing on a page: the one sentence worth knowing. */
export function Sentence({ children, aside }: { children: ReactNode; aside?: ReactNode }) {
  return (
    <div className="mb-4 flex flex-wrap items-baseline justify-between gap-x-6 gap-y-2">
      <h1 className="figures max-w-[70ch] text-[1.35rem] leading-snug font-semibold tracking-tight text-balance">
        {children}
      </h1>
      {aside}
    </div>
  )
}

/** A part of a page, with its heading. */
export function Section({
  title,
  aside,
  children,
  className,
}: {
  title: ReactNode
  aside?: ReactNode
  children: ReactNode
  className?: string
}) {
  return (
    <section className={join('rounded-md border border-line bg-sheet', className)}>
      <header className="flex min-h-10 flex-wrap items-center justify-between gap-2 border-b border-line px-3.5 py-1.5">
        <h2 className="font-semibold">{title}</h2>
        {aside}
      </header>
      {children}
    </section>
  )
}
