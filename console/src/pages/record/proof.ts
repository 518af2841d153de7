// Checks an entry's proof of inclusion, that the ledger goes on from the checkpoint seen here before, and the
// checkpoint's signature: in the browser itself (RFC 9162, 2.1.3.2 and 2.1.4.2; signed notes; Ed25519).

import { type Api, get } from '../../api/call'
import { figure } from '../../words/time'

type Proof = Api['EntryProof']

const hex = (text: string) => Uint8Array.from(text.match(/../g) ?? [], (pair) => Number.parseInt(pair, 16))
const text = (bytes: Uint8Array) => Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0')).join('')
const plain = (base64: string) => Uint8Array.from(atob(base64), (letter) => letter.charCodeAt(0))

const LEAF = new Uint8Array([0])
const NODE = new Uint8Array([1])
/** A signature's first bytes name its key. */
const KEY_NAME = 4

async function hash(...parts: Uint8Array[]): Promise<Uint8Array<ArrayBuffer>> {
  const whole = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0))
  let at = 0
  for (const part of parts) {
    whole.set(part, at)
    at += part.length
  }
  return new Uint8Array(await crypto.subtle.digest('SHA-256', whole))
}

const leafOf = (proof: Proof) => hash(LEAF, new TextEncoder().encode(proof.fact))

/** The root that a leaf and its proof come to; undefined where they are of no such tree. */
async function rootOf(proof: Proof): Promise<string | undefined> {
  let node = proof.n
  let last = proof.size - 1
  let seen = await leafOf(proof)
  for (const sibling of proof.proof) {
    if (last === 0) return undefined
    if (node % 2 === 1 || node === last) {
      seen = await hash(NODE, hex(sibling), seen)
      while (node % 2 === 0 && node !== 0) {
        node = Math.floor(node / 2)
        last = Math.floor(last / 2)
      }
    } else {
      seen = await hash(NODE, seen, hex(sibling))
    }
    node = Math.floor(node / 2)
    last = Math.floor(last / 2)
  }
  return last === 0 ? text(seen) : undefined
}

/** The tree that a signed note vouches for; undefined where its signature is false. */
async function opened(note: string, publicKey: string): Promise<{ size: number; root: string } | undefined> {
  const [body, signatures] = note.split('\n\n— ')
  const signature = plain(signatures?.trim().split(' ').at(-1) ?? '').slice(KEY_NAME)
  const raw = plain(publicKey.split('+').slice(2).join('+')).slice(1)
  const key = await crypto.subtle.importKey('raw', raw, 'Ed25519', false, ['verify'])
  if (!(await crypto.subtle.verify('Ed25519', key, signature, new TextEncoder().encode(`${body}\n`)))) return undefined
  const [, size, root] = (body ?? '').split('\n')
  return { size: Number(size), root: text(plain(root ?? '')) }
}

/** What checking a proof came to. */
export interface Outcome {
  holds: boolean
  says: string
}

const CANNOT = 'This browser can’t check Ed25519 signatures; the client can: tempestas ledger verify.'

/** Whether an entry stands, byte for byte, under the signed checkpoint. */
export async function check(proof: Proof): Promise<Outcome> {
  if (text(await leafOf(proof)) !== proof.leaf)
    return { holds: false, says: 'The entry’s bytes don’t give its leaf hash: it was changed.' }
  if ((await rootOf(proof)) !== proof.root)
    return { holds: false, says: 'The proof doesn’t lead to the checkpoint’s root: the ledger was changed.' }
  try {
    const note = await opened(proof.checkpoint, proof.public_key)
    if (!note) return { holds: false, says: 'The checkpoint’s signature is false.' }
    if (note.size !== proof.size || note.root !== proof.root)
      return { holds: false, says: 'The signed checkpoint speaks of another tree.' }
  } catch {
    return { holds: false, says: CANNOT }
  }
  return {
    holds: true,
    says: `Entry ${proof.n} stands, byte for byte, among the ${figure(proof.size)} entries under the signed checkpoint. ${proof.proof.length + 1} hashes and a signature were checked in this browser.`,
  }
}

const KEPT = 'checkpoint'

/** Checks that the ledger goes on from the checkpoint that this browser saw last, and keeps the new one. */
export async function goesOn(): Promise<Outcome> {
  const kept = JSON.parse(localStorage.getItem(KEPT) ?? 'null') as {
    key: string
    size: number
    root: string
    at: string
  } | null
  const reply = await get('/api/v1/ledger/checkpoint', { query: { since: kept?.size } })
  if (kept && kept.key !== reply.public_key)
    return { holds: false, says: 'This ledger has another key than the one this browser saw before.' }
  let note: { size: number; root: string } | undefined
  try {
    note = await opened(reply.checkpoint, reply.public_key)
  } catch {
    return { holds: false, says: CANNOT }
  }
  if (!note) return { holds: false, says: 'The checkpoint’s signature is false.' }
  if (kept && !(await consistent(kept, note, reply.proof))) {
    return {
      holds: false,
      says: `The ledger doesn’t go on from the ${kept.size} entries this browser saw before: its history was rewritten.`,
    }
  }
  localStorage.setItem(KEPT, JSON.stringify({ key: reply.public_key, ...note, at: new Date().toISOString() }))
  const since = kept
    ? `goes on from the ${figure(kept.size)} this browser saw before`
    : 'seen in this browser for the first time'
  return { holds: true, says: `Signed checkpoint over ${figure(note.size)} entries, ${since}.` }
}

async function consistent(
  old: { size: number; root: string },
  now: { size: number; root: string },
  proof: string[],
): Promise<boolean> {
  if (old.size > now.size) return false
  if (old.size === now.size) return old.root === now.root
  if (old.size === 0) return true
  const path = [...proof]
  const first = Number.isInteger(Math.log2(old.size)) ? old.root : path.shift()
  if (!first) return false
  let node = old.size - 1
  let last = now.size - 1
  while (node % 2 === 1) {
    node = Math.floor(node / 2)
    last = Math.floor(last / 2)
  }
  let before = hex(first)
  let after = hex(first)
  for (const sibling of path.map(hex)) {
    if (last === 0) return false
    if (node % 2 === 1 || node === last) {
      before = await hash(NODE, sibling, before)
      after = await hash(NODE, sibling, after)
      while (node % 2 === 0 && node !== 0) {
        node = Math.floor(node / 2)
        last = Math.floor(last / 2)
      }
    } else {
      after = await hash(NODE, after, sibling)
    }
    node = Math.floor(node / 2)
    last = Math.floor(last / 2)
  }
  return last === 0 && text(before) === old.root && text(after) === now.root
}
