// Name, password and code; or a passkey alone.

import { Fingerprint } from 'lucide-react'
import { type FormEvent, useState } from 'react'
import { post } from '../../api/call'
import { canPasskeys, signInByPasskey } from '../../api/passkeys'
import { Button } from '../../parts/buttons'
import { CodeInput, Input } from '../../parts/fields'
import { Wrong } from '../../parts/shown'
import { useAction } from '../../parts/data'

/** Signs in by a passkey, where the browser can. */
function ByPasskey({ passkey }: { passkey: { isPending: boolean; mutate: () => void } }) {
  if (!canPasskeys()) return null
  return (
    <>
      <p className="flex items-center gap-3 text-ink-3 before:h-px before:flex-1 before:bg-line after:h-px after:flex-1 after:bg-line">
        or
      </p>
      <Button busy={passkey.isPending} onClick={() => passkey.mutate()}>
        <Fingerprint size={17} aria-hidden="true" /> Sign in with a passkey
      </Button>
    </>
  )
}

/** `done` is told the name that signed in. */
export function SignInForm({ name: known, done }: { name?: string; done: (name: string) => void }) {
  const [name, setName] = useState(known ?? '')
  const [password, setPassword] = useState('')
  const [code, setCode] = useState('')
  const byPassword = useAction(
    () => post('/api/v1/console/sign-in', { name: name.trim(), password, code: code.trim() }),
    (reply) => done(reply.name),
  )
  const byPasskey = useAction(signInByPasskey, (reply) => done(reply.name))
  const submit = (event: FormEvent) => {
    event.preventDefault()
    byPassword.mutate()
  }
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
      <form onSubmit={submit} className="grid gap-3">
        <Input
          label="Name"
          value={name}
          onChange={(event) => setName(event.target.value)}
          autoComplete="username"
          autoFocus={!known}
          required
        />
        <Input
          label="Password"
          type="password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          autoComplete="current-password"
          autoFocus={!!known}
          required
        />
        <CodeInput value={code} onCode={setCode} required />
        <Button type="submit" look="main" busy={byPassword.isPending}>
          Sign in
        </Button>
      </form>
      <ByPasskey passkey={byPasskey} />
      <Wrong error={byPassword.error ?? byPasskey.error} />
    </div>
  )
}
