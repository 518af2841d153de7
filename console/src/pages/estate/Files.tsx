// Terms as files: taken away, compared with what stands, put as one, and undone as one.

import { useState } from 'react'
import { type Api, get, post, put } from '../../api/call'
import { Button } from '../../parts/buttons'
import { useAction, useData } from '../../parts/data'
import { Input } from '../../parts/fields'
import { download, textOf } from '../../parts/files'
import { Dialog } from '../../parts/overlay'
import { Section } from '../../parts/sections'
import { Empty, Plain, Shown, Wrong } from '../../parts/shown'
import { Instant, Who } from '../../parts/told'
import { count } from '../../words/time'
import { Touches } from './Touches'

type Plan = Api['FilingPlanView']
type Filing = Api['FilingView']
type Files = NonNullable<Parameters<typeof post<'/api/v1/terms/files/preview'>>[1]>

const BECOMES: Record<Api['Becomes'], string> = {
  new: 'new',
  changed: 'changed',
  ended: 'ends',
  filed: 'in files from now on',
  unfiled: 'in files no more',
}

/** How changes are counted. */
const COUNTED = { new: 'new', changed: 'changed', ended: 'to end' }

function Change({ one }: { one: Api['ClauseChange'] }) {
  return (
    <li className="border-t border-line py-1.5 break-words first:border-0">
      {one.kind} <span className="mono font-semibold">{one.name}</span>{' '}
      {one.rule && <span className="mono text-ink-3">{one.rule}</span>}{' '}
      <span className={one.becomes === 'ended' ? 'text-alarm' : 'text-ink-2'}>{BECOMES[one.becomes]}</span>
      {one.by_hand && (
        <span className="text-warm">
          {' '}
          (changed by hand, by <Who name={one.by_hand} />)
        </span>
      )}
      {one.becomes !== 'ended' &&
        one.says.map((said) => (
          <span key={said.setting} className="block text-ink-2">
            {said.setting !== 'says' && `${said.setting}: `}
            {said.before && <s>{said.before}</s>}
            {said.before && said.after && ' → '}
            {said.after && <strong>{said.after}</strong>}
          </span>
        ))}
    </li>
  )
}

/** What would be changed as one, and whom that touches. */
function Planned({ plan }: { plan: Plan }) {
  if (plan.changes.length === 0) return <p>Everything stands as they say: {count(plan.same, 'clause')}.</p>
  const named = (becomes: string) => becomes === 'filed' || becomes === 'unfiled'
  const says = plan.changes.filter(({ becomes }) => !named(becomes))
  const counted = (['new', 'changed', 'ended'] as const)
    .map((becomes) => [says.filter((one) => one.becomes === becomes).length, COUNTED[becomes]] as const)
    .filter(([many]) => many > 0)
    .map(([many, word]) => `${many} ${word}`)
  return (
    <div className="grid gap-2">
      {counted.length > 0 && <p className="font-medium">{counted.join(', ')}.</p>}
      {says.length > 0 && (
        <ul className="max-h-64 overflow-auto" tabIndex={0} aria-label="What changes">
          {says.map((one) => (
            <Change key={`${one.kind} ${one.name}`} one={one} />
          ))}
        </ul>
      )}
      {(['filed', 'unfiled'] as const).map((becomes) => {
        const all = plan.changes.filter((one) => one.becomes === becomes).map((one) => `${one.kind} ${one.name}`)
        return (
          all.length > 0 && (
            <p key={becomes} className="break-words text-ink-2">
              Stays as it is, and is {BECOMES[becomes]}: {all.join(', ')}.
            </p>
          )
        )
      })}
      {plan.same > 0 && <p className="text-ink-2">{count(plan.same, 'clause')} as it stands already.</p>}
      {plan.by_hand.length > 0 && (
        <p className="text-ink-2">Not in these files, and left alone: {plan.by_hand.join(', ')}.</p>
      )}
      {plan.of_other_files.length > 0 && (
        <p className="text-ink-2">Of files of another place, and left alone: {plan.of_other_files.join(', ')}.</p>
      )}
      {says.length > 0 && (
        <div className="grid gap-2 rounded bg-sunk px-3 py-2">
          <Touches touched={plan.touched} />
        </div>
      )}
    </div>
  )
}

interface CarryOutProps {
  plan: Plan
  action: ReturnType<typeof useAction<Filing, string>>
  says: string
}

/** Carries out what was looked at; not what would be refused. */
function CarryOut({ plan, action, says }: CarryOutProps) {
  return (
    <Button
      look="main"
      className="justify-self-start"
      busy={action.isPending}
      disabled={!!plan.touched.refused_because}
      onClick={() => action.mutate(plan.digest)}
    >
      {says}
    </Button>
  )
}

function Faults({ faults }: { faults: Api['FaultView'][] }) {
  return (
    <ul className="max-h-64 overflow-auto break-words text-alarm" aria-label="What is wrong">
      {faults.map(({ file, line, column, says }) => (
        <li key={`${file} ${line} ${column} ${says}`}>
          <span className="mono">
            {file}:{line}:{column}
          </span>{' '}
          <Plain text={says} />
        </li>
      ))}
    </ul>
  )
}

/** Compares files with what stands, and puts them once they were looked at. */
function Compare({ within, close }: { within: string; close: () => void }) {
  const [files, setFiles] = useState<Files>({ within, files: {} })
  const compare = useAction((files: Files) => post('/api/v1/terms/files/preview', files))
  const plan = compare.data?.plan
  const save = useAction((digest: string) => put('/api/v1/terms/files', digest, files), close)
  const read = useAction(
    async (chosen: File[]) => {
      const texts = await Promise.all(chosen.map(async (file) => [file.name, await textOf(file)] as const))
      return { within, files: Object.fromEntries(texts) }
    },
    (said) => {
      setFiles(said)
      compare.mutate(said)
    },
  )
  const choose = (chosen: File[]) => {
    compare.reset()
    if (chosen.length > 0) read.mutate(chosen)
  }
  return (
    <Dialog
      open
      wide
      onClose={close}
      title="Compare files with what stands"
      says="Nothing changes before you put them. What files had and name no more ends; what they never had stays as it is."
    >
      <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
        <Input
          label="Files of terms"
          hint="all of them at once; 256 KiB at most"
          type="file"
          multiple
          accept=".toml,application/toml"
          onChange={(event) => choose([...(event.target.files ?? [])])}
        />
        {compare.data && compare.data.faults.length > 0 && <Faults faults={compare.data.faults} />}
        {plan && <Planned plan={plan} />}
        <Wrong error={read.error ?? compare.error ?? save.error} />
        {plan && plan.changes.length > 0 && <CarryOut plan={plan} action={save} says="Put all of it" />}
      </div>
    </Dialog>
  )
}

/** Shows what undoing a filing would change, and undoes it. */
function Undo({ id, close }: { id: string; close: () => void }) {
  const plan = useData(['filing', id], ['terms'], () => get('/api/v1/terms/filings/{id}/undo', { at: { id } }))
  const undo = useAction((shown: string) => post('/api/v1/terms/filings/{id}/undo', { shown }, { id }), close)
  return (
    <Dialog
      open
      wide
      onClose={close}
      title={`Undo ${id}`}
      says="Each clause is again as it was before, all of them at once."
    >
      <div className="grid grid-cols-[minmax(0,1fr)] gap-3">
        <Shown of="what it would change" query={plan}>
          {(plan) => (
            <>
              <Planned plan={plan} />
              <Wrong error={undo.error} />
              <CarryOut plan={plan} action={undo} says="Undo all of it" />
            </>
          )}
        </Shown>
      </div>
    </Dialog>
  )
}

function Put({ one, now, undo }: { one: Filing; now: number; undo?: () => void }) {
  const may = undo && !one.undone_by && new Date(one.undo_until).getTime() > now
  return (
    <li className="flex items-start justify-between gap-3 border-b border-line px-3.5 py-2 last:border-0">
      <p className="min-w-0 break-words">
        <span className="mono font-semibold">{one.id}</span> <Instant at={one.at} /> by{' '}
        {one.by ? <Who name={one.by} /> : 'the machine'}: {one.set} set, {one.ended} ended
        {one.undoes && `, which undid ${one.undoes}`}
        {one.undone_by && <span className="text-ink-2">; undone by {one.undone_by}</span>}
        <span className="block text-ink-2">{one.clauses.join(', ')}</span>
      </p>
      {may && (
        <Button look="quiet" onClick={undo}>
          Undo
        </Button>
      )}
    </li>
  )
}

/** Terms of a place as files; `may` where the reader administers it. */
export function TermsFiles({ path, may }: { path: string; may: boolean }) {
  const all = useData(['filings'], ['terms'], () => get('/api/v1/terms/filings'))
  const [comparing, setComparing] = useState(false)
  const [undoing, setUndoing] = useState<string>()
  const take = useAction(
    () => get('/api/v1/terms/files', { query: { within: path } }),
    ({ files }) => {
      const texts = Object.entries(files).map(([name, lines]) => `# ${name}\n${lines.join('\n')}\n`)
      download('terms.toml', 'application/toml', texts.join('\n'))
    },
  )
  const [opened] = useState(() => Date.now())
  return (
    <Section
      title="Terms as files"
      aside={
        <>
          <Button look="quiet" busy={take.isPending} onClick={() => take.mutate()}>
            Take them away
          </Button>
          {may && (
            <Button look="quiet" onClick={() => setComparing(true)}>
              Compare files
            </Button>
          )}
        </>
      }
    >
      <Wrong error={take.error} />
      <Shown of="filings" query={all} lines={2}>
        {(all) => {
          const here = all.filter((one) => one.within === path)
          return here.length === 0 ? (
            <Empty>Nothing was put here from files within 30 days.</Empty>
          ) : (
            <ul aria-label="Filings">
              {here.map((one) => (
                <Put key={one.id} one={one} now={opened} undo={may ? () => setUndoing(one.id) : undefined} />
              ))}
            </ul>
          )
        }}
      </Shown>
      {comparing && <Compare within={path} close={() => setComparing(false)} />}
      {undoing && <Undo id={undoing} close={() => setUndoing(undefined)} />}
    </Section>
  )
}
