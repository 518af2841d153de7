// Who somebody's manager is, for terms that ask them; an administrator of everything says so.

import { useState } from 'react'
import { get, put } from '../../api/call'
import { Button } from '../../parts/buttons'
import { useAction, useData } from '../../parts/data'
import { Input } from '../../parts/fields'
import { Dialog } from '../../parts/overlay'
import { Shown, Wrong } from '../../parts/shown'
import { Who } from '../../parts/told'

function Form({ who, known, digest, close }: { who: string; known: string; digest: string; close: () => void }) {
  const [manager, setManager] = useState(known)
  const say = useAction(
    () => put('/api/v1/people/{who}/manager', digest, { manager: manager.trim() || null }, { who }),
    close,
  )
  return (
    <form
      className="grid gap-3"
      onSubmit={(event) => {
        event.preventDefault()
        say.mutate()
      }}
    >
      <Input
        label="Manager"
        hint="Empty where nobody is"
        className="mono"
        value={manager}
        onChange={(event) => setManager(event.target.value)}
      />
      <Wrong error={say.error} />
      <Button type="submit" look="main" busy={say.isPending} className="justify-self-start">
        Say so
      </Button>
    </form>
  )
}

function Change({ who, close }: { who: string; close: () => void }) {
  const query = useData(['manager', who], ['people'], () => get('/api/v1/people/{who}/manager', { at: { who } }))
  return (
    <Shown of="manager" query={query} lines={2}>
      {({ manager, digest }) => <Form who={who} known={manager ?? ''} digest={digest} close={close} />}
    </Shown>
  )
}

/** The manager of somebody, with a way to change it for who may. */
export function Manager({ who, manager, may }: { who: string; manager: string | null | undefined; may: boolean }) {
  const [changing, setChanging] = useState(false)
  return (
    <span className="flex items-baseline gap-2">
      {manager ? <Who name={manager} /> : 'nobody has said'}
      {may && (
        <Button look="quiet" onClick={() => setChanging(true)}>
          Change
        </Button>
      )}
      <Dialog
        open={changing}
        onClose={() => setChanging(false)}
        title={`Manager of ${who}`}
        says="Terms may ask the manager of whoever asks. For a day nobody answers as the manager whom the asker, or somebody who owes them their standing, named."
      >
        <Change who={who} close={() => setChanging(false)} />
      </Dialog>
    </span>
  )
}
