// Whether somebody must say yes, who, and how many.

import { Input } from '../../../parts/fields'
import { Choice, type SettingField, type Settings, Time } from './fields'

type Stage = Extract<NonNullable<Settings['approval']>, { is: 'stage' }>

/** What a stage begins with. */
const STAGE: Stage = { is: 'stage', approvers: ['administrators'], yes: 1, no: 1, within: 14400 }

const CHOICES = { none: 'nobody need be asked', stage: 'somebody must say yes' }

/** Who answers, how many of them, and within what time. */
export function Approval({ settings: { approval }, set }: SettingField) {
  const begun = { none: { is: 'none' as const }, stage: STAGE }
  const change = (is: string | undefined) => set({ approval: is ? begun[is as keyof typeof begun] : undefined })
  return <Choice label="Approval" value={approval?.is} choices={CHOICES} onChange={change} />
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

const names = (text: string) =>
  text
    .split(',')
    .map((one) => one.trim())
    .filter(Boolean)

/** The stage, where somebody must say yes. */
export function ApprovalStage({ settings: { approval: stage }, set }: SettingField) {
  if (stage?.is !== 'stage') return null
  const change = (next: Partial<Stage>) => set({ approval: { ...stage, ...next } })
  return (
    <>
      <Input
        label="Who answers: people, groups, or administrators"
        value={stage.approvers.join(', ')}
        onChange={(event) => change({ approvers: names(event.target.value) })}
      />
      <div className="grid grid-cols-3 gap-3">
        <Count label="Yes needed" value={stage.yes} onChange={(yes) => change({ yes })} />
        <Count label="No refuses" value={stage.no} onChange={(no) => change({ no })} />
        <Time label="Within" seconds={stage.within} onChange={(within) => within !== undefined && change({ within })} />
      </div>
    </>
  )
}
