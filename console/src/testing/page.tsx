// Shows a part as a page does: with the data layer, and addresses to go to.

import { QueryClientProvider } from '@tanstack/react-query'
import { cleanup, configure, render, screen } from '@testing-library/react'
import type { ReactNode } from 'react'
import { MemoryRouter, useLocation } from 'react-router'
import { afterEach, beforeEach, vi } from 'vitest'
import { queries } from '../parts/data'

configure({ asyncUtilTimeout: 20_000 })

beforeEach(() => {
  // Nothing has a size here, and so nothing changes it.
  vi.stubGlobal(
    'ResizeObserver',
    class {
      observe() {}
      unobserve() {}
      disconnect() {}
    },
  )
})
afterEach(() => {
  cleanup()
  queries.clear()
})

function Where() {
  const at = useLocation()
  return <output aria-label="address">{at.pathname + at.search}</output>
}

/** Shows it at `/`; an `address` beside it says where its links and acts lead. */
export function show(part: ReactNode) {
  const within = (part: ReactNode) => (
    <QueryClientProvider client={queries}>
      <MemoryRouter>
        {part}
        <Where />
      </MemoryRouter>
    </QueryClientProvider>
  )
  const { rerender } = render(within(part))
  return { again: (part: ReactNode) => rerender(within(part)) }
}

/** The address that the page is at. */
export const address = () => screen.getByLabelText('address').textContent
