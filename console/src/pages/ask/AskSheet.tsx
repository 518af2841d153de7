// The sheet of one ask. Its first line is the whole demand; what follows is what the person gives.

import { X } from 'lucide-react'
import { type FormEvent, useState } from 'react'
import { useNavigate } from 'react-router'
import { type Api, post } from '../../api/call'
import { Button, Input, Right, Select, Shown, TextArea, Wrong } from '../../parts/basics'
import { useAct, useData, useNow } from '../../parts/data'
import { useMe } from '../../parts/me'
import { list, local, span } from '../../words/time'
import { Course } from './Course'
import { TimeSlider } from './TimeSlider'

type Start = 'at-yes' | 'at' | 'on-begin'

export function AskSheet({ right: chosen, last, onClose }: { right: string; last: Api['ElevationView'] | undefined; onClose: () => void }) {
  const navigate = useNavigate()
  const now = useNow()
  const me = useMe()
  const [scope, setScope] = useState(chosen.split('@')[1] ?? '')
  const [seconds, setSeconds] = useState<number>()
  const [start, setStart] = useState<Start>('at-yes')
  const [at, setAt] = useState(() => local(new Date(now.getTime() + 3600_000)))
  const [reason, setReason] = useState('')
  const [ticket, setTicket] = useState('')
  const right = `${chosen.split('@')[0]}@${scope}`
  const choice: Api['StartChoice'] = start === 'at' ? { start: 'at', time: new Date(at).toISOString() } : start === 'on-begin' ? { start: 'on-begin' } : { start: 'at-yes' }
  const wide = useData(['demand', chosen], ['terms', 'people', 'stops', 'estate'], () => post('/api/v1/asks/preview', { right: chosen, duration: null, start: { start: 'at-yes' } }))
  const demand = useData(
    ['demand', right, seconds, JSON.stringify(choice)],
    ['terms', 'people', 'stops', 'estate'],
    () => post('/api/v1/asks/preview', { right, duration: seconds ?? null, start: choice }),
    { keep: true },
  )
  const ask = useAct(
    (shown: string) => post('/api/v1/asks', { right, duration: seconds ?? null, start: choice, reason: reason || null, ticket: ticket || null, shown }),
    (asked) => void navigate(`/elevation/${asked.id}`),
  )
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (demand.data) ask.mutate(demand.data.digest)
  }
  const asLastTime = () => {
    if (!last) return
    setSeconds(last.duration)
    setReason(last.reason ?? '')
    setTicket(last.ticket ?? '')
  }
  return (
    <section aria-label={`Ask for ${chosen}`} className="rise rounded-md border border-line bg-sheet">
      <header className="flex items-start justify-between gap-3 border-b border-line px-3.5 py-2.5">
        <h2 className="text-[1.07rem]">
          <Right right={right} />
        </h2>
        <Button look="quiet" onClick={onClose} aria-label="Close">
          <X size={16} />
        </Button>
      </header>
      <Shown of="what it demands" query={demand}>
        {(demand) => {
          const starts: [Start, string][] = []
          if (demand.starts.at_yes) starts.push(['at-yes', demand.approvers.length ? 'at the last yes' : 'at once'])
          if (demand.starts.at_time_within != null) starts.push(['at', 'at a set time'])
          if (demand.starts.begin_within != null) starts.push(['on-begin', 'when I begin'])
          const from = start === 'at' ? new Date(at) : now
          const missing = [
            reason.trim().length < demand.reason_at_least && (reason ? `a reason of ${demand.reason_at_least} letters (${reason.trim().length} so far)` : 'a reason'),
            demand.ticket_required && !ticket && 'a ticket',
          ].filter((one) => one !== false)
          return (
            <form onSubmit={submit} className="grid gap-4 p-3.5">
              <p className="text-[1.07rem] leading-relaxed">{demand.sentence}</p>
              {(wide.data?.narrower.length ?? 0) > 0 && (
                <Select label="Where; ask for less if that will do" value={scope} onChange={(event) => setScope(event.target.value)}>
                  {[chosen.split('@')[1] ?? '', ...(wide.data?.narrower ?? [])].map((path) => (
                    <option key={path} value={path}>
                      {path}
                    </option>
                  ))}
                </Select>
              )}
              <TimeSlider seconds={seconds ?? demand.duration} longest={demand.longest} from={from} now={now} onChange={setSeconds} open={start === 'on-begin' || demand.approvers.length > 0} />
              <div className="grid gap-3 sm:grid-cols-2">
                <Select label="The time runs" value={start} onChange={(event) => setStart(event.target.value as Start)}>
                  {starts.map(([value, says]) => (
                    <option key={value} value={value}>
                      {says}
                    </option>
                  ))}
                </Select>
                {start === 'at' && <Input label="From" type="datetime-local" value={at} onChange={(event) => event.target.value && setAt(event.target.value)} />}
              </div>
              {demand.reason_at_least > 0 || !demand.reason_required ? (
                <TextArea label={demand.reason_required ? 'Reason' : 'Reason, if you like'} value={reason} onChange={(event) => setReason(event.target.value)} placeholder="What are you going to do?" maxLength={2000} />
              ) : null}
              {(demand.ticket_required || demand.ticket_pattern) && (
                <Input label={demand.ticket_required ? 'Ticket' : 'Ticket, if you have one'} value={ticket} onChange={(event) => setTicket(event.target.value)} hint={demand.ticket_pattern && `of the form ${demand.ticket_pattern}`} className="mono" />
              )}
              <Course demand={demand} start={start} from={from} now={now} />
              <Wrong error={ask.error} />
              <div className="flex flex-wrap items-center gap-3">
                <Button type="submit" look="main" busy={ask.isPending} disabled={missing.length > 0}>
                  Ask for {span(seconds ?? demand.duration)}
                </Button>
                {last && (
                  <Button look="quiet" onClick={asLastTime} title={`${last.id}: ${last.reason ?? ''}`}>
                    As last time
                  </Button>
                )}
                <span className="text-ink-3">
                  {missing.length > 0
                    ? `Still needs ${list(missing)}.`
                    : me.data && !fresh(me.data.proven_at, demand.proof_within, now)
                      ? 'You will be asked for a fresh proof.'
                      : ''}
                </span>
              </div>
            </form>
          )
        }}
      </Shown>
    </section>
  )
}

function fresh(provenAt: string | null | undefined, within: number, now: Date): boolean {
  return provenAt != null && new Date(provenAt).getTime() + within * 1000 > now.getTime()
}

