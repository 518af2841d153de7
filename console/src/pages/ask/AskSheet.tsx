// The sheet of one ask. Its first line is the whole demand; what follows is what the person gives.

import { X } from 'lucide-react'
import { type FormEvent, useState } from 'react'
import { useNavigate } from 'react-router'
import { type Api, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { missing, NOTHING, Reason, References, wanted } from '../../parts/Brings'
import { Input, Select } from '../../parts/fields'
import { Words } from '../../parts/Said'
import { Shown, Wrong } from '../../parts/shown'
import { Right } from '../../parts/told'
import { useAction, useData, useNow } from '../../parts/data'
import { useMe } from '../../parts/me'
import { opened } from '../../words/sentence'
import { anyOf } from '../../words/proofs'
import { list, local, span } from '../../words/time'
import { Course } from './Course'
import { TimeSlider } from './TimeSlider'

type Start = Api['StartChoice']['start']

/** The ways to start that the terms allow, the one first that holds where nobody chooses. */
function waysToStart({ starts, stages }: Api['DemandView']): [Start, string][] {
  const ways: [Start, string][] = []
  if (starts.at_yes) ways.push(['at-yes', stages.length ? 'at the last yes' : 'at once'])
  if (starts.begin_within != null) ways.push(['on-begin', 'when I begin'])
  if (starts.at_time_within != null) ways.push(['at', 'at a set time'])
  return ways
}

/** What the person gives, and what the terms say to it. */
function useAsk(chosen: string) {
  const navigate = useNavigate()
  const now = useNow()
  const [scope, setScope] = useState(chosen.split('@')[1] ?? '')
  const [seconds, setSeconds] = useState<number>()
  const [picked, setPicked] = useState<Start>()
  const [at, setAt] = useState(() => local(new Date(now.getTime() + 3600_000)))
  const [given, setGiven] = useState(NOTHING)
  const [glass, setGlass] = useState(false)
  const right = `${chosen.split('@')[0]}@${scope}`
  const wide = useData(['demand', chosen, glass], ['terms', 'people', 'stops', 'estate'], () =>
    post('/api/v1/asks/preview', { right: chosen, duration: null, start: null, glass }),
  )
  // Whoever breaks the glass holds it at once.
  const start = glass ? 'at-yes' : (picked ?? (wide.data ? waysToStart(wide.data)[0]?.[0] : undefined))
  const choice: Api['StartChoice'] | null =
    start === 'at' ? { start, time: new Date(at).toISOString() } : start ? { start } : null
  const demand = useData(
    ['demand', right, seconds, glass, JSON.stringify(choice)],
    ['terms', 'people', 'stops', 'estate'],
    () => post('/api/v1/asks/preview', { right, duration: seconds ?? null, start: choice, glass }),
    { keep: true },
  )
  const ask = useAction(
    ({ digest, wants }: Api['DemandView']) =>
      post('/api/v1/asks', {
        right,
        duration: seconds ?? null,
        start: choice,
        glass,
        brings: wanted(wants, given),
        shown: digest,
      }),
    (asked) => void navigate(`/elevation/${asked.id}`),
  )
  const chose = { scope, seconds, start, at, given, glass }
  const choose = { setScope, setSeconds, setStart: setPicked, setAt, setGiven, setGlass }
  return { ...chose, ...choose, right, choice, now, demand, ask, narrower: wide.data?.narrower ?? [] }
}

type Asking = ReturnType<typeof useAsk>
type Demanded = { asking: Asking; demand: Api['DemandView'] }

function Where({ asking, chosen }: { asking: Asking; chosen: string }) {
  if (asking.narrower.length === 0) return null
  return (
    <Select
      label="Where; ask for less if that will do"
      value={asking.scope}
      onChange={(event) => asking.setScope(event.target.value)}
    >
      {[chosen.split('@')[1] ?? '', ...asking.narrower].map((path) => (
        <option key={path} value={path}>
          {path}
        </option>
      ))}
    </Select>
  )
}

function StartAndReferences({ asking, demand }: Demanded) {
  return (
    <div className="grid gap-3 sm:grid-cols-2">
      <Select
        label="The time runs"
        value={asking.start}
        onChange={(event) => asking.setStart(event.target.value as Start)}
      >
        {waysToStart(demand).map(([value, says]) => (
          <option key={value} value={value}>
            {says}
          </option>
        ))}
      </Select>
      {asking.start === 'at' && (
        <Input
          label="From"
          type="datetime-local"
          value={asking.at}
          onChange={(event) => event.target.value && asking.setAt(event.target.value)}
        />
      )}
      <References wants={demand.wants} given={asking.given} set={asking.setGiven} />
    </div>
  )
}

/** Sending it: what is still missing, and what will be asked for then. */
function Send({ asking, demand, last }: Demanded & { last?: Api['ElevationView'] }) {
  const me = useMe()
  const still = missing(demand.wants, asking.given)
  const asLastTime = () => {
    if (!last) return
    const path = last.right.split('@')[1] ?? ''
    asking.setSeconds(last.duration)
    asking.setGiven(last.brought)
    // What an approver left of it then is what is asked for now.
    if (asking.narrower.includes(path)) asking.setScope(path)
    // A time that was set then is past.
    if (last.start.start !== 'at' && waysToStart(demand).some(([way]) => way === last.start.start))
      asking.setStart(last.start.start)
  }
  const proof = me.data?.proof
  const accepted = demand.proof_accepts.length === 0 || (proof && demand.proof_accepts.includes(proof.method))
  const proofComes = me.data && !(accepted && fresh(proof?.at, demand.proof_within, asking.now))
  const prove = demand.proof_accepts.length === 0 ? 'a fresh proof' : anyOf(demand.proof_accepts)
  return (
    <footer className="sticky bottom-14 grid gap-2 rounded-b-md border-t border-line bg-sheet px-3.5 py-2.5 md:bottom-0">
      <Wrong error={asking.ask.error} />
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <Button
          type="submit"
          look={demand.glass ? 'alarm' : 'main'}
          busy={asking.ask.isPending}
          disabled={still.length > 0 || !asking.choice || demand.glass !== asking.glass}
        >
          {demand.glass ? 'Break the glass for' : 'Ask for'} {span(asking.seconds ?? demand.duration)}
        </Button>
        {last && (
          <Button look="quiet" onClick={asLastTime} title={`${last.id}: ${last.brought.reason ?? ''}`}>
            As last time
          </Button>
        )}
        <span className="text-ink-3">
          {still.length > 0 ? `Still needs ${list(still)}.` : proofComes ? `You will be asked for ${prove}.` : ''}
        </span>
      </div>
    </footer>
  )
}

function AskForm({ asking, demand, chosen, last }: Demanded & { chosen: string; last?: Api['ElevationView'] }) {
  const from = asking.start === 'at' ? new Date(asking.at) : asking.now
  const submit = (event: FormEvent) => {
    event.preventDefault()
    asking.ask.mutate(demand)
  }
  return (
    <form onSubmit={submit} className="flex min-h-0 flex-col">
      <div className="grid min-h-0 gap-3 px-3.5 pt-3 pb-3.5 lg:overflow-y-auto">
        <p>
          <span className="text-ink-3">{opened(demand.says)}.</span> <Words text={demand.sentence} />
        </p>
        <Where asking={asking} chosen={chosen} />
        <TimeSlider
          seconds={asking.seconds ?? demand.duration}
          longest={demand.longest}
          from={from}
          now={asking.now}
          onChange={asking.setSeconds}
          open={asking.start === 'on-begin' || demand.stages.length > 0}
        />
        <StartAndReferences asking={asking} demand={demand} />
        <Reason wants={demand.wants} given={asking.given} set={asking.setGiven} question="What are you going to do?" />
        <Course demand={demand} start={asking.start ?? 'at-yes'} from={from} now={asking.now} />
      </div>
      <Send asking={asking} demand={demand} last={last} />
    </form>
  )
}

/** For one of the few: going past approval, and back to asking. */
function Glass({ asking }: { asking: Asking }) {
  const { glass, setGlass } = asking
  return (
    <div
      className={`flex flex-wrap items-center justify-between gap-x-3 gap-y-1 border-b border-line px-3.5 py-2 ${glass ? 'bg-alarm-soft' : ''}`}
    >
      <span className={glass ? '' : 'text-ink-3'}>
        {glass
          ? 'You hold it at once, with nobody asked. It is an alarm, and somebody else looks at what you did.'
          : 'If nobody can be waited for, you may go past approval.'}
      </span>
      <Button look={glass ? 'plain' : 'quiet'} onClick={() => setGlass(!glass)}>
        {glass ? 'Ask instead' : 'Break the glass …'}
      </Button>
    </div>
  )
}

interface AskSheetProps {
  right: string
  /** The last ask for it, to ask the same again. */
  last: Api['ElevationView'] | undefined
  /** Whether the reader is one of the few who may go past approval. */
  mayBreakGlass?: boolean
  onClose: () => void
}

/** The sheet of one ask. */
export function AskSheet({ right: chosen, last, mayBreakGlass, onClose }: AskSheetProps) {
  const asking = useAsk(chosen)
  return (
    <section
      aria-label={`Ask for ${chosen}`}
      className="rise flex flex-col rounded-md border border-line bg-sheet lg:sticky lg:top-16 lg:max-h-[calc(100dvh-5rem)]"
    >
      <header className="flex items-start justify-between gap-3 border-b border-line px-3.5 py-2.5">
        <h2 className="text-[1.07rem]">
          <Right right={asking.right} />
        </h2>
        <Button look="quiet" onClick={onClose} aria-label="Close">
          <X size={16} />
        </Button>
      </header>
      {mayBreakGlass && <Glass asking={asking} />}
      <Shown of="what it demands" query={asking.demand}>
        {(demand) => <AskForm asking={asking} demand={demand} chosen={chosen} last={last} />}
      </Shown>
    </section>
  )
}

function fresh(provenAt: string | null | undefined, within: number, now: Date): boolean {
  return provenAt != null && new Date(provenAt).getTime() + within * 1000 > now.getTime()
}
