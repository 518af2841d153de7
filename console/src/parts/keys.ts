// Single keys as shortcuts.

import { useEffect, useRef } from 'react'

/** Hears of each key that is pressed while nothing is typed, no dialog is open and no other key is held; of Escape always. */
export function useKeys(pressed: (key: string) => void) {
  const latest = useRef(pressed)
  useEffect(() => {
    latest.current = pressed
  })
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const typing =
        event.target instanceof HTMLElement &&
        event.target.matches('input:not([type=checkbox]), textarea, select, [role=combobox]')
      const held = event.ctrlKey || event.metaKey || event.altKey
      if (event.key !== 'Escape' && (typing || held || document.querySelector('[role=dialog]'))) return
      latest.current(event.key)
    }
    document.addEventListener('keydown', press)
    return () => document.removeEventListener('keydown', press)
  }, [])
}
