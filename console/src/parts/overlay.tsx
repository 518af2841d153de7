// What lies over a page: dialogs, and the small menu.

import { X } from 'lucide-react'
import { Dialog as Radix } from 'radix-ui'
import type { ReactNode } from 'react'

/** A dialog. Esc closes it; focus goes back to where it was. */
export function Dialog({
  open,
  onClose,
  title,
  says,
  children,
  wide,
}: {
  open: boolean
  onClose: () => void
  title: ReactNode
  says?: ReactNode
  children: ReactNode
  wide?: boolean
}) {
  return (
    <Radix.Root open={open} onOpenChange={(next) => !next && onClose()}>
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-black/45" />
        <Radix.Content
          className={`rise fixed top-[7vh] left-1/2 z-50 max-h-[86vh] w-[calc(100vw-1.5rem)] -translate-x-1/2 overflow-auto rounded-md border border-line bg-sheet p-4 shadow-xl ${wide ? 'max-w-4xl' : 'max-w-lg'}`}
        >
          <div className="mb-3 flex items-start justify-between gap-4">
            <Radix.Title className="text-[1.15rem] font-semibold">{title}</Radix.Title>
            <Radix.Close aria-label="Close" className="rounded p-1 text-ink-3 hover:text-ink">
              <X size={18} />
            </Radix.Close>
          </div>
          {says ? (
            <Radix.Description className="mb-3 text-ink-2">{says}</Radix.Description>
          ) : (
            <Radix.Description className="sr-only">{title}</Radix.Description>
          )}
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  )
}
