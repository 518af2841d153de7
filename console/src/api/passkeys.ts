// The browser's half of WebAuthn ceremonies.

import { type Api, Problem, post } from './call'

const bytes = (text: string) => {
  const plain = atob(text.replaceAll('-', '+').replaceAll('_', '/'))
  return Uint8Array.from(plain, (letter) => letter.charCodeAt(0))
}
const text = (buffer: ArrayBuffer | null) =>
  buffer
    ? btoa(String.fromCharCode(...new Uint8Array(buffer)))
        .replaceAll('+', '-')
        .replaceAll('/', '_')
        .replace(/=+$/, '')
    : undefined

interface Described {
  id: string
  type: 'public-key'
}
const descriptor = (one: Described): PublicKeyCredentialDescriptor => ({ ...one, id: bytes(one.id) })

/** Whether this browser can make and use passkeys at this address. */
export const canPasskeys = () => typeof window.PublicKeyCredential === 'function' && window.isSecureContext

async function said<T>(ask: () => Promise<T | null>): Promise<T> {
  try {
    const answer = await ask()
    if (answer) return answer
  } catch (error) {
    const name = error instanceof DOMException ? error.name : ''
    if (name === 'InvalidStateError') throw new Problem('passkey', 'This authenticator has a passkey here already.')
  }
  throw new Problem('passkey', 'The authenticator said nothing, or you closed its window. Try again, or use a code.')
}

async function prove(ceremony: Api['Ceremony']) {
  const options = (ceremony.options as { publicKey: Record<string, unknown> }).publicKey
  const publicKey = {
    ...options,
    challenge: bytes(options.challenge as string),
    allowCredentials: ((options.allowCredentials as Described[] | undefined) ?? []).map(descriptor),
  } as PublicKeyCredentialRequestOptions
  const credential = await said(() => navigator.credentials.get({ publicKey }) as Promise<PublicKeyCredential | null>)
  const response = credential.response as AuthenticatorAssertionResponse
  return {
    ceremony: ceremony.ceremony,
    credential: {
      id: credential.id,
      rawId: text(credential.rawId),
      type: credential.type,
      extensions: {},
      response: {
        authenticatorData: text(response.authenticatorData),
        clientDataJSON: text(response.clientDataJSON),
        signature: text(response.signature),
        userHandle: text(response.userHandle),
      },
    },
  }
}

/** Signs in by whichever passkey its owner picks; needs no name. */
export async function signInByPasskey() {
  return post('/api/v1/console/passkey', await prove(await post('/api/v1/console/passkey/challenge')))
}

/** Proves once more, within a sign-in, that it is the same person. */
export async function proveByPasskey() {
  return post('/api/v1/me/proof/passkey', await prove(await post('/api/v1/me/proof/challenge')))
}

/** Adds a passkey of this device under a name. */
export async function addPasskey(name: string) {
  const ceremony = await post('/api/v1/passkeys/challenge')
  const options = (ceremony.options as { publicKey: Record<string, unknown> }).publicKey
  const user = options.user as { id: string }
  const publicKey = {
    ...options,
    challenge: bytes(options.challenge as string),
    user: { ...user, id: bytes(user.id) },
    excludeCredentials: ((options.excludeCredentials as Described[] | undefined) ?? []).map(descriptor),
  } as unknown as PublicKeyCredentialCreationOptions
  const made = await said(() => navigator.credentials.create({ publicKey }) as Promise<PublicKeyCredential | null>)
  const response = made.response as AuthenticatorAttestationResponse
  const credential = {
    id: made.id,
    rawId: text(made.rawId),
    type: made.type,
    extensions: {},
    response: { attestationObject: text(response.attestationObject), clientDataJSON: text(response.clientDataJSON) },
  }
  return post('/api/v1/passkeys', { ceremony: ceremony.ceremony, name, credential })
}
