// Names and values, as people write labels: `stage=production, quay=north`.

/** As text. */
export const writeNamed = (named: Record<string, string> | undefined) =>
  Object.entries(named ?? {})
    .map(([name, value]) => `${name}=${value}`)
    .join(', ')

/** From text; none where something of it can't be read. */
export function readNamed(text: string): Record<string, string> | undefined {
  const said: [string, string][] = []
  for (const one of text.split(',').filter((one) => one.trim())) {
    const at = one.indexOf('=')
    const [name, value] = [one.slice(0, at).trim(), one.slice(at + 1).trim()]
    if (at < 0 || !name || !value) return undefined
    said.push([name, value])
  }
  return Object.fromEntries(said)
}

/** How to write them, for whoever wrote something else. */
export const NAMED_FORM = 'Write it like stage=production, quay=north.'
