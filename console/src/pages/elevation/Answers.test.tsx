// Who was asked about an elevation and what they said, stage by stage.

import { screen } from '@testing-library/react'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { elevation, EXTENSION, waiting } from '../../testing/views'
import { Answers } from './Answers'

const yes = (who: string): Api['AnswerView'] => ({
  who,
  verdict: 'yes',
  less: null,
  reason: null,
  at: '2026-11-20T12:10:00Z',
})

const round = (...stages: Api['StageView'][]): Api['RoundView'] => ({ extends_to: null, stages })

const shown = (but: Partial<Api['ElevationView']>) => {
  show(<Answers one={elevation(but)} />)
  return document.body.textContent
}

describe('answers', () => {
  it('of what nobody had to be asked about say so, also after it went on', () => {
    expect(shown({ rounds: [round()] })).toContain('Nobody had to be asked.')
  })

  it('wait for those who are silent in the open stage, and name who is asked after that', () => {
    const said = shown({
      state: 'waiting',
      rounds: [
        round(
          { ...waiting('mara', 'oda'), yes: 2, answers: [yes('mara')], onward: ['piet'] },
          { ...waiting('jan'), until: null },
        ),
      ],
    })
    expect(said).toContain('Stage 1 of 2')
    expect(said).toMatch(/2 yes settles it, 1 no refuses it; open until .*, then for piet too\./)
    expect(said).toContain('Waits for oda.')
    expect(said).not.toContain('Waits for mara')
    expect(said).toMatch(/Stage 2 of 2.*not begun\..*Then jan\./)
  })

  it('say who is away, and who is asked instead', () => {
    const away = [{ who: 'oda', delegate: 'ines', until: '2026-11-25T18:00:00Z' }]
    const said = shown({ state: 'waiting', rounds: [round({ ...waiting('ines'), away })] })
    expect(said).toMatch(/oda is away until .*: ines is asked instead\./)
    expect(said).toContain('Waits for ines.')
    expect(screen.queryByText('Stage 1 of 1')).toBeNull()
  })

  it('of an earlier round wait for nobody, and those to go on stand with until when', () => {
    const said = shown({
      state: 'live',
      extension: EXTENSION,
      rounds: [
        round({ ...waiting('mara', 'piet'), answers: [yes('mara')] }),
        { ...round(waiting('oda')), extends_to: EXTENSION.until },
      ],
    })
    expect(said).toContain('To go on until')
    expect(said?.match(/Waits for/g)).toHaveLength(1)
    expect(said).toContain('Waits for oda.')
  })
})
