// What is pressed.

import { Download } from 'lucide-react'
import { type ButtonHTMLAttributes, useState } from 'react'
import { join } from './classes'

const BUTTON = {
  main: 'bg-sea text-on-sea border-sea hover:brightness-110',
  plain: 'bg-sheet border-line text-ink hover:border-edge',
  quiet: 'border-transparent text-ink-2 hover:text-ink hover:bg-sunk',
  alarm: 'bg-sheet border-alarm text-alarm hover:bg-alarm-soft',
}

/** A button. While busy it says so and can't be pressed. */
export function Button({
  look = 'plain',
  busy,
  className,
  children,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { look?: keyof typeof BUTTON; busy?: boolean }) {
  return (
    <button
      type="button"
      {...rest}
      disabled={rest.disabled || busy}
      aria-busy={busy || undefined}
      className={join(
        'inline-flex min-h-9 items-center justify-center gap-1.5 rounded border px-3 py-1 font-medium whitespace-nowrap disabled:opacity-55',
        BUTTON[look],
        className,
      )}
    >
      {busy ? 'One moment …' : children}
    </button>
  )
}

/** What a second press does, which says so; leaving it, or pressing it twice in one go, is no yes. */
export function TwicePressed({
  says,
  sure,
  act,
}: {
  says: string
  sure: string
  act: { isPending: boolean; mutate: () => void }
}) {
  const [asked, setAsked] = useState(false)
  return (
    <Button
      look="quiet"
      busy={act.isPending}
      onClick={(event) => {
        if (!asked) setAsked(true)
        else if (event.detail < 2) act.mutate()
      }}
      onBlur={() => setAsked(false)}
    >
      {asked ? sure : says}
    </Button>
  )
}

/** A file to take away. */
export function TakeAway({ href, as, children }: { href: string; as: string; children: string }) {
  return (
    <a
      href={href}
      download={as}
      className="inline-flex items-center gap-1.5 rounded border border-line bg-sheet px-3 py-1.5 font-medium hover:border-edge"
    >
      <Download size={15} aria-hidden="true" /> {children}
    </a>
  )
}
