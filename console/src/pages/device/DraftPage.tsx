// A draft: what a program would have done, in words, to be confirmed as it stands or dropped.

import { useNavigate, useParams } from 'react-router'
import { type Api, get, post } from '../../api/call'
import { Copyable } from '../../parts/Copyable'
import { Button } from '../../parts/buttons'
import { Section, Sentence } from '../../parts/sections'
import { Shown, Wrong } from '../../parts/shown'
import { Instant, Right } from '../../parts/told'
import { useAction, useData } from '../../parts/data'
import { span } from '../../words/time'

type Draft = Api['DraftView']
type Body = Record<string, unknown>

const ACTS: Record<string, string> = {
  answer: 'answer',
  withdraw: 'withdraw',
  begin: 'begin',
  'give-back': 'give back',
  revoke: 'revoke',
}

function Words({ draft }: { draft: Draft }) {
  const body = (draft.body ?? {}) as Body
  const [, , , kind, id, act] = draft.path.split('/')
  const said = kind === 'asks' || act === 'extend' ? ((body.brings ?? {}) as Body) : body
  const reason = typeof said.reason === 'string' ? said.reason : undefined
  if (kind === 'asks') {
    return (
      <p>
        {body.glass === true ? (
          <>
            <strong className="text-alarm">Break the glass</strong> and hold
          </>
        ) : (
          'Ask for'
        )}{' '}
        <Right right={String(body.right)} />{' '}
        {typeof body.duration === 'number' ? `for ${span(body.duration)}` : 'for the usual time'}
        {reason && <>: “{reason}”</>}.
      </p>
    )
  }
  if (kind === 'elevations') {
    return (
      <p>
        {act === 'answer' ? (
          <>
            Answer <strong>{String(body.verdict)}</strong> to {id}
          </>
        ) : act === 'debrief' ? (
          <>
            Sign off what was done under {id} as <strong>{String(body.finding).replaceAll('-', ' ')}</strong>
          </>
        ) : (
          <>
            {(ACTS[act ?? ''] ?? act ?? '').replace(/^./, (letter) => letter.toUpperCase())} {id}
          </>
        )}
        {(reason || typeof body.word === 'string') && <>: “{reason ?? String(body.word)}”</>}.
      </p>
    )
  }
  if (kind === 'stops')
    return (
      <p>
        {act === 'lift'
          ? `Lift the stop ${id}.`
          : `Stop ${String(body.person ?? (body.scope === '/' ? 'everything' : body.scope))}: “${String(body.word)}”.`}
      </p>
    )
  if (kind === 'conversions') return <p>Convert {Array.isArray(body.chosen) ? body.chosen.join(', ') : ''}.</p>
  return (
    <p className="mono break-words">
      {draft.method} {draft.path.replace('/api/v1', '')}
    </p>
  )
}

/** What was drafted to the last letter, where no sentence says all of it. */
function Letters({ draft }: { draft: Draft }) {
  return (
    <Copyable
      block
      label="As it was sent"
      text={`${draft.method} ${draft.path}\n${JSON.stringify(draft.body, null, 2)}`}
    />
  )
}

function About({ draft }: { draft: Draft }) {
  const id = /elevations\/([^/]+)\//.exec(draft.path)?.[1]
  const one = useData(
    ['elevation', id],
    ['elevations'],
    () => get('/api/v1/elevations/{id}', { at: { id: id ?? '' } }),
    { enabled: !!id },
  )
  const body = draft.body as Body | null
  const right = draft.path.endsWith('/asks') ? String(body?.right) : undefined
  const demand = useData(
    ['demand', right, 'draft', body?.glass],
    ['terms'],
    () =>
      post('/api/v1/asks/preview', {
        right: right ?? '',
        duration: (body?.duration as number | null) ?? null,
        start: (body?.start as Api['StartChoice']) ?? { start: 'at-yes' },
        glass: body?.glass === true,
      }),
    { enabled: !!right },
  )
  if (one.data) {
    return (
      <p className="text-ink-2">
        {one.data.id} is {one.data.who}’s <Right right={one.data.right} /> for {span(one.data.duration)};{' '}
        {one.data.sentence}.
      </p>
    )
  }
  return demand.data ? <p className="text-ink-2">{demand.data.sentence}</p> : null
}

/** What a program drafted: confirmed by its person, or thrown away. */
export default function DraftPage() {
  const { id = '' } = useParams()
  const navigate = useNavigate()
  const draft = useData(['draft', id], ['elevations'], () => get('/api/v1/drafts/{id}', { at: { id } }))
  const confirm = useAction(
    (shown: string) => post('/api/v1/drafts/{id}/confirm', { shown }, { id }),
    (reply) => {
      const made = (reply as { id?: string }).id
      if (made?.startsWith('E')) void navigate(`/elevation/${made}`)
    },
  )
  const password = (confirm.data as { password?: string | null } | undefined)?.password
  const drop = useAction(() => post('/api/v1/drafts/{id}/drop', undefined, { id }))
  return (
    <Shown page of={`Draft ${id}`} query={draft}>
      {(draft) => (
        <>
          <Sentence>
            {draft.state === 'open'
              ? 'A program drafted this for you. Nothing is done yet.'
              : `This draft was ${draft.state}.`}
          </Sentence>
          <Section
            title={`Draft ${draft.id}`}
            aside={<Instant at={draft.drawn_at} how="relative" />}
            className="max-w-2xl"
          >
            <div className="grid gap-3 px-3.5 py-3">
              <div className="text-[1.15rem]">
                <Words draft={draft} />
              </div>
              <About draft={draft} />
              <Letters draft={draft} />
              {password && <Copyable secret label="Password; it is shown here alone, and once" text={password} />}
              <Wrong error={confirm.error ?? drop.error} />
              {draft.state === 'open' && (
                <div className="flex gap-2">
                  <Button look="main" busy={confirm.isPending} onClick={() => confirm.mutate(draft.digest)}>
                    Do it, as mine
                  </Button>
                  <Button busy={drop.isPending} onClick={() => drop.mutate()}>
                    Drop it
                  </Button>
                </div>
              )}
            </div>
          </Section>
        </>
      )}
    </Shown>
  )
}
