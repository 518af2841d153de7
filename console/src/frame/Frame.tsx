// The frame around every page: rail, strip, ribbon, and whoever puts things right.

import { Anchor, BookText, Gauge, KeyRound, MapIcon, Settings, Sunrise, Waypoints } from 'lucide-react'
import type { ReactNode } from 'react'
import { NavLink, useLocation } from 'react-router'
import { isAdministrator, isOverseer, type Me } from '../parts/me'
import { Line, useLive } from './Line'
import { Reauth } from './Reauth'
import { StopBanner } from './Stop'
import { Strip } from './Strip'

const PAGES = [
  { to: '/', label: 'Now', icon: Gauge, for: () => true },
  { to: '/ask', label: 'Ask', icon: KeyRound, for: () => true },
  { to: '/answer', label: 'Answer', icon: Anchor, for: () => true },
  { to: '/standing', label: 'Standing', icon: Waypoints, for: isOverseer },
  { to: '/estate', label: 'Estate', icon: MapIcon, for: isOverseer },
  { to: '/record', label: 'Record', icon: BookText, for: () => true },
  { to: '/first-day', label: 'First day', icon: Sunrise, for: (me: Me) => me.administers_all },
  { to: '/settings', label: 'Settings', icon: Settings, for: isAdministrator },
]

function Rail({ me }: { me: Me }) {
  return (
    <nav
      aria-label="Pages"
      className="fixed inset-x-0 bottom-0 z-30 flex print:hidden overflow-x-auto border-t border-line px-0.5 bg-sheet md:sticky md:top-0 md:h-dvh md:w-[76px] md:shrink-0 md:flex-col md:border-t-0 md:border-r md:pt-2"
    >
      <img src="/mark.svg" alt="Tempestas" className="mx-auto mb-2 hidden h-8 w-8 md:block" />
      {PAGES.filter((page) => page.for(me)).map((page) => (
        <NavLink
          key={page.to}
          to={page.to}
          end={page.to === '/'}
          className={({ isActive }) =>
            `relative grid min-w-11 flex-1 justify-items-center gap-0.5 py-2 text-[0.72rem] whitespace-nowrap md:px-1 md:text-[0.79rem] md:flex-none md:py-2.5 ${
              isActive
                ? 'font-semibold text-sea before:absolute before:inset-y-1.5 before:left-0 before:w-[3px] before:rounded before:bg-sea max-md:before:hidden'
                : 'text-ink-2 hover:text-ink'
            }`
          }
        >
          <page.icon size={19} strokeWidth={1.7} aria-hidden="true" />
          <span>{page.label}</span>
          {page.to === '/answer' && me.waiting_for_me > 0 && (
            <span className="figures absolute top-1 right-2 rounded-full bg-sea px-1.5 text-[0.72rem] font-semibold text-on-sea">
              {me.waiting_for_me}
              <span className="sr-only"> wait for you</span>
            </span>
          )}
        </NavLink>
      ))}
    </nav>
  )
}

/** What stands around each page: the rail, the strip, the line to the service, what is stopped. */
export function Frame({ me, pages }: { me: Me; pages: ReactNode }) {
  const line = useLive()
  const { pathname } = useLocation()
  return (
    <Reauth me={me}>
      <a href="#page" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-sheet focus:p-2">
        To the page
      </a>
      <div className="md:flex">
        <Rail me={me} />
        <div className="min-w-0 flex-1 pb-20 md:pb-6">
          {me.sample_world && (
            <aside
              aria-label="Sample world"
              className="border-b border-line bg-sunk px-4 py-0.5 text-center text-[0.82rem] text-ink-2"
            >
              Sample world: Quillhaven Port and everyone in it are made up.
            </aside>
          )}
          <div className="contents print:hidden">
            <Strip me={me} />
            <Line line={line} />
            <StopBanner me={me} />
          </div>
          <main
            id="page"
            key={pathname.split('/')[1]}
            tabIndex={-1}
            className="mx-auto max-w-[1280px] px-3 pt-4 outline-none md:px-5"
          >
            {pages}
          </main>
        </div>
      </div>
    </Reauth>
  )
}
