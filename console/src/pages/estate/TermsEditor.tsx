// Rules of terms at a scope and above it; edited in place, with a preview of whom a change touches.

import { Pin } from 'lucide-react'
import { useState } from 'react'
import { type Api, get, post, put, remove } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant, Who } from '../../parts/told'
import { useAction, useData } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { writeNamed } from '../../words/named'
import { RuleForm } from './RuleForm'
import { ACT, Touches } from './Touches'
import { wholeSettings } from './settings/list'

type Rule = Api['TermsView']
type NewRule = Api['NewTerms']
type WholeRule = Parameters<typeof put<'/api/v1/terms/{id}'>>[2]

/** A rule as it is, to begin a change with. */
const asItIs = ({
  id: _id,
  digest: _digest,
  set_by: _by,
  suspended: _suspended,
  dormant: _dormant,
  says: _says,
  in_files: _files,
  ...rule
}: Rule): NewRule => rule

/** A rule with everything that it leaves out named, as what takes the place of another must be. */
const whole = (rule: NewRule): WholeRule => ({
  scope: rule.scope,
  act: rule.act ?? 'elevate',
  role: rule.role ?? null,
  weight: rule.weight ?? null,
  asker: rule.asker ?? null,
  labels: rule.labels ?? {},
  attributes: rule.attributes ?? {},
  settings: wholeSettings(rule.settings),
  pins: rule.pins ?? [],
  valid_from: rule.valid_from ?? null,
  valid_until: rule.valid_until ?? null,
})

const covers = (rule: string, path: string) => rule === '/' || path === rule || path.startsWith(`${rule}/`)

function Touched({ trial, setSure }: { trial: Api['TermsTrial']; setSure: (sure: boolean) => void }) {
  const touched = useData(['trial', JSON.stringify(trial)], ['terms', 'people'], () =>
    post('/api/v1/terms/preview', trial),
  )
  return (
    <Shown of="whom it touches" query={touched}>
      {(touched) => (
        <div className="grid gap-2 rounded bg-sunk px-3 py-2">
          <Touches touched={touched} />
          <label className="flex items-center gap-2">
            <input type="checkbox" onChange={(event) => setSure(event.target.checked)} /> I have looked at whom it
            touches
          </label>
        </div>
      )}
    </Shown>
  )
}

/** That what is changed here is not changed in the files. */
function InFiles({ name }: { name: string }) {
  return (
    <p className="rounded bg-warm-soft px-3 py-2 text-warm">
      Files have this rule, as <span className="mono">{name}</span>. What is changed here is put back with the next
      filing, unless it is changed there as well.
    </p>
  )
}

/** What comes before anything is changed: looking at whom it touches. */
function Look({ isThere, onLook }: { isThere: boolean; onLook: (end: boolean) => void }) {
  return (
    <>
      <Button look="main" onClick={() => onLook(false)}>
        Show whom it touches
      </Button>
      {isThere && (
        <Button look="alarm" onClick={() => onLook(true)}>
          End this rule
        </Button>
      )}
    </>
  )
}

interface EditProps {
  rule?: Rule
  start: NewRule
  roles: Api['RoleView'][]
  onClose: () => void
}

/** Changes, adds or ends a rule, once it was looked at whom that touches. */
function Edit({ rule, start, roles, onClose }: EditProps) {
  const [draft, setDraft] = useState<NewRule>(start)
  const [looking, setLooking] = useState<Api['TermsTrial']>()
  const [sure, setSure] = useState(false)
  const [ending, setEnding] = useState(false)
  const save = useAction(async () => {
    if (ending && rule) await remove('/api/v1/terms/{id}', { id: rule.id })
    else if (rule) await put('/api/v1/terms/{id}', rule.digest, whole(draft), { id: rule.id })
    else await post('/api/v1/terms', draft)
  }, onClose)
  const change = (next: NewRule) => {
    setDraft(next)
    setLooking(undefined)
    setSure(false)
    setEnding(false)
  }
  const look = (end: boolean) => {
    setEnding(end)
    setSure(false)
    setLooking(end ? { replaces: rule?.id } : { replaces: rule?.id, rule: draft })
  }
  return (
    <Dialog
      open
      onClose={onClose}
      wide
      title={rule ? `Change ${rule.id}` : 'A new rule of terms'}
      says={`At ${start.scope === '/' ? 'everything' : start.scope} and below. What is left out is decided by other rules.`}
    >
      <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
        <RuleForm rule={draft} roles={roles} onChange={change} />
        {rule?.in_files && <InFiles name={rule.in_files} />}
        {looking && <Touched trial={looking} setSure={setSure} />}
        <Wrong error={save.error} />
        <div className="flex flex-wrap gap-2">
          {looking ? (
            <Button
              look={ending ? 'alarm' : 'main'}
              disabled={!sure}
              busy={save.isPending}
              onClick={() => save.mutate()}
            >
              {ending ? 'End it' : rule ? 'Change it' : 'Set it'}
            </Button>
          ) : (
            <Look isThere={!!rule} onLook={look} />
          )}
        </div>
      </div>
    </Dialog>
  )
}

/** For what a rule holds, in words: `Here, to go on, role root, critical roles, asked by tomas.reyes`. */
function HoldsFor({ rule, path }: { rule: Rule; path: string }) {
  const [labels, attributes] = [writeNamed(rule.labels), writeNamed(rule.attributes)]
  return (
    <p className="font-medium">
      {rule.scope === path ? 'Here' : `From ${rule.scope === '/' ? 'everything' : rule.scope}`}
      {ACT[rule.act] && `, ${ACT[rule.act]}`}
      {rule.role && (
        <>
          , role <span className="mono">{rule.role}</span>
        </>
      )}
      {rule.weight && `, ${rule.weight} roles`}
      {labels && (
        <>
          , on systems labelled <span className="mono">{labels}</span>
        </>
      )}
      {attributes && (
        <>
          , on systems that call themselves <span className="mono">{attributes}</span> (only tightens)
        </>
      )}
      {rule.asker && (
        <>
          , asked by <Who name={rule.asker} />
        </>
      )}{' '}
      <span className="mono text-ink-3">{rule.id}</span>
      {rule.in_files && <span className="font-normal text-ink-2"> in files, as {rule.in_files}</span>}
    </p>
  )
}

const DORMANT: Record<NonNullable<Rule['dormant']>, string> = {
  'not-yet': 'Not valid yet.',
  over: 'Valid no more.',
}

/** While a rule is valid, where it isn't always, and whether it is suspended. */
function Validity({ rule: { valid_from: from, valid_until: until, dormant, suspended } }: { rule: Rule }) {
  if (!from && !until && !suspended) return null
  return (
    <p className={dormant || suspended ? 'text-warm' : 'text-ink-2'}>
      {dormant && `${DORMANT[dormant]} `}
      {(from || until) && 'Valid '}
      {from && (
        <>
          from <Instant at={from} />{' '}
        </>
      )}
      {until && (
        <>
          until <Instant at={until} />
        </>
      )}
      {suspended && (
        <>
          {' '}
          Suspended since <Instant at={suspended.at} />: {suspended.reason}
        </>
      )}
    </p>
  )
}

/** The settings of a rule, as the service puts them, with what is pinned. */
function Demands({ rule }: { rule: Rule }) {
  return (
    <p className="text-ink-2">
      {rule.says.map(({ setting, words }, n) => (
        <span key={setting}>
          {n > 0 && '; '}
          <span className="text-ink-3">{setting}</span> {words}
          {rule.pins.includes(setting) && (
            <Pin size={12} className="ml-0.5 inline text-sea" aria-label="pinned: below it may only be stricter" />
          )}
        </span>
      ))}
    </p>
  )
}

function Rules({ rules, path, onEdit }: { rules: Rule[]; path: string; onEdit?: (rule: Rule) => void }) {
  if (rules.length === 0)
    return <Empty>No rule is set here or above: the house’s defaults hold, with one yes from an administrator.</Empty>
  return (
    <ul>
      {rules.map((rule) => (
        <li
          key={rule.id}
          className="flex items-start justify-between gap-3 border-b border-line px-3.5 py-2 last:border-0"
        >
          <div className="min-w-0">
            <HoldsFor rule={rule} path={path} />
            <Validity rule={rule} />
            <Demands rule={rule} />
          </div>
          {onEdit && rule.scope === path && (
            <Button look="quiet" onClick={() => onEdit(rule)}>
              Change
            </Button>
          )}
        </li>
      ))}
    </ul>
  )
}

/** The rules at a scope and above, to be read and changed. */
export function TermsEditor({ path, roles, may }: { path: string; roles: Api['RoleView'][]; may: boolean }) {
  const terms = useData(['terms'], ['terms'], () => get('/api/v1/terms'))
  const [edit, setEdit] = useState<{ rule?: Rule; start: NewRule }>()
  const fresh: NewRule = whole({ scope: path, settings: {} as NewRule['settings'] } as NewRule)
  const begin = (rule: Rule) => setEdit({ rule, start: asItIs(rule) })
  const here = (all: Rule[]) =>
    all.filter((rule) => covers(rule.scope, path)).sort((a, b) => a.scope.length - b.scope.length)
  return (
    <Section
      title="Rules of terms"
      aside={
        may && (
          <Button look="quiet" onClick={() => setEdit({ start: fresh })}>
            Add a rule here
          </Button>
        )
      }
    >
      <Shown of="terms" query={terms} lines={3}>
        {(all) => <Rules rules={here(all.terms)} path={path} onEdit={may ? begin : undefined} />}
      </Shown>
      {edit && <Edit {...edit} roles={roles} onClose={() => setEdit(undefined)} />}
    </Section>
  )
}
