// How to reach the system. A password is made when it is asked for, shown once, and kept nowhere.

import { useState } from 'react'
import { post } from '../../api/call'
import { Copyable } from '../../parts/Copyable'
import { Button } from '../../parts/buttons'
import { TextArea } from '../../parts/fields'
import { Section } from '../../parts/sections'
import { Wrong } from '../../parts/shown'
import { useAction } from '../../parts/data'
import { opened } from '../../words/sentence'

/** A host is reached with a key of one's own, which is certified; other systems with what they make themselves. */
export function Reach({ id, host }: { id: string; host: boolean }) {
  const [key, setKey] = useState('')
  const login = useAction(() => post('/api/v1/elevations/{id}/login', { public_key: key || null }, { id }))
  const got = login.data
  return (
    <Section title="How to reach it">
      <div className="grid gap-3 px-3.5 py-3">
        {!got && (
          <>
            {host ? (
              <TextArea
                label="Your public key"
                value={key}
                onChange={(event) => setKey(event.target.value)}
                placeholder="ssh-ed25519 AAAA…"
                hint="The one line of a file like ~/.ssh/id_ed25519.pub. What is made from it lets this key in until the end, and no longer."
              />
            ) : (
              <p className="text-ink-2">
                Makes a fresh login where the system has one for this grant alone. Its password is shown once; a new one
                voids the one before.
              </p>
            )}
            <Button look="main" busy={login.isPending} disabled={host && !key.trim()} onClick={() => login.mutate()}>
              Show me how
            </Button>
          </>
        )}
        {got && (
          <>
            <p>{opened(got.says)}.</p>
            {got.replaced && (
              <p className="text-warm">A password was fetched for this before; that one is void from now on.</p>
            )}
            {got.user && <Copyable label="Login" text={got.user} />}
            {got.password && <Copyable label="Password" text={got.password} secret />}
            {got.certificate && (
              <Copyable label="Certificate, for a file like ~/.ssh/id_ed25519-cert.pub" text={got.certificate} />
            )}
            {got.certificate && <Copyable label="In a terminal" text={`ssh -p ${got.port} ${got.user}@${got.host}`} />}
            {got.user && got.password && (
              <Copyable
                label="In a terminal"
                text={`psql "host=${got.host} port=${got.port} dbname=${got.database} user=${got.user}"`}
              />
            )}
          </>
        )}
        <Wrong error={login.error} />
      </div>
    </Section>
  )
}
