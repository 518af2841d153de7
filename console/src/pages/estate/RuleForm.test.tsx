// A rule as it is typed: what is taken in, what is said instead, and what of it may be pinned.

import { screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { useState } from 'react'
import { describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { show } from '../../testing/page'
import { RuleForm } from './RuleForm'
import type { Settings } from './settings/fields'
import { SETTINGS, wholeSettings } from './settings/list'

type Rule = Api['NewTerms']

const NOTHING = {} as Settings

/** The form, and the rule as it stands after each change. */
function typing(settings: Partial<Settings> = {}, pins: string[] = []) {
  const seen: Rule[] = []
  function Form() {
    const start = { scope: '/', act: 'elevate', labels: {}, attributes: {}, settings, pins } as unknown as Rule
    const [rule, setRule] = useState(start)
    const change = (next: Rule) => {
      seen.push(next)
      setRule(next)
    }
    return <RuleForm rule={rule} roles={[]} onChange={change} />
  }
  show(<Form />)
  return { user: userEvent.setup(), last: () => seen.at(-1)?.settings, seen }
}

describe('a setting', () => {
  it('is in the list once, and in what takes the place of another rule', () => {
    const listed = SETTINGS.map((one) => one.name).sort()
    expect(new Set(listed).size).toBe(listed.length)
    expect(Object.keys(wholeSettings(NOTHING)).sort()).toEqual(listed)
    expect(Object.values(wholeSettings(NOTHING)).every((value) => value === null)).toBe(true)
  })

  it('of time is taken in once it can be read, and left out when it is cleared', async () => {
    const { user, last, seen } = typing({ longest: 3600 })
    const field = screen.getByLabelText<HTMLInputElement>('Longest')
    expect(field.value).toBe('1h')
    await user.clear(field)
    expect(last()?.longest).toBeUndefined()
    const before = seen.length
    await user.type(field, 'soon')
    expect(screen.getByRole('alert').textContent).toBe('Write it like 30m or 2h.')
    expect(seen.length).toBe(before)
    await user.clear(field)
    await user.type(field, '1h30m')
    expect(last()?.longest).toBe(5400)
    expect(screen.queryByRole('alert')).toBeNull()
  })

  it('can be pinned only where it is set', async () => {
    const { user, seen } = typing({ usual: 600 }, ['usual'])
    const [longest, usual] = screen.getAllByRole<HTMLInputElement>('checkbox', { name: 'pin' })
    expect([longest?.disabled, usual?.disabled, usual?.checked]).toEqual([true, false, true])
    if (usual) await user.click(usual)
    expect(seen.at(-1)?.pins).toEqual([])
  })

  it('of extending is asked for where the rule is about that, and kept in sight while it is set', async () => {
    const { user, last, seen } = typing()
    expect(screen.queryByLabelText('May be extended')).toBeNull()
    await user.type(screen.getByLabelText('Grace at its end, once'), '10m')
    expect(last()?.grace).toBe(600)
    await user.selectOptions(screen.getByLabelText('For what is done'), 'extend')
    expect(seen.at(-1)?.act).toBe('extend')
    expect(screen.getByLabelText('Grace at its end, once')).toBeTruthy()
    expect(screen.queryByLabelText('How its end comes')).toBeNull()
    await user.selectOptions(screen.getByLabelText('May be extended'), '0')
    expect(last()?.extensions).toBe(0)
    await user.selectOptions(screen.getByLabelText('May be extended'), '')
    expect(last()?.extensions).toBeUndefined()
  })

  it('of a reason goes by its letters where it is needed', async () => {
    const { user, last } = typing()
    const reason = screen.getByLabelText('Reason')
    expect(screen.queryByLabelText('Letters of a reason at least')).toBeNull()
    await user.selectOptions(reason, 'required')
    const letters = screen.getByLabelText('Letters of a reason at least')
    await user.clear(letters)
    expect(last()?.reason).toEqual({ is: 'required', at_least: 8 })
    await user.type(letters, '20')
    expect(last()?.reason).toEqual({ is: 'required', at_least: 20 })
    await user.selectOptions(reason, 'hidden')
    expect(last()?.reason).toEqual({ is: 'hidden' })
    await user.selectOptions(reason, '')
    expect(last()?.reason).toBeUndefined()
  })

  it('of what is held all the time is set only where it is about holding', async () => {
    const { user, last } = typing()
    await user.selectOptions(screen.getByLabelText('Held all the time'), 'never')
    expect(last()?.standing).toBe('never')
    expect(wholeSettings({ ...NOTHING, standing: 'never' }).standing).toBe('never')
    await user.selectOptions(screen.getByLabelText('Held all the time'), '')
    expect(last()?.standing).toBeUndefined()
    await user.selectOptions(screen.getByLabelText('For what is done'), 'extend')
    expect(screen.queryByLabelText('Held all the time')).toBeNull()
  })

  it('of what was done names who looks at it, by when, and who does after that', async () => {
    const { user, last } = typing()
    await user.selectOptions(screen.getByLabelText('Who looks at what was done'), 'wanted')
    const by = screen.getByLabelText('Who signs it off')
    await user.clear(by)
    await user.type(by, 'database-owners, the manager')
    const within = screen.getByLabelText('How long after its end')
    await user.clear(within)
    await user.type(within, '2h')
    const wanted = { is: 'wanted', by: ['database-owners', 'the manager'], within: 7200, higher: ['administrators'] }
    expect(last()?.debrief).toEqual(wanted)
    expect(wholeSettings(last() ?? NOTHING).debrief).toEqual(wanted)
    await user.selectOptions(screen.getByLabelText('Who looks at what was done'), 'none')
    expect(last()?.debrief).toEqual({ is: 'none' })
    expect(screen.queryByLabelText('Who signs it off')).toBeNull()
  })

  it('of the glass names a few, who break it with a passkey unless a code will do', async () => {
    const { user, last } = typing()
    await user.selectOptions(screen.getByLabelText('Who may break the glass'), 'few')
    await user.type(screen.getByLabelText('The few'), 'night-watch, elif.tan')
    expect(last()?.glass).toEqual({ by: ['night-watch', 'elif.tan'], accepts: ['passkey'] })
    await user.click(screen.getByLabelText(/A code will do as well/))
    expect(last()?.glass?.accepts).toEqual(['passkey', 'totp-code'])
    await user.selectOptions(screen.getByLabelText('Who may break the glass'), 'none')
    expect(last()?.glass).toEqual({ by: [], accepts: [] })
    expect(screen.queryByLabelText('The few')).toBeNull()
  })

  it('of purposes is a list, a line each', async () => {
    const { user, last } = typing()
    const purposes = screen.getByLabelText('Purposes to choose from, a line each')
    await user.type(purposes, 'patching{enter}{enter} an incident ')
    expect(last()?.purposes).toEqual(['patching', 'an incident'])
    await user.clear(purposes)
    expect(last()?.purposes).toBeUndefined()
  })

  it('of further references names each, and loses none while two have one name', async () => {
    const { user, last } = typing()
    const another = screen.getByRole('button', { name: 'Another reference beside the ticket' })
    await user.click(another)
    await user.type(screen.getByLabelText('What it is called'), 'visit')
    await user.type(screen.getByLabelText('Its form'), 'V-1')
    await user.click(another)
    const second = screen.getAllByLabelText('What it is called')[1] as HTMLElement
    await user.type(second, 'visit')
    expect(screen.getByText('Another one is called so already.')).toBeTruthy()
    await user.type(second, '-order')
    await user.selectOptions(screen.getAllByLabelText('It is')[1] as HTMLElement, 'optional')
    expect(last()?.references).toEqual({
      visit: { is: 'required', pattern: 'V-1' },
      'visit-order': { is: 'optional', pattern: null },
    })
    expect(wholeSettings({ ...NOTHING, references: { order: { is: 'optional' } } }).references).toEqual({
      order: { is: 'optional', pattern: null },
    })
    await user.click(screen.getAllByRole('button', { name: 'Take out' })[0] as HTMLElement)
    expect(Object.keys(last()?.references ?? {})).toEqual(['visit-order'])
    await user.click(screen.getByRole('button', { name: 'Take out' }))
    expect(last()?.references).toBeUndefined()
  })

  it('of approval says who answers, how many, and until when, once somebody must', async () => {
    const { user, last } = typing()
    expect(screen.queryByLabelText('Who answers')).toBeNull()
    await user.selectOptions(screen.getByLabelText('Approval'), 'stage')
    expect(last()?.approval).toEqual({
      is: 'stage',
      approvers: ['administrators'],
      yes: 1,
      no: 1,
      within: 14400,
      onward: null,
      cover: false,
    })
    const who = screen.getByLabelText('Who answers')
    await user.clear(who)
    await user.type(who, 'mara')
    expect(last()?.approval).toMatchObject({ approvers: ['mara'] })
    await user.selectOptions(screen.getByLabelText('Approval'), 'none')
    expect(last()?.approval).toEqual({ is: 'none' })
    expect(screen.queryByLabelText('Yes needed')).toBeNull()
  })

  it('of approval has up to five stages, each of which may come to others, and one of which stands by itself', async () => {
    const { user, last } = typing()
    await user.selectOptions(screen.getByLabelText('Approval'), 'stage')
    const another = () => screen.queryByRole('button', { name: 'Another stage after that' })
    const onward = () => screen.getAllByLabelText<HTMLSelectElement>('If it waits for all that time')
    expect([...(onward()[0]?.options ?? [])].map((one) => one.value)).toEqual(['nobody', 'others'])
    await user.click(another() as HTMLElement)
    expect(last()?.approval).toMatchObject({ is: 'stages', stages: [{ onward: null }, { onward: null }] })
    await user.selectOptions(onward()[0] as HTMLElement, 'next')
    await user.selectOptions(onward()[1] as HTMLElement, 'others')
    const others = screen.getByLabelText('Others who are asked then')
    await user.clear(others)
    await user.type(others, 'the owners, oda')
    await user.click(screen.getAllByLabelText(/Whoever covers/)[1] as HTMLElement)
    expect(last()?.approval).toMatchObject({
      stages: [{ onward: 'next-stage' }, { onward: ['the owners', 'oda'], cover: true }],
    })
    for (let more = 0; more < 3; more += 1) await user.click(another() as HTMLElement)
    expect(another()).toBeNull()
    for (let more = 0; more < 4; more += 1)
      await user.click(screen.getAllByRole('button', { name: 'Take out' })[0] as HTMLElement)
    expect(last()?.approval).toMatchObject({ is: 'stage', approvers: ['administrators'] })
    expect(screen.queryByRole('button', { name: 'Take out' })).toBeNull()
  })

  it('of approval shows of each stage that stays what it says, once another is taken out', async () => {
    const of = (who: string) => ({ approvers: [who], yes: 1, no: 1, within: 3600, onward: null, cover: false })
    const { user, last } = typing({ approval: { is: 'stages', stages: [of('mara'), of('oda')] } })
    await user.click(screen.getAllByRole('button', { name: 'Take out' })[0] as HTMLElement)
    expect(last()?.approval).toMatchObject({ is: 'stage', approvers: ['oda'] })
    expect(screen.getByLabelText<HTMLInputElement>('Who answers').value).toBe('oda')
  })

  it('of approval may ask nobody within some hours, whoever is asked outside of them', async () => {
    const { user, last } = typing()
    await user.selectOptions(screen.getByLabelText('Approval'), 'stage')
    const hours = screen.getByLabelText(/Nobody need be asked within these hours/)
    await user.type(hours, 'Europe/Oslo mon-fri 07:00-17:00')
    const by_day = [{ zone: 'Europe/Oslo', open: ['mon-fri 07:00-17:00'] }]
    expect(last()?.approval).toMatchObject({ is: 'outside-hours', hours: by_day, stages: [{ yes: 1 }] })
    await user.click(screen.getByRole('button', { name: 'Another stage after that' }))
    expect(last()?.approval).toMatchObject({ is: 'outside-hours', hours: by_day, stages: [{ yes: 1 }, { yes: 1 }] })
    await user.clear(hours)
    expect(last()?.approval).toMatchObject({ is: 'stages', stages: [{ yes: 1 }, { yes: 1 }] })
  })

  it('of approval in stages is shown as it was set', () => {
    const one = { approvers: ['the manager'], yes: 1, no: 1, within: 3600, onward: ['mara'], cover: false }
    typing({ approval: { is: 'stages', stages: [one, { ...one, approvers: ['oda'], onward: 'next-stage' }] } })
    const values = (label: string | RegExp) =>
      screen.getAllByLabelText<HTMLInputElement>(label).map((field) => field.value)
    expect(values('Who answers')).toEqual(['the manager', 'oda'])
    expect(values('If it waits for all that time')).toEqual(['others', 'next'])
    expect(values('Others who are asked then')).toEqual(['mara'])
  })

  it('of a ticket has a form only where one is asked for', async () => {
    const { user, last } = typing()
    await user.selectOptions(screen.getByLabelText('Ticket'), 'required')
    await user.type(screen.getByLabelText(/Form of a ticket/), 'CHG-1')
    expect(last()?.ticket).toEqual({ is: 'required', pattern: 'CHG-1' })
    expect(wholeSettings({ ...NOTHING, ticket: { is: 'optional' } }).ticket).toEqual({
      is: 'optional',
      pattern: null,
    })
    await user.selectOptions(screen.getByLabelText('Ticket'), 'off')
    expect(last()?.ticket).toEqual({ is: 'off' })
    expect(screen.queryByLabelText(/Form of a ticket/)).toBeNull()
  })

  it('of starts is left out whole, or says each way', async () => {
    const { user, last } = typing()
    await user.selectOptions(screen.getByLabelText('How its time may start'), 'set')
    expect(last()?.starts).toEqual({ at_yes: true, at_time_within: null, begin_within: null })
    await user.type(screen.getByLabelText('When the holder begins, within'), '2h')
    expect(last()?.starts?.begin_within).toBe(7200)
    await user.click(screen.getByRole('button', { name: 'Leave it out' }))
    expect(last()?.starts).toBeNull()
  })
})

describe('what a rule is for', () => {
  it('takes labels in whole, or says how they are written', async () => {
    const { user, seen } = typing()
    const labels = screen.getByLabelText('On systems labelled')
    await user.type(labels, 'stage=production')
    expect(seen.at(-1)?.labels).toEqual({ stage: 'production' })
    await user.type(labels, ', quay')
    expect(screen.getByRole('alert').textContent).toMatch(/^Write it like stage=production/)
    expect(seen.at(-1)?.labels).toEqual({ stage: 'production' })
  })

  it('names harm, role and asker, or leaves them to everything', async () => {
    const { user, seen } = typing()
    await user.selectOptions(screen.getByLabelText('Harm'), 'critical')
    expect(seen.at(-1)?.weight).toBe('critical')
    await user.selectOptions(screen.getByLabelText('Harm'), '')
    expect(seen.at(-1)?.weight).toBeNull()
    await user.type(screen.getByLabelText('Asked by'), 'x')
    await user.clear(screen.getByLabelText('Asked by'))
    expect(seen.at(-1)?.asker).toBeNull()
  })
})
