// The data layer. Knows no React. Types come from the service's OpenAPI document.

import { byOwnClock, SPOKEN } from '../words/sentence'
import type { components, paths } from './schema'

/** Everything the service speaks of, by name. */
export type Api = components['schemas']

type Method = 'get' | 'post' | 'put' | 'patch' | 'delete'
type With<M extends Method> = {
  [P in keyof paths]: paths[P] extends Record<M, { responses: unknown }> ? P : never
}[keyof paths]
type Operation<P extends keyof paths, M extends Method> = paths[P] extends Record<M, infer Op> ? Op : never
type Reply<Op> = Op extends { responses: { 200: { content: { 'application/json': infer T } } } } ? T : unknown
type BodyOf<Op> = Op extends { requestBody: { content: { 'application/json': infer T } } } ? T : undefined
type QueryOf<Op> = Op extends { parameters: { query?: infer Q } } ? Q : undefined

/** What goes into a path and a query. */
interface Where {
  at?: Record<string, string | number>
  query?: Record<string, string | number | boolean | null | undefined>
}

/** A refusal of the service, or its absence. */
export class Problem extends Error {
  constructor(
    readonly code: string,
    detail: string,
    readonly maxAge?: number,
    /** With `step-up`: the proofs that are accepted; any where none is named. */
    readonly accepts: string[] = [],
  ) {
    super(detail)
  }
}

/** How the frame puts things right: by a fresh proof, or a new sign-in. Each says whether it worked. */
interface Reauth {
  stepUp(problem: Problem): Promise<boolean>
  signIn(problem: Problem): Promise<boolean>
}

let reauth: Reauth | undefined

/** Sets who puts things right. */
export function reauthWith(next: Reauth | undefined) {
  reauth = next
}

const PREFIX = '/api/v1'

function address(path: string, where: Where): string {
  const filled = path.replace(/\{(\w+)\}/g, (_, name: string) => encodeURIComponent(String(where.at?.[name] ?? '')))
  const query = new URLSearchParams()
  for (const [key, value] of Object.entries(where.query ?? {})) {
    if (value !== undefined && value !== null && value !== '') query.set(key, String(value))
  }
  const text = query.toString()
  return text ? `${filled}?${text}` : filled
}

/** What shows as something else than it is: steers, turns the direction, or shows as nothing. */
const DECEPTIVE =
  // eslint-disable-next-line no-control-regex, no-misleading-character-class -- each of them is meant by itself
  /[\u0000-\u0008\u000b-\u001f\u007f-\u009f\u00ad\u034f\u061c\u115f\u1160\u17b4\u17b5\u180b-\u180f\u200b-\u200f\u2028-\u202e\u2060-\u206f\u3164\ufeff\uffa0\ufff0-\ufffb]|\udb40[\udc00-\udfff]/g

/** Writes that out wherever it comes in a reply: names come from systems, reasons from people, and both may hold anything.
 * What the service itself says is put by the reader's clock. */
function plainly<T>(said: T, spoken = false): T {
  if (typeof said === 'string') {
    const plain = said.replace(DECEPTIVE, (one) =>
      [...one].map((c) => `\\u{${(c.codePointAt(0) ?? 0).toString(16)}}`).join(''),
    )
    return (spoken ? byOwnClock(plain) : plain) as T
  }
  if (Array.isArray(said)) return (said as unknown[]).map((one) => plainly(one, spoken)) as T
  if (said && typeof said === 'object')
    return Object.fromEntries(
      Object.entries(said).map(([key, value]) => [key, plainly(value, SPOKEN.includes(key))]),
    ) as T
  return said
}

/** Calls that change something take a key, with which the same request is carried out once; see `takes_key` of the service. */
const KEYLESS = /\/(sign-in|enrol|enrolment|login|devices|token|passkey|preview|challenge|look)$/

const newKey = () =>
  [...crypto.getRandomValues(new Uint8Array(16))].map((byte) => byte.toString(16).padStart(2, '0')).join('')

async function once(
  method: Method,
  url: string,
  body: unknown,
  digest?: string | null,
  key?: string,
): Promise<unknown> {
  let reply: Response
  try {
    reply = await fetch(url, {
      method: method.toUpperCase(),
      headers: {
        ...(body === undefined ? {} : { 'content-type': 'application/json' }),
        ...(key ? { 'idempotency-key': key } : {}),
        ...(digest === undefined ? {} : digest === null ? { 'if-none-match': '*' } : { 'if-match': `"${digest}"` }),
      },
      body: body === undefined ? undefined : JSON.stringify(body),
      credentials: 'same-origin',
    })
  } catch {
    throw new Problem(
      'unreachable',
      'The service does not answer. It is tried again as soon as it does; nothing you typed is lost.',
    )
  }
  const text = await reply.text()
  let said: unknown
  try {
    said = text ? JSON.parse(text) : {}
  } catch {
    throw new Problem('unreadable', `The service answered with something unreadable (status ${reply.status}).`)
  }
  if (reply.ok) {
    // A list that goes on names its next page (RFC 8288); it is the same address with another query.
    const next = /^<(\?[^>]*)>; rel="next"$/.exec(reply.headers.get('link') ?? '')?.[1]
    const rest =
      next && Array.isArray(said) ? ((await once('get', url.split('?')[0] + next, undefined)) as unknown[]) : []
    return Array.isArray(said) ? [...plainly(said as unknown[]), ...rest] : plainly(said)
  }
  const problem = said as { code?: string; detail?: string; max_age?: number; accepts?: string[] }
  throw new Problem(
    problem.code ?? 'failed',
    plainly(problem.detail, true) ?? `status ${reply.status}`,
    problem.max_age,
    problem.accepts,
  )
}

async function call(
  method: Method,
  path: string,
  where: Where,
  body?: unknown,
  digest?: string | null,
): Promise<unknown> {
  const url = address(path, where)
  const key = method === 'get' || KEYLESS.test(path) ? undefined : newKey()
  for (let tries = 0; ; tries += 1) {
    try {
      return await once(method, url, body, digest, key)
    } catch (error) {
      const quiet = url.startsWith(`${PREFIX}/console/`) || url.startsWith(`${PREFIX}/enrol`)
      if (!(error instanceof Problem) || !reauth || quiet || tries > 1) throw error
      const mended =
        error.code === 'step-up'
          ? await reauth.stepUp(error)
          : error.code === 'sign-in'
            ? await reauth.signIn(error)
            : false
      if (!mended) throw error
    }
  }
}

/** Reads. */
export function get<P extends With<'get'>>(
  path: P,
  where: { at?: Where['at']; query?: QueryOf<Operation<P, 'get'>> } = {},
): Promise<Reply<Operation<P, 'get'>>> {
  return call('get', path, where as Where) as Promise<Reply<Operation<P, 'get'>>>
}

/** Acts. */
export function post<P extends With<'post'>>(
  path: P,
  body?: BodyOf<Operation<P, 'post'>>,
  at?: Where['at'],
): Promise<Reply<Operation<P, 'post'>>> {
  return call('post', path, { at }, body ?? {}) as Promise<Reply<Operation<P, 'post'>>>
}

/** Puts something in the place of what was looked at, which its digest says; null where nothing was there. */
export function put<P extends With<'put'>>(
  path: P,
  digest: string | null,
  body: BodyOf<Operation<P, 'put'>>,
  at?: Where['at'],
): Promise<Reply<Operation<P, 'put'>>> {
  return call('put', path, { at }, body, digest) as Promise<Reply<Operation<P, 'put'>>>
}

/** Changes some of what was looked at, which its digest says. */
export function patch<P extends With<'patch'>>(
  path: P,
  digest: string,
  body: BodyOf<Operation<P, 'patch'>>,
  at?: Where['at'],
): Promise<Reply<Operation<P, 'patch'>>> {
  return call('patch', path, { at }, body, digest) as Promise<Reply<Operation<P, 'patch'>>>
}

/** Ends. */
export function remove<P extends With<'delete'>>(path: P, at: Where['at']): Promise<Reply<Operation<P, 'delete'>>> {
  return call('delete', path, { at }) as Promise<Reply<Operation<P, 'delete'>>>
}
