// The SSH certificate authorities: which hosts trust them, and one pair following another.

import { useState } from 'react'
import { type Api, get, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Section } from '../../parts/sections'
import { Shown, Wrong } from '../../parts/shown'
import { useAction, useData } from '../../parts/data'

type View = Api['AuthoritiesView']

const STEPS: Record<View['stage'], { does: string; means: string }> = {
  steady: { does: 'Announce a next pair', means: 'Hosts are told to trust both; the present pair signs on.' },
  announced: { does: 'Switch to it', means: 'The new pair signs; hosts trust the past one still.' },
  switched: {
    does: 'Withdraw the past pair',
    means: 'Who holds a certificate of it fetches another; hosts trust the new pair alone.',
  },
}

function Body({ view }: { view: View }) {
  const [leave, setLeave] = useState(false)
  const step = useAction(
    () => post('/api/v1/authorities/step', { from: view.stage, leave_behind: leave }),
    () => setLeave(false),
  )
  const behind = view.hosts.filter((host) => !host.told)
  return (
    <div className="grid gap-2 px-3.5 py-3">
      <p>
        For SSH, {view.says}.{' '}
        {behind.length > 0
          ? `Not told of these yet: ${behind.map((host) => host.path).join(', ')}.`
          : view.hosts.length > 0 && 'Every host was told of these.'}
      </p>
      {behind.map(
        (host) => host.trouble && <Wrong key={host.path} error={new Error(`${host.path}: ${host.trouble}`)} />,
      )}
      <p className="mono break-words text-ink-3">people {view.people.join(', ')}</p>
      <p className="mono break-words text-ink-3">orders {view.orders.join(', ')}</p>
      <div className="flex flex-wrap items-center gap-3">
        <Button busy={step.isPending} onClick={() => step.mutate()}>
          {STEPS[view.stage].does}
        </Button>
        <span className="text-ink-2">{STEPS[view.stage].means}</span>
        {behind.length > 0 && view.stage !== 'steady' && (
          <label className="flex items-center gap-1.5 text-ink-2">
            <input type="checkbox" checked={leave} onChange={(event) => setLeave(event.target.checked)} /> leave those
            behind; they are enrolled anew
          </label>
        )}
      </div>
      <Wrong error={step.error} />
    </div>
  )
}

/** The SSH authorities, and the next step of changing them. */
export function Authorities() {
  const view = useData(['authorities'], ['estate', 'elevations'], () => get('/api/v1/authorities'))
  if (view.data?.hosts.length === 0) return null
  return (
    <Section title="SSH authorities">
      <Shown of="the authorities" query={view} lines={3}>
        {(view) => <Body view={view} />}
      </Shown>
    </Section>
  )
}
