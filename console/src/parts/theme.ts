// Light or dark: as the system says, unless the person chose.

const KEY = 'theme'
/** Light, dark, or as the system has it. */
export type Theme = 'system' | 'light' | 'dark'

/** What was chosen here before. */
export function chosenTheme(): Theme {
  const kept = localStorage.getItem(KEY)
  return kept === 'light' || kept === 'dark' ? kept : 'system'
}

/** Shows the page so. */
export function applyTheme(theme: Theme = chosenTheme()) {
  const dark = theme === 'dark' || (theme === 'system' && matchMedia('(prefers-color-scheme: dark)').matches)
  document.documentElement.dataset.theme = dark ? 'dark' : 'light'
}

/** Chooses it, for the next time too. */
export function chooseTheme(theme: Theme) {
  if (theme === 'system') localStorage.removeItem(KEY)
  else localStorage.setItem(KEY, theme)
  applyTheme(theme)
}

matchMedia('(prefers-color-scheme: dark)').addEventListener('change', () => applyTheme())
