// Proofs of oneself, in words.

import type { Api } from '../api/call'

type Method = NonNullable<Api['Me']['proof']>['method']

/** Each kind of proof. */
export const METHODS: Record<Method, string> = { passkey: 'a passkey', 'totp-code': 'a TOTP code' }

/** `a passkey`, `a passkey or TOTP code`: any of these, or of all where none is named. */
export function anyOf(accepts: readonly string[] = []): string {
  const one = accepts.length === 1 ? METHODS[accepts[0] as Method] : undefined
  return one ?? 'a passkey or TOTP code'
}
