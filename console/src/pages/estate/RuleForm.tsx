// A rule: for what it holds, and its settings. Each may be left out, and each may be pinned: below it may then only be stricter.

import type { ReactNode } from 'react'
import type { Api } from '../../api/call'
import { Input, Select } from '../../parts/fields'
import { Named, type Settings } from './settings/fields'
import { local } from '../../words/time'
import { SETTINGS } from './settings/list'

type Rule = Api['NewTerms']

interface Editing {
  rule: Rule
  onChange: (rule: Rule) => void
}

/** What is done with a right, of what is demanded for today. */
const ACTS = {
  elevate: 'holding it for a time',
  extend: 'going on with it beyond its end',
  'be-made-eligible': 'being made eligible for it',
  answer: 'answering whoever asks for it',
  administer: 'administering the place',
}

function Act({ rule, onChange }: Editing) {
  return (
    <Select
      label="For what is done"
      value={rule.act}
      onChange={(event) => onChange({ ...rule, act: event.target.value as Rule['act'] })}
    >
      {Object.entries(ACTS).map(([act, says]) => (
        <option key={act} value={act}>
          {says}
        </option>
      ))}
      {rule.act && !(rule.act in ACTS) && <option>{rule.act}</option>}
    </Select>
  )
}

function Role({ rule, roles, onChange }: Editing & { roles: Api['RoleView'][] }) {
  return (
    <>
      <Input
        label="Role"
        value={rule.role ?? ''}
        list="rule-roles"
        placeholder="every role"
        onChange={(event) => onChange({ ...rule, role: event.target.value || null })}
      />
      <datalist id="rule-roles">
        {[...new Set(roles.map((role) => role.role))].map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
    </>
  )
}

function HarmAndAsker({ rule, onChange }: Editing) {
  return (
    <div className="grid grid-cols-2 gap-3">
      <Select
        label="Harm"
        value={rule.weight ?? ''}
        onChange={(event) => onChange({ ...rule, weight: (event.target.value || null) as Rule['weight'] })}
      >
        <option value="">any</option>
        <option>ordinary</option>
        <option>privileged</option>
        <option>critical</option>
      </Select>
      <Input
        label="Asked by"
        value={rule.asker ?? ''}
        placeholder="anybody"
        onChange={(event) => onChange({ ...rule, asker: event.target.value || null })}
      />
    </div>
  )
}

/** A moment that may be left out. */
function Moment({ label, at, set }: { label: string; at?: string | null; set: (at: string | null) => void }) {
  return (
    <Input
      label={label}
      type="datetime-local"
      value={at ? local(new Date(at)) : ''}
      onChange={(event) => set(event.target.value ? new Date(event.target.value).toISOString() : null)}
    />
  )
}

/** While it is valid. */
function Valid({ rule, onChange }: Editing) {
  return (
    <>
      <Moment label="Valid from" at={rule.valid_from} set={(valid_from) => onChange({ ...rule, valid_from })} />
      <Moment label="Valid until" at={rule.valid_until} set={(valid_until) => onChange({ ...rule, valid_until })} />
    </>
  )
}

/** A field with its pin, which only what is set can have. */
function Pinned({ name, rule, onChange, children }: Editing & { name: keyof Settings; children: ReactNode }) {
  const pin = (on: boolean) =>
    onChange({ ...rule, pins: on ? [...rule.pins, name] : rule.pins.filter((one) => one !== name) })
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_4.5rem] items-end gap-3">
      {children}
      <label className="flex items-center gap-1.5 pb-2 text-ink-2">
        <input
          type="checkbox"
          disabled={rule.settings[name] == null}
          checked={rule.pins.includes(name)}
          onChange={(event) => pin(event.target.checked)}
        />{' '}
        pin
      </label>
    </div>
  )
}

/** A rule: for whom it holds, and each setting that it sets or pins. */
export function RuleForm({ rule, roles, onChange }: Editing & { roles: Api['RoleView'][] }) {
  const editing = { rule, onChange }
  const field = {
    settings: rule.settings,
    set: (next: Partial<Settings>) => onChange({ ...rule, settings: { ...rule.settings, ...next } }),
  }
  // One that says nothing about the act is shown while it is set, to be left out.
  const shown = SETTINGS.filter(
    ({ name, only }) => !only || only.includes(rule.act ?? 'elevate') || rule.settings[name] != null,
  )
  return (
    <div className="grid gap-3 md:grid-cols-2 md:gap-x-6">
      <Act {...editing} />
      <Role {...editing} roles={roles} />
      <HarmAndAsker {...editing} />
      <Named
        label="On systems labelled"
        hint="any; or stage=production"
        named={rule.labels}
        onChange={(labels) => onChange({ ...rule, labels })}
      />
      <Named
        label="On systems that say of themselves; only tightens"
        hint="any; or site=north quay"
        named={rule.attributes}
        onChange={(attributes) => onChange({ ...rule, attributes })}
      />
      <Valid {...editing} />
      {shown.map(({ name, Field }) => (
        <Pinned key={name} name={name} {...editing}>
          <Field {...field} />
        </Pinned>
      ))}
      {shown.map(({ name, More }) => More && <More key={name} {...field} />)}
    </div>
  )
}
