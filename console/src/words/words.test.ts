// @vitest-environment node
// Words of the service as the console puts them, and what people type.

import { describe, expect, it } from 'vitest'
import type { Api } from '../api/call'
import { placeOf } from './commands'
import { readNamed, writeNamed } from './named'
import { byOwnClock, opened } from './sentence'
import { whereIs } from './systems'
import { usedAndAdvised } from './use'

describe('sentences', () => {
  it('begin large where they stand alone, but for a reference', () => {
    expect(opened('waits for mara')).toBe('Waits for mara')
    expect(opened('t522 holds')).toBe('t522 holds')
    expect(opened('')).toBe('')
  })

  it('tell times by the reader’s clock, with the year where it is another', () => {
    const year = new Date().getFullYear()
    expect(byOwnClock(`until ${year}-07-03 12:05 UTC; then no more`)).toBe('until 3 Jul 14:05; then no more')
    expect(byOwnClock('since 2019-12-31 23:30:09 UTC')).toBe('since 1 Jan 2020 00:30')
    expect(byOwnClock('until 12:05 UTC')).toBe('until 12:05 UTC')
  })
})

describe('commands', () => {
  it.each([
    ['tempestas eligible wishes --all', '/answer'],
    ['tempestas eligible give NAME', '/ask'],
    ['tempestas targets accept pier/mooring-1', '/settings'],
    ['tempestas targets enrolment', '/estate'],
    ['tempestas sign-ins', '/settings'],
    ['tempestas me', '/settings'],
    ['tempestas drift list', '/standing'],
  ])('`%s` is found in the console', (command, to) => expect(placeOf(command)?.to).toBe(to))

  it('that have no page of their own are named alone', () => {
    expect(placeOf('tempestas sign-in')).toEqual({ label: 'Sign in' })
    expect(placeOf('tempestas give-back E1042')?.to).toBeUndefined()
  })

  it.each(['sudo -n true', 'tempestasd rebuild --check', 'tempestas', 'quarterly'])('`%s` leads nowhere', (words) =>
    expect(placeOf(words)).toBeUndefined(),
  )
})

describe('labels', () => {
  it('are read as they are written', () => {
    const labels = { stage: 'production', quay: 'north=1' }
    expect(readNamed(writeNamed(labels))).toEqual(labels)
    expect(readNamed('')).toEqual({})
    expect(readNamed(' stage = production ,, quay=north ')).toEqual({ stage: 'production', quay: 'north' })
    expect(writeNamed(undefined)).toBe('')
  })

  it.each(['stage', '=production', 'stage=', 'stage=production, quay'])('`%s` is refused whole', (text) =>
    expect(readNamed(text)).toBeUndefined(),
  )
})

describe('systems', () => {
  it.each<[Api['Connector'], string]>([
    [
      { kind: 'postgres', host: '10.0.0.3', port: 5432, user: 'broker', database: 'ledger', own_login: false },
      'PostgreSQL at 10.0.0.3:5432',
    ],
    [{ kind: 'fathom', url: 'https://fathom.test' }, 'Fathom at https://fathom.test'],
    [
      { kind: 'described', form: 'name = "Gates"\naddress = "http://gates.test"\n' },
      'Described system at http://gates.test',
    ],
    [{ kind: 'described', form: 'name = "Gates"\n' }, 'Described system'],
  ])('%o is told with where it is', (connector, said) => expect(whereIs(connector)).toBe(said))
})

describe('uses', () => {
  const item = (rhythm: Api['PlanItemView']['rhythm'], advice: Api['PlanItemView']['advice'], uses: number) =>
    usedAndAdvised({ rhythm, advice, uses } as Api['PlanItemView'])

  it('are told with what they advise', () => {
    expect(item('weekly', 'convert', 33)).toBe('Used weekly (33 uses). Convert it.')
    expect(item('daily', 'keep-or-shrink', 1)).toBe(
      'Used daily (1 use). Leave it, or find a smaller role for daily work.',
    )
    expect(item('never', 'convert-or-end', 0)).toBe(
      'Not used, as far back as its system told. Convert it; nobody would notice.',
    )
    expect(item('unknown', 'ask', 0)).toMatch(/^Its system doesn’t tell of uses\. Ask its holder/)
  })
})
