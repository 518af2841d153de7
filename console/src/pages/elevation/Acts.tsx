// What may be done with an elevation at this moment, by whoever looks at it.

import { useState } from 'react'
import { Link } from 'react-router'
import { type Api, post } from '../../api/call'
import { Button } from '../../parts/buttons'
import { Input } from '../../parts/fields'
import { Wrong } from '../../parts/shown'
import { useAction, useNow } from '../../parts/data'
import { Dialog } from '../../parts/overlay'
import { clock } from '../../words/time'
import { GoOn } from './GoOn'

interface RevokeProps {
  one: Api['ElevationView']
  open: boolean
  close: () => void
}

/** Takes it away from its holder, with a word to them. */
function Revoke({ one, open, close }: RevokeProps) {
  const [word, setWord] = useState('')
  const revoke = useAction(() => post('/api/v1/elevations/{id}/revoke', { word }, { id: one.id }), close)
  return (
    <Dialog
      open={open}
      onClose={close}
      title={`Revoke ${one.id}`}
      says={`Takes ${one.right} away from ${one.who} at once.`}
    >
      <form
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault()
          revoke.mutate()
        }}
      >
        <Input
          label={`Why, for ${one.who} to read`}
          value={word}
          onChange={(event) => setWord(event.target.value)}
          maxLength={500}
        />
        <Wrong error={revoke.error} />
        <Button type="submit" look="alarm" busy={revoke.isPending} disabled={!word.trim()}>
          Revoke it
        </Button>
      </form>
    </Dialog>
  )
}

/** What whoever looks at an elevation may do with it; nothing where they may do nothing. */
export function Acts({ one }: { one: Api['ElevationView'] }) {
  const now = useNow()
  const [revoking, setRevoking] = useState(false)
  const at = { id: one.id }
  const begin = useAction(() => post('/api/v1/elevations/{id}/begin', undefined, at))
  const giveBack = useAction(() => post('/api/v1/elevations/{id}/give-back', undefined, at))
  const withdraw = useAction(() => post('/api/v1/elevations/{id}/withdraw', undefined, at))
  const before = ['waiting', 'scheduled', 'ready'].includes(one.state)
  const inForce = ['opening', 'live'].includes(one.state)
  const may = {
    begin: one.mine && one.state === 'ready',
    giveBack: one.mine && inForce,
    withdraw: one.mine && (before || one.extension != null),
    revoke: !one.mine && one.may_revoke,
  }
  const error = begin.error ?? giveBack.error ?? withdraw.error
  if (!one.for_me && !Object.values(may).some(Boolean)) return null
  return (
    <div className="grid gap-2">
      <div className="flex flex-wrap items-center gap-2">
        {may.begin && (
          <Button look="main" busy={begin.isPending} onClick={() => begin.mutate()}>
            Begin
          </Button>
        )}
        {may.giveBack && (
          <Button look="main" busy={giveBack.isPending} onClick={() => giveBack.mutate()}>
            Give back now
          </Button>
        )}
        {may.giveBack && <GoOn one={one} />}
        {may.withdraw && (
          <Button busy={withdraw.isPending} onClick={() => withdraw.mutate()}>
            {before ? 'Withdraw' : 'Withdraw the ask to go on'}
          </Button>
        )}
        {one.for_me && (
          <Link
            to={`/answer?ask=${one.id}`}
            className="rounded border border-sea bg-sea px-3 py-1.5 font-medium text-on-sea"
          >
            Answer it
          </Link>
        )}
        {may.revoke && (
          <Button look="alarm" onClick={() => setRevoking(true)}>
            Revoke
          </Button>
        )}
        {may.giveBack && one.grant && (
          <span className="text-ink-3">It ends by itself {clock(new Date(one.grant.until), now)}.</span>
        )}
      </div>
      <Wrong error={error} />
      <Revoke one={one} open={revoking} close={() => setRevoking(false)} />
    </div>
  )
}
