// What may be asked for: found, in an order that helps, and chosen.

import { screen, within } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { address, show } from '../../testing/page'
import { serve } from '../../testing/replies'
import { demand, elevation, eligibility, me } from '../../testing/views'
import AskPage from './AskPage'

const TAKES = { sentence: 'To hold it you need a proof.', brief: 'up to 4 h · fresh proof' } as Api['TakesView']
const right = (id: string, name: string, but: Partial<Api['EligibilityView']> = {}) =>
  eligibility({ id, right: name, takes: TAKES, ...but })

const RIGHTS = [
  right('L1', 'berth_reader@/harbour/berths', { says: 'reads tables' }),
  right('L2', 'root@/harbour/pier', { says: 'may do anything' }),
  right('L3', 'tide-writer@/lake', { says: 'changes tables' }),
]

function port(eligible: Api['EligibilityView'][], mine: Api['ElevationView'][] = [], why?: string) {
  serve(({ url }) => {
    if (url === '/api/v1/eligible') return [200, { eligible, empty_because: why ?? null }]
    if (url.startsWith('/api/v1/elevations')) return [200, mine]
    if (/^\/api\/v1\/(offers|appointments)/.test(url)) return [200, []]
    if (url === '/api/v1/asks/preview') return [200, demand({ right: 'root@/harbour/pier' })]
    return [200, me()]
  })
}

const listed = async () =>
  (await screen.findAllByRole('listitem')).map((one) => within(one).getByRole('button').textContent)

describe('rights', () => {
  it('stand with what was asked for oftenest first, and what can’t be had last', async () => {
    const barred = right('L4', 'keysmith@/lake', {
      takes: { sentence: null, brief: 'suspended', may_break_glass: false },
    })
    port(
      [barred, ...RIGHTS],
      [
        elevation({ id: 'E1', right: 'tide-writer@/lake', mine: true, state: 'lapsed' }),
        elevation({ id: 'E2', right: 'tide-writer@/lake', mine: true, state: 'lapsed' }),
      ],
    )
    show(<AskPage />)
    const rows = await listed()
    expect(rows.map((row) => row?.split('@')[0])).toEqual(['tide-writer', 'berth_reader', 'root', 'keysmith'])
    expect(rows[0]).toContain('asked 2 times')
    expect(rows[3]).toContain('Not at present: suspended')
    expect(screen.getByRole('heading', { level: 1 }).textContent).toBe('You may ask for 4 rights.')
  })

  it('are found by name and by what they let one do, every word of it', async () => {
    port(RIGHTS)
    const user = userEvent.setup()
    show(<AskPage />)
    await listed()
    await user.type(screen.getByLabelText('Search what you may ask for'), 'tables lake')
    expect(await listed()).toHaveLength(1)
    await user.type(screen.getByLabelText('Search what you may ask for'), ' x')
    expect(await screen.findByText(/Nothing you may ask for is called so/)).toBeTruthy()
  })

  it('that there are none of say why', async () => {
    port([], [], 'nobody made you eligible for anything yet')
    show(<AskPage />)
    expect(await screen.findByText('Nobody made you eligible for anything yet.')).toBeTruthy()
    expect(screen.getByRole('heading', { level: 1 }).textContent).toBe('You may ask for nothing yet.')
  })

  it('open a sheet of their own, which the address names', async () => {
    port(RIGHTS)
    const user = userEvent.setup()
    show(<AskPage />)
    await listed()
    expect(screen.getByText(/Choose a right/)).toBeTruthy()
    const chosen = screen.getAllByRole('button').find((one) => one.textContent.startsWith('root@'))
    await user.click(chosen as HTMLElement)
    expect(address()).toBe('/?right=root%40%2Fharbour%2Fpier')
    expect(await screen.findByText(/To hold root@pier/)).toBeTruthy()
  })
})
