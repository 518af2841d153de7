// The settings of one rule. Each may be left out, and each may be pinned: below it may then only be stricter.

import type { ReactNode } from 'react'
import { useState } from 'react'
import type { Api } from '../../api/call'
import { Input, Select } from '../../parts/basics'
import { NAMED_FORM, readNamed, writeNamed } from '../../words/named'
import { readSpan, span } from '../../words/time'

type Rule = Api['NewTerms']
type Settings = Api['SettingsView']

/** What is done with a right, of what is demanded for today. */
const ACTS = { elevate: 'holding it for a time', 'be-made-eligible': 'being made eligible for it' }

/** A span of time as text; what can't be read is said and not taken in. */
function Time({
  label,
  seconds,
  onChange,
}: {
  label: string
  seconds: number | null | undefined
  onChange: (seconds: number | undefined) => void
}) {
  const [text, setText] = useState(seconds == null ? '' : span(seconds).replaceAll(' ', ''))
  const read = text ? readSpan(text) : undefined
  return (
    <Input
      label={label}
      value={text}
      placeholder="left out"
      wrong={text && read === undefined ? 'Write it like 30m or 2h.' : undefined}
      onChange={(event) => {
        setText(event.target.value)
        const next = event.target.value ? readSpan(event.target.value) : undefined
        if (!event.target.value || next !== undefined) onChange(next)
      }}
    />
  )
}

/** Names and values as text; what can't be read is said and not taken in. */
function Named({
  label,
  hint,
  named,
  onChange,
}: {
  label: string
  hint: string
  named: Record<string, string> | undefined
  onChange: (named: Record<string, string>) => void
}) {
  const [text, setText] = useState(() => writeNamed(named))
  return (
    <Input
      label={label}
      value={text}
      placeholder={hint}
      wrong={readNamed(text) ? undefined : NAMED_FORM}
      onChange={(event) => {
        setText(event.target.value)
        const next = readNamed(event.target.value)
        if (next) onChange(next)
      }}
    />
  )
}

/** How the clock may start; all of it is left out, or some of it allowed. */
function Starting({
  starts,
  onChange,
}: {
  starts: Settings['starts']
  onChange: (starts: Settings['starts']) => void
}) {
  if (!starts) {
    return (
      <Select
        label="How its time may start"
        value=""
        onChange={() => onChange({ at_yes: true, at_time_within: null, begin_within: null })}
      >
        <option value="">left out</option>
        <option value="set">as said here</option>
      </Select>
    )
  }
  return (
    <fieldset className="grid gap-2 rounded border border-line px-2.5 pt-1 pb-2.5">
      <legend className="label px-1">How its time may start</legend>
      <label className="flex items-center gap-1.5">
        <input
          type="checkbox"
          checked={starts.at_yes}
          onChange={(event) => onChange({ ...starts, at_yes: event.target.checked })}
        />{' '}
        at the yes, or at once
      </label>
      <div className="grid grid-cols-2 gap-2">
        <Time
          label="At a set time, ahead at most"
          seconds={starts.at_time_within}
          onChange={(seconds) => onChange({ ...starts, at_time_within: seconds ?? null })}
        />
        <Time
          label="When the holder begins, within"
          seconds={starts.begin_within}
          onChange={(seconds) => onChange({ ...starts, begin_within: seconds ?? null })}
        />
      </div>
      <button type="button" className="justify-self-start text-ink-3 underline" onClick={() => onChange(null)}>
        Leave it out
      </button>
    </fieldset>
  )
}

export function RuleForm({
  rule,
  roles,
  onChange,
}: {
  rule: Rule
  roles: Api['RoleView'][]
  onChange: (rule: Rule) => void
}) {
  const settings = rule.settings
  const set = (next: Partial<Settings>) => onChange({ ...rule, settings: { ...settings, ...next } })
  const pin = (name: string, on: boolean) =>
    onChange({ ...rule, pins: on ? [...rule.pins, name] : rule.pins.filter((one) => one !== name) })
  const stage = settings.approval?.is === 'stage' ? settings.approval : undefined
  const row = (name: string, field: ReactNode, isSet: boolean) => (
    <div className="grid grid-cols-[minmax(0,1fr)_4.5rem] items-end gap-3">
      {field}
      <label className="flex items-center gap-1.5 pb-2 text-ink-2">
        <input
          type="checkbox"
          disabled={!isSet}
          checked={rule.pins.includes(name)}
          onChange={(event) => pin(name, event.target.checked)}
        />{' '}
        pin
      </label>
    </div>
  )
  return (
    <div className="grid gap-3 md:grid-cols-2 md:gap-x-6">
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
      {row(
        'longest',
        <Time label="Longest" seconds={settings.longest} onChange={(longest) => set({ longest })} />,
        settings.longest != null,
      )}
      {row(
        'usual',
        <Time label="Usual" seconds={settings.usual} onChange={(usual) => set({ usual })} />,
        settings.usual != null,
      )}
      {row(
        'assurance',
        <Time label="Proof no older than" seconds={settings.assurance} onChange={(assurance) => set({ assurance })} />,
        settings.assurance != null,
      )}
      {row(
        'reason',
        <Input
          label="Letters of a reason; 0 for none needed"
          type="number"
          min={0}
          max={500}
          placeholder="left out"
          value={settings.reason?.is === 'required' ? settings.reason.at_least : settings.reason ? 0 : ''}
          onChange={(event) =>
            set({
              reason:
                event.target.value === ''
                  ? undefined
                  : Number(event.target.value) > 0
                    ? { is: 'required', at_least: Number(event.target.value) }
                    : { is: 'optional' },
            })
          }
        />,
        settings.reason != null,
      )}
      {row(
        'approval',
        <Select
          label="Approval"
          value={settings.approval?.is ?? ''}
          onChange={(event) =>
            set({
              approval:
                event.target.value === 'none'
                  ? { is: 'none' }
                  : event.target.value === 'stage'
                    ? { is: 'stage', approvers: ['administrators'], yes: 1, no: 1, within: 14400 }
                    : undefined,
            })
          }
        >
          <option value="">left out</option>
          <option value="none">nobody need be asked</option>
          <option value="stage">somebody must say yes</option>
        </Select>,
        settings.approval != null,
      )}
      {row(
        'ticket',
        <Select
          label="Ticket"
          value={settings.ticket?.is ?? ''}
          onChange={(event) =>
            set({
              ticket:
                event.target.value === 'off'
                  ? { is: 'off' }
                  : event.target.value
                    ? ({ is: event.target.value, pattern: null } as Settings['ticket'])
                    : undefined,
            })
          }
        >
          <option value="">left out</option>
          <option value="off">not asked for</option>
          <option value="optional">optional</option>
          <option value="required">required</option>
        </Select>,
        settings.ticket != null,
      )}
      {stage && (
        <>
          <Input
            label="Who answers: people, groups, or administrators"
            value={stage.approvers.join(', ')}
            onChange={(event) =>
              set({
                approval: {
                  ...stage,
                  approvers: event.target.value
                    .split(',')
                    .map((one) => one.trim())
                    .filter(Boolean),
                },
              })
            }
          />
          <div className="grid grid-cols-3 gap-3">
            <Input
              label="Yes needed"
              type="number"
              min={1}
              max={9}
              value={stage.yes}
              onChange={(event) => set({ approval: { ...stage, yes: Number(event.target.value) } })}
            />
            <Input
              label="No refuses"
              type="number"
              min={1}
              max={9}
              value={stage.no}
              onChange={(event) => set({ approval: { ...stage, no: Number(event.target.value) } })}
            />
            <Time
              label="Within"
              seconds={stage.within}
              onChange={(within) => within !== undefined && set({ approval: { ...stage, within } })}
            />
          </div>
        </>
      )}
      {settings.ticket && settings.ticket.is !== 'off' && (
        <Input
          label="Form of a ticket, as a regular expression"
          value={settings.ticket.pattern ?? ''}
          className="mono"
          placeholder="CHG-[0-9]{4,6}"
          onChange={(event) =>
            set({ ticket: { ...settings.ticket, pattern: event.target.value || null } as Settings['ticket'] })
          }
        />
      )}
      {row(
        'starts',
        <Starting starts={settings.starts} onChange={(starts) => set({ starts })} />,
        settings.starts != null,
      )}
      {row(
        'lapse',
        <Select
          label="How its end comes"
          value={settings.lapse ?? ''}
          onChange={(event) => set({ lapse: (event.target.value || undefined) as Settings['lapse'] })}
        >
          <option value="">left out</option>
          <option value="any">any right</option>
          <option value="by-itself">only what the system ends by itself</option>
        </Select>,
        settings.lapse != null,
      )}
    </div>
  )
}
