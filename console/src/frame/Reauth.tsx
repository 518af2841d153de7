// Puts things right in place: a fresh proof where one is needed, a new sign-in where the old one ended. What called
// goes on where it was, and nothing typed is lost.

import { Fingerprint } from 'lucide-react'
import { type FormEvent, type ReactNode, useEffect, useRef, useState } from 'react'
import { reauthWith, post, Problem } from '../api/call'
import { canPasskeys, proveByPasskey } from '../api/passkeys'
import { Button } from '../parts/buttons'
import { CodeInput } from '../parts/fields'
import { Wrong } from '../parts/shown'
import { invalidate, useAction } from '../parts/data'
import type { Me } from '../parts/me'
import { Dialog } from '../parts/overlay'
import { SignInForm } from '../pages/sign-in/SignInForm'
import { anyOf } from '../words/proofs'
import { span } from '../words/time'

type Ask = { kind: 'step-up' | 'sign-in'; problem: Problem }

/** Asks for a fresh proof or a sign-in where a call needs one, and then does the call again. */
export function Reauth({ me, children }: { me: Me; children: ReactNode }) {
  const [ask, setAsk] = useState<Ask>()
  // Calls that fail together wait for the same answer.
  const waiting = useRef<((mended: boolean) => void)[]>([])

  useEffect(() => {
    const wait = (kind: Ask['kind']) => (problem: Problem) =>
      new Promise<boolean>((answer) => {
        waiting.current.push(answer)
        setAsk({ kind, problem })
      })
    reauthWith({ stepUp: wait('step-up'), signIn: wait('sign-in') })
    return () => reauthWith(undefined)
  }, [])

  const settle = (mended: boolean) => {
    setAsk(undefined)
    for (const answer of waiting.current.splice(0)) answer(mended)
    if (mended) invalidate('all')
  }
  const signedIn = (name: string) => {
    // Somebody else at this screen starts anew, and sees nothing of what was open.
    if (name !== me.name) location.assign('/')
    else settle(true)
  }
  return (
    <>
      {children}
      <Dialog
        open={ask?.kind === 'step-up'}
        onClose={() => settle(false)}
        title="Prove that it is you"
        says={
          <>
            This needs {anyOf(ask?.problem.accepts)} no older than {span(ask?.problem.maxAge ?? 600)}. It then goes on
            where you were, and the proof serves for what follows.
          </>
        }
      >
        <Proof me={me} accepts={ask?.problem.accepts} done={() => settle(true)} />
      </Dialog>
      <Dialog
        open={ask?.kind === 'sign-in'}
        onClose={() => settle(false)}
        title="Your sign-in has ended"
        says="Sign in again, and it goes on where you were. Nothing you typed is lost."
      >
        <SignInForm name={me.name} done={signedIn} />
      </Dialog>
    </>
  )
}

/** A fresh proof: by passkey, or by code; only by what is accepted, where that is said. */
export function Proof({ me, accepts = [], done }: { me: Me; accepts?: string[]; done: () => void }) {
  const [code, setCode] = useState('')
  const byCode = useAction((code: string) => post('/api/v1/me/proof', { code }), done)
  const byPasskey = useAction(() => proveByPasskey(), done)
  const submit = (event: FormEvent) => {
    event.preventDefault()
    byCode.mutate(code)
  }
  const takes = (method: string) => accepts.length === 0 || accepts.includes(method)
  const passkey = takes('passkey') && me.has_passkey && canPasskeys()
  if (!passkey && !takes('totp-code'))
    return (
      <p>
        {me.has_passkey
          ? 'This browser, or this address, can’t use passkeys.'
          : 'You have no passkey yet: add one on your own page, and do this again.'}
      </p>
    )
  return (
    <div className="grid gap-4">
      {passkey && (
        <Button look="main" busy={byPasskey.isPending} onClick={() => byPasskey.mutate()}>
          <Fingerprint size={17} aria-hidden="true" /> Use your passkey
        </Button>
      )}
      {takes('totp-code') && (
        <form onSubmit={submit} className="grid gap-3">
          <CodeInput value={code} onCode={setCode} autoFocus={!passkey} className="max-w-40" />
          <Button
            type="submit"
            look={passkey ? 'plain' : 'main'}
            busy={byCode.isPending}
            disabled={code.trim().length < 6}
          >
            Prove it
          </Button>
        </form>
      )}
      <Wrong error={byCode.error ?? byPasskey.error} />
    </div>
  )
}
