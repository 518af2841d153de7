// Proofs that a browser checks by itself, held against trees that are built here as RFC 9162 defines them (2.1.1-2.1.4).

import { beforeEach, describe, expect, it } from 'vitest'
import type { Api } from '../../api/call'
import { serve } from '../../testing/replies'
import { check, goesOn } from './proof'

type Bytes = Uint8Array<ArrayBuffer>

const hex = (bytes: Uint8Array) => Array.from(bytes, (byte) => byte.toString(16).padStart(2, '0')).join('')
const base64 = (bytes: Uint8Array) => btoa(String.fromCharCode(...bytes))
const joined = (...parts: Uint8Array[]) => Uint8Array.from(parts.flatMap((part) => [...part]))

async function sha(...parts: Uint8Array[]): Promise<Bytes> {
  return new Uint8Array(await crypto.subtle.digest('SHA-256', joined(...parts)))
}

const fact = (n: number) => `{"v":2,"n":${n},"said":"Zoë asked"}`
const leaf = (n: number) => sha(new Uint8Array([0]), new TextEncoder().encode(fact(n)))
const leaves = (count: number) => Promise.all(Array.from({ length: count }, (_, n) => leaf(n)))

/** The greatest power of two below `n`. */
const half = (n: number) => 2 ** Math.floor(Math.log2(n - 1))

/** 2.1.1: the root of a tree. */
async function root(of: Bytes[]): Promise<Bytes> {
  const [only] = of
  if (of.length < 2) return only ?? sha()
  const k = half(of.length)
  return sha(new Uint8Array([1]), await root(of.slice(0, k)), await root(of.slice(k)))
}

/** 2.1.3.1: the path that proves that leaf `m` is in the tree. */
async function path(m: number, of: Bytes[]): Promise<Bytes[]> {
  if (of.length < 2) return []
  const k = half(of.length)
  return m < k
    ? [...(await path(m, of.slice(0, k))), await root(of.slice(k))]
    : [...(await path(m - k, of.slice(k))), await root(of.slice(0, k))]
}

/** 2.1.4.1: the proof that a tree goes on from its first `m` leaves. */
async function goingOn(m: number, of: Bytes[], whole = true): Promise<Bytes[]> {
  if (m === of.length) return whole ? [] : [await root(of)]
  const k = half(of.length)
  return m <= k
    ? [...(await goingOn(m, of.slice(0, k), whole)), await root(of.slice(k))]
    : [...(await goingOn(m - k, of.slice(k), false)), await root(of.slice(0, k))]
}

const NAME = 'quillhaven.example/tempestas'
const keys = await crypto.subtle.generateKey('Ed25519', false, ['sign', 'verify'])
const others = await crypto.subtle.generateKey('Ed25519', false, ['sign', 'verify'])
const ID = new Uint8Array([1, 2, 3, 4])

async function publicKey(of: CryptoKeyPair): Promise<string> {
  const raw = new Uint8Array(await crypto.subtle.exportKey('raw', of.publicKey))
  return `${NAME}+01020304+${base64(joined(new Uint8Array([1]), raw))}`
}

/** A signed checkpoint over a tree. */
async function note(size: number, top: Bytes, by = keys): Promise<string> {
  const body = `${NAME}\n${size}\n${base64(top)}\n`
  const signed = new Uint8Array(await crypto.subtle.sign('Ed25519', by.privateKey, new TextEncoder().encode(body)))
  return `${body}\n— ${NAME} ${base64(joined(ID, signed))}\n`
}

async function proofOf(n: number, size: number): Promise<Api['EntryProof']> {
  const all = await leaves(size)
  const top = await root(all)
  return {
    n,
    size,
    fact: fact(n),
    leaf: hex(all[n] ?? new Uint8Array()),
    proof: (await path(n, all)).map(hex),
    root: hex(top),
    checkpoint: await note(size, top),
    public_key: await publicKey(keys),
  }
}

describe('an entry', () => {
  it('stands in every tree that it is in, at every place', async () => {
    for (let size = 1; size <= 17; size += 1)
      for (let n = 0; n < size; n += 1) {
        const outcome = await check(await proofOf(n, size))
        expect(outcome.holds, `${n} of ${size}: ${outcome.says}`).toBe(true)
      }
  })

  it.each<[string, (proof: Api['EntryProof']) => Partial<Api['EntryProof']>, RegExp]>([
    ['another text', (proof) => ({ fact: proof.fact.replace('Zoë', 'Zoe') }), /bytes don’t give its leaf hash/],
    ['another place', () => ({ n: 4 }), /doesn’t lead to the checkpoint’s root/],
    ['a hash too few', (proof) => ({ proof: proof.proof.slice(1) }), /doesn’t lead/],
    ['a hash too many', (proof) => ({ proof: [...proof.proof, proof.leaf] }), /doesn’t lead/],
    ['another root', (proof) => ({ root: proof.leaf }), /doesn’t lead/],
    ['another size', (proof) => ({ size: proof.size + 6 }), /doesn’t lead|another tree/],
    [
      'a note that was changed',
      (proof) => ({ checkpoint: proof.checkpoint.replace('\n11\n', '\n12\n') }),
      /signature is false/,
    ],
  ])('with %s does not', async (_, change, says) => {
    const proof = await proofOf(5, 11)
    const outcome = await check({ ...proof, ...change(proof) })
    expect(outcome.holds).toBe(false)
    expect(outcome.says).toMatch(says)
  })

  it('under a checkpoint that somebody else signed does not', async () => {
    const proof = await proofOf(5, 11)
    const top = await root(await leaves(11))
    const outcome = await check({ ...proof, checkpoint: await note(11, top, others) })
    expect(outcome).toEqual({ holds: false, says: 'The checkpoint’s signature is false.' })
  })

  it('under a true checkpoint of another tree does not', async () => {
    const outcome = await check({ ...(await proofOf(5, 11)), checkpoint: (await proofOf(5, 12)).checkpoint })
    expect(outcome).toEqual({ holds: false, says: 'The signed checkpoint speaks of another tree.' })
  })
})

describe('the ledger', () => {
  /** Answers as a service whose ledger has so many entries, of which this browser may know some. */
  const holds = async (size: number, known?: number, of?: Bytes[]) => {
    const all = of ?? (await leaves(size))
    const proof = known === undefined || known === 0 ? [] : await goingOn(known, all)
    const said = {
      checkpoint: await note(size, await root(all)),
      public_key: await publicKey(keys),
      proof: proof.map(hex),
    }
    return serve(() => [200, said])
  }
  beforeEach(() => localStorage.clear())

  it('goes on from wherever this browser saw it last', async () => {
    for (let size = 1; size <= 17; size += 1)
      for (let known = 1; known <= size; known += 1) {
        localStorage.clear()
        await holds(known)
        expect((await goesOn()).says).toMatch(/for the first time/)
        const asked = await holds(size, known)
        const outcome = await goesOn()
        expect(outcome.holds, `${known} to ${size}: ${outcome.says}`).toBe(true)
        expect(asked[0]?.url).toContain(`since=${known}`)
      }
  })

  it('that was rewritten, or cut, is found out, and what was seen is kept', async () => {
    await holds(11)
    await goesOn()
    const kept = localStorage.getItem('checkpoint')
    const rewritten = await leaves(16)
    rewritten[3] = await leaf(99)
    for (const [size, known, of] of [
      [16, 11, rewritten],
      [9, 9, undefined],
      [11, 11, rewritten.slice(0, 11)],
    ] as const) {
      await holds(size, known, of)
      const outcome = await goesOn()
      expect(outcome.holds, `${size} after 11`).toBe(false)
      expect(outcome.says).toContain('its history was rewritten')
      expect(localStorage.getItem('checkpoint')).toBe(kept)
    }
  })

  it('with another key is another ledger', async () => {
    await holds(11)
    await goesOn()
    const other = {
      checkpoint: await note(12, await root(await leaves(12)), others),
      public_key: await publicKey(others),
      proof: [],
    }
    serve(() => [200, other])
    expect((await goesOn()).says).toContain('another key')
  })
})
