// Names as people write several of them: `hardware-key, from-the-port`; `none` for none at all.

/** As text; none at all where nothing is said of them. */
export const writeNames = (names: readonly string[] | null | undefined) =>
  names == null ? '' : names.length === 0 ? 'none' : names.join(', ')

/** From text: nothing said where it is empty. */
export function readNames(text: string): string[] | undefined {
  const names = text
    .split(/[\s,]+/)
    .map((name) => name.trim())
    .filter((name) => name !== '')
  if (names.length === 0) return undefined
  return names.length === 1 && names[0] === 'none' ? [] : [...new Set(names)]
}
