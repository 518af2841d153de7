// Setting a password and a code with a one-time secret.

import { type FormEvent, useState } from 'react'
import { post } from '../../api/call'
import { Copyable } from '../../parts/Copyable'
import { Button } from '../../parts/buttons'
import { Input } from '../../parts/fields'
import { Wrong } from '../../parts/shown'
import { useAction } from '../../parts/data'
import { Door } from './SignInPage'

/** A QR code from its rows, with the four light squares around it that readers want. */
function QrCode({ rows, says }: { rows: string[]; says: string }) {
  const side = rows.length + 8
  const dark = rows.flatMap((row, y) =>
    [...row].flatMap((square, x) => (square === '#' ? [`M${x + 4} ${y + 4}h1v1h-1z`] : [])),
  )
  return (
    <svg
      viewBox={`0 0 ${side} ${side}`}
      role="img"
      aria-label={says}
      shapeRendering="crispEdges"
      className="mx-auto w-56 rounded bg-white"
    >
      <path d={dark.join('')} fill="black" />
    </svg>
  )
}

/** Takes a one-time secret, and sets a password and a code for it. */
export function EnrolPage() {
  const [secret, setSecret] = useState('')
  const [password, setPassword] = useState('')
  const enrol = useAction(() => post('/api/v1/enrol', { secret: secret.trim(), password }))
  const submit = (event: FormEvent) => {
    event.preventDefault()
    enrol.mutate()
  }
  if (enrol.data) {
    return (
      <Door title={`Enrolled: ${enrol.data.name}`}>
        <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
          <p>
            Put this into your authenticator now. It is not shown again; you can add a passkey once you are signed in.
          </p>
          <QrCode rows={enrol.data.totp_qr} says="The secret for codes, for an authenticator's camera" />
          <Copyable label="Secret for codes" text={enrol.data.totp_secret} />
          <Copyable label="The same as an address" text={enrol.data.totp_url} />
          <a href="/" className="rounded bg-sea px-3 py-2 text-center font-medium text-on-sea">
            On to signing in
          </a>
        </div>
      </Door>
    )
  }
  return (
    <Door title="Enrol">
      <form onSubmit={submit} className="grid gap-3">
        <Input
          label="One-time secret"
          value={secret}
          onChange={(event) => setSecret(event.target.value)}
          autoComplete="off"
          className="mono"
          required
          hint="The first administrator's is in a file on the machine; its log says which."
        />
        <Input
          label="New password"
          type="password"
          value={password}
          onChange={(event) => setPassword(event.target.value)}
          autoComplete="new-password"
          minLength={12}
          required
          hint="12 letters or more."
        />
        <Button type="submit" look="main" busy={enrol.isPending}>
          Enrol
        </Button>
        <Wrong error={enrol.error} />
      </form>
    </Door>
  )
}
