// Whether somebody must say yes: who, how many, and what follows, stage by stage.

import { useState } from 'react'
import { Button } from '../../../parts/buttons'
import { Input, Select } from '../../../parts/fields'
import { Choice, People, type SettingField, type Settings, Time, WHO } from './fields'
import { Weeks } from './hours'

type Approval_ = NonNullable<Settings['approval']>
type Stage = Omit<Extract<Approval_, { is: 'stage' }>, 'is'>
type Hours = Settings['hours']

/** How many stages there may be. */
const MOST = 5

/** What a stage begins with. */
const STAGE: Stage = { approvers: ['administrators'], yes: 1, no: 1, within: 14400, onward: null, cover: false }

const CHOICES = { none: 'nobody need be asked', stage: 'somebody must say yes' }

/** The stages of an approval; none where nobody need be asked. */
function stagesOf(approval: Settings['approval']): Stage[] {
  if (approval?.is === 'stages' || approval?.is === 'outside-hours') return approval.stages
  if (approval?.is !== 'stage') return []
  const { approvers, yes, no, within, onward, cover } = approval
  return [{ approvers, yes, no, within, onward: onward ?? null, cover }]
}

/** The hours within which nobody need be asked. */
const unaskedIn = (approval: Settings['approval']): Hours => (approval?.is === 'outside-hours' ? approval.hours : null)

/** Stages as the service takes them: one stands by itself, where somebody is asked at any hour. */
function approvalOf(stages: Stage[], hours?: Hours): Approval_ {
  if (hours) return { is: 'outside-hours', hours, stages }
  const [only, next] = stages
  return only && !next ? { is: 'stage', ...only } : { is: 'stages', stages }
}

/** Whether anybody is asked. */
export function Approval({ settings: { approval }, set }: SettingField) {
  const begun = { none: { is: 'none' as const }, stage: approvalOf([STAGE]) }
  const change = (is: string | undefined) => set({ approval: is ? begun[is as keyof typeof begun] : undefined })
  const is = stagesOf(approval).length > 0 ? 'stage' : approval?.is
  return <Choice label="Approval" value={is} choices={CHOICES} onChange={change} />
}

function Count({ label, value, onChange }: { label: string; value: number; onChange: (value: number) => void }) {
  return (
    <Input
      label={label}
      type="number"
      min={1}
      max={9}
      value={value}
      onChange={(event) => onChange(Number(event.target.value))}
    />
  )
}

/** What follows where a stage has waited for its time. */
function Onward({
  onward,
  last,
  change,
}: {
  onward: Stage['onward']
  last: boolean
  change: (onward: Stage['onward']) => void
}) {
  const is = onward === 'next-stage' ? 'next' : onward ? 'others' : 'nobody'
  const begun = { nobody: null, next: 'next-stage' as const, others: ['administrators'] }
  return (
    <>
      <Select
        label="If it waits for all that time"
        value={is}
        onChange={(event) => change(begun[event.target.value as keyof typeof begun])}
      >
        <option value="nobody">it runs out</option>
        {(!last || is === 'next') && <option value="next">those of the next stage are asked too</option>}
        <option value="others">others are asked too</option>
      </Select>
      {Array.isArray(onward) && <People label="Others who are asked then" named={onward} onChange={change} />}
    </>
  )
}

function OneStage({ stage, last, change }: { stage: Stage; last: boolean; change: (next: Partial<Stage>) => void }) {
  return (
    <>
      <People label="Who answers" hint={WHO} named={stage.approvers} onChange={(approvers) => change({ approvers })} />
      <div className="grid grid-cols-3 gap-3">
        <Count label="Yes needed" value={stage.yes} onChange={(yes) => change({ yes })} />
        <Count label="No refuses" value={stage.no} onChange={(no) => change({ no })} />
        <Time label="Within" seconds={stage.within} onChange={(within) => within !== undefined && change({ within })} />
      </div>
      <Onward onward={stage.onward} last={last} change={(onward) => change({ onward })} />
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={stage.cover} onChange={(event) => change({ cover: event.target.checked })} />
        Whoever covers for one of them answers in their place
      </label>
    </>
  )
}

/** The stages, where somebody must say yes. */
export function ApprovalStages({ settings: { approval }, set }: SettingField) {
  const stages = stagesOf(approval)
  // Each field keeps what is being typed; once a stage is taken out, those that stay are read anew.
  const [takenOut, setTakenOut] = useState(0)
  const hours = unaskedIn(approval)
  const put = (next: Stage[]) => set({ approval: approvalOf(next, hours) })
  const takeOut = (at: number) => {
    setTakenOut(takenOut + 1)
    put(stages.filter((_, other) => other !== at))
  }
  if (stages.length === 0) return null
  return (
    <>
      <Weeks
        label="Nobody need be asked within these hours, a line each"
        weeks={hours}
        set={(hours) => set({ approval: approvalOf(stages, hours) })}
      />
      {stages.map((stage, at) => (
        <fieldset key={`${takenOut}-${at}`} className="grid content-start gap-3 rounded border border-line p-3">
          {stages.length > 1 && (
            <div className="flex items-center justify-between">
              <legend className="label">Stage {at + 1}</legend>
              <Button look="quiet" onClick={() => takeOut(at)}>
                Take out
              </Button>
            </div>
          )}
          <OneStage
            stage={stage}
            last={at === stages.length - 1}
            change={(next) => put(stages.map((one, other) => (other === at ? { ...one, ...next } : one)))}
          />
        </fieldset>
      ))}
      {stages.length < MOST && (
        <Button look="quiet" className="justify-self-start" onClick={() => put([...stages, STAGE])}>
          Another stage after that
        </Button>
      )}
    </>
  )
}
