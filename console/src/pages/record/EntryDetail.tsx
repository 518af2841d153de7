// One entry: all it says, and its proof.

import { useState } from 'react'
import { type Api, get } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Section } from '../../parts/sections'
import { Wrong } from '../../parts/shown'
import { Instant, Reference, Who } from '../../parts/told'
import { Said } from '../../parts/Said'
import { check } from './proof'
import { useAction } from '../../parts/data'

/** Who did what, when, from where and to which elevation. */
function Says({ entry }: { entry: Api['LedgerEntry'] }) {
  const what = entry.what as Record<string, unknown>
  const elevation = typeof what.elevation === 'number' ? `E${what.elevation}` : undefined
  return (
    <>
      <p className="text-[1.07rem]">
        <Who name={entry.who} className="font-medium" /> <Said words={entry.words} />
      </p>
      <p className="text-ink-2">
        <Instant at={entry.at} />
        {entry.from ? `, from ${entry.from}` : ''}
        {elevation && (
          <>
            , about <Reference id={elevation} />
          </>
        )}
      </p>
    </>
  )
}

function Bytes({ label, className, bytes }: { label: string; className: string; bytes: string }) {
  return (
    <pre
      tabIndex={0}
      aria-label={label}
      className={`mono overflow-auto rounded bg-sunk p-2 text-[0.86rem] break-all whitespace-pre-wrap ${className}`}
    >
      {bytes}
    </pre>
  )
}

/** An entry of the record, and its proof, checked here. */
export function EntryDetail({ n, entry }: { n: string; entry: Api['LedgerEntry'] | undefined }) {
  const [raw, setRaw] = useState(false)
  const prove = useAction(async () => {
    const proof = await get('/api/v1/ledger/{n}/proof', { at: { n } })
    return { proof, ...(await check(proof)) }
  })
  const proven = prove.data && String(prove.data.proof.n) === n ? prove.data : undefined
  return (
    <Section title={<span className="mono">Entry {n}</span>}>
      <div className="grid gap-3 px-3.5 py-3">
        {entry ? <Says entry={entry} /> : <p className="text-ink-2">It is not among the entries shown here.</p>}
        <div className="flex flex-wrap gap-2">
          <Button busy={prove.isPending} onClick={() => prove.mutate()}>
            Check its proof here
          </Button>
          {proven && (
            <Button look="quiet" onClick={() => setRaw(!raw)} aria-expanded={raw}>
              {raw ? 'Hide the bytes' : 'The exact bytes'}
            </Button>
          )}
        </div>
        <Wrong error={prove.error} />
        {proven && (
          <p role="status" className={`rise border-l-4 pl-3 ${proven.holds ? 'border-sure' : 'border-alarm'}`}>
            {proven.holds ? '✓ ' : '✗ '}
            {proven.says}
          </p>
        )}
        {proven && raw && (
          <>
            <Bytes label="The exact bytes" className="max-h-64" bytes={proven.proof.fact} />
            <Bytes label="The signed checkpoint" className="max-h-40" bytes={proven.proof.checkpoint} />
          </>
        )}
      </div>
    </Section>
  )
}
