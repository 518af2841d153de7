// One's own passkeys and sign-ins.

import { useState } from 'react'
import { get, remove } from '../../api/call'
import { addPasskey, canPasskeys } from '../../api/passkeys'
import { Button } from '../../parts/buttons'
import { Input } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Empty, Shown, Wrong } from '../../parts/shown'
import { Instant } from '../../parts/told'
import { useAction, useData } from '../../parts/data'
import type { Me } from '../../parts/me'

/** One's passkeys, each to be dropped, and a form for another. */
function Passkeys() {
  const passkeys = useData(['passkeys'], [], () => get('/api/v1/passkeys'))
  const drop = useAction((id: string) => remove('/api/v1/passkeys/{id}', { id }))
  return (
    <Section title="Passkeys">
      <Shown of="passkeys" query={passkeys} lines={2}>
        {(all) =>
          all.length === 0 ? (
            <Empty>
              You have none. A passkey signs you in without password or code, and can’t be given away to a false page.
            </Empty>
          ) : (
            <ul>
              {all.map((one) => (
                <li key={one.id} className="flex items-center justify-between gap-3 border-b border-line px-3.5 py-2">
                  <span>
                    <strong>{one.name}</strong>, since <Instant at={one.added_at} />;{' '}
                    {one.used_at ? (
                      <>
                        last used <Instant at={one.used_at} how="relative" />
                      </>
                    ) : (
                      'not used yet'
                    )}
                  </span>
                  <Button
                    look="quiet"
                    busy={drop.isPending && drop.variables === one.id}
                    onClick={() => drop.mutate(one.id)}
                  >
                    Drop
                  </Button>
                </li>
              ))}
            </ul>
          )
        }
      </Shown>
      <div className="grid gap-3 px-3.5 py-3">
        <AddPasskey />
        <Wrong error={drop.error} />
      </div>
    </Section>
  )
}

function AddPasskey() {
  const [name, setName] = useState('')
  const add = useAction(
    () => addPasskey(name.trim() || 'my passkey'),
    () => setName(''),
  )
  if (!canPasskeys()) {
    return (
      <p className="text-ink-2">This browser offers none here; passkeys want a secure address (https, or localhost).</p>
    )
  }
  return (
    <>
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault()
          add.mutate()
        }}
      >
        <div className="min-w-48 flex-1">
          <Input
            label="What to call it"
            value={name}
            onChange={(event) => setName(event.target.value)}
            placeholder="the laptop at pier 7"
            maxLength={60}
          />
        </div>
        <Button type="submit" look="main" busy={add.isPending}>
          Add a passkey
        </Button>
      </form>
      <Wrong error={add.error} />
    </>
  )
}

const KINDS: Partial<Record<string, string>> = { browser: 'A console', device: 'A program, let in by a code' }

/** Where one is signed in, each but this one to be ended. */
function SignIns({ me }: { me: Me }) {
  const signIns = useData(['sign-ins'], [], () => get('/api/v1/sign-ins'))
  const end = useAction((id: string) => remove('/api/v1/sign-ins/{id}', { id }))
  return (
    <Section title="Where you are signed in">
      <Shown of="your sign-ins" query={signIns} lines={3}>
        {(all) => (
          <ul>
            {all.map((one) => (
              <li
                key={one.id}
                className="flex items-center justify-between gap-3 border-b border-line px-3.5 py-2 last:border-0"
              >
                <span>
                  {KINDS[one.kind] ?? 'A program, by password'} at <span className="mono">{one.address}</span>, since{' '}
                  <Instant at={one.began_at} />; last used <Instant at={one.used_at} how="relative" />
                  {one.this_one && <strong> (this one)</strong>}
                </span>
                {!one.this_one && (
                  <Button
                    busy={end.isPending && end.variables === String(one.id)}
                    onClick={() => end.mutate(String(one.id))}
                  >
                    End it
                  </Button>
                )}
              </li>
            ))}
          </ul>
        )}
      </Shown>
      <p className="px-3.5 py-3 text-ink-2">
        This sign-in ends at the latest <Instant at={me.ends} />.
      </p>
      <Wrong error={end.error} />
    </Section>
  )
}

/** One's own ways of signing in. */
export function Own({ me }: { me: Me }) {
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] items-start gap-4 lg:grid-cols-2">
      <Passkeys />
      <SignIns me={me} />
    </div>
  )
}
