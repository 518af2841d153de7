// @vitest-environment node
// What goes over the line, and what becomes of what comes back.

import { afterEach, describe, expect, it } from 'vitest'
import { serve } from '../testing/replies'
import { get, reauthWith, patch, post, Problem, put, remove } from './call'

const refusal = async (tried: Promise<unknown>) => {
  const problem = await tried.then(
    () => undefined,
    (error: unknown) => error,
  )
  if (!(problem instanceof Problem)) throw new Error(`no refusal: ${String(problem)}`)
  return problem
}

afterEach(() => reauthWith(undefined))

describe('a request', () => {
  it('fills in its path and query, each escaped, and leaves out what isn’t said', async () => {
    const asked = serve(() => [200, {}])
    await get('/api/v1/elevations/{id}', { at: { id: '../me?x=1' } })
    await get('/api/v1/standing', { query: { target: 'pier/a&b', role: '', account: undefined } as never })
    expect(asked.map((one) => one.url)).toEqual([
      '/api/v1/elevations/..%2Fme%3Fx%3D1',
      '/api/v1/standing?target=pier%2Fa%26b',
    ])
    expect(asked.every((one) => one.method === 'GET' && one.body === undefined)).toBe(true)
  })

  it('carries a key of its own where it changes something, and none where it doesn’t', async () => {
    const asked = serve(() => [200, {}])
    await post('/api/v1/elevations/{id}/begin', undefined, { id: 'E1001' })
    await post('/api/v1/elevations/{id}/begin', undefined, { id: 'E1001' })
    await post('/api/v1/asks/preview', { right: 'root@pier', duration: null, start: null })
    await get('/api/v1/me')
    const keys = asked.map((one) => one.headers['idempotency-key'])
    expect(keys[0]).toMatch(/^[0-9a-f]{32}$/)
    expect(keys[1]).not.toBe(keys[0])
    expect(keys.slice(2)).toEqual([undefined, undefined])
  })

  it('says what it looked at before it changes it', async () => {
    const asked = serve(() => [200, {}])
    const account = { target: 'pier/mooring-1', account: 'mara' }
    await put('/api/v1/people/{who}/account', 'aa', account, { who: 'mara' })
    await put('/api/v1/people/{who}/account', null, account, { who: 'mara' })
    await patch('/api/v1/targets/settings', 'bb', {} as never)
    await remove('/api/v1/duties/{id}', { id: 'd4' })
    expect(asked.map((one) => [one.headers['if-match'], one.headers['if-none-match']])).toEqual([
      ['"aa"', undefined],
      [undefined, '*'],
      ['"bb"', undefined],
      [undefined, undefined],
    ])
  })
})

describe('a reply', () => {
  it('shows what deceives, wherever it comes', async () => {
    serve(() => [200, { reason: 'fix\u202egnp.exe', list: [{ name: 'a\u200bb' }], says: 'plain' }])
    expect(await get('/api/v1/me')).toEqual({
      reason: 'fix\\u{202e}gnp.exe',
      list: [{ name: 'a\\u{200b}b' }],
      says: 'plain',
    })
  })

  it('leaves letters of every language, line ends and faces as they are', async () => {
    const said = { reason: 'Zoë — Łódź, 東京, قلعة\nnext 👩‍🔧'.replace('\u200d', '') }
    serve(() => [200, said])
    expect(await get('/api/v1/me')).toEqual(said)
  })

  it('puts times of the service’s own sentences by the reader’s clock, and nobody else’s', async () => {
    serve(() => [200, { sentence: 'until 2019-07-03 12:05 UTC', reason: 'since 2019-07-03 12:05 UTC' }])
    expect(await get('/api/v1/me')).toEqual({
      sentence: 'until 3 Jul 2019 14:05',
      reason: 'since 2019-07-03 12:05 UTC',
    })
  })

  it('goes on to further pages, as long as there are any', async () => {
    const asked = serve(({ url }) =>
      url.endsWith('after=2') ? [200, [3]] : [200, [1, 2], { link: '<?after=2>; rel="next"' }],
    )
    expect(await get('/api/v1/standing')).toEqual([1, 2, 3])
    expect(asked.map((one) => one.url)).toEqual(['/api/v1/standing', '/api/v1/standing?after=2'])
  })

  it('without a body is as good as an empty one', async () => {
    serve(() => [204, ''])
    expect(await remove('/api/v1/duties/{id}', { id: 'd4' })).toEqual({})
  })
})

describe('a refusal', () => {
  it('keeps its code and its sentence', async () => {
    serve(() => [409, { code: 'conflict', detail: 'E1042 is live already' }])
    const problem = await refusal(post('/api/v1/elevations/{id}/begin', undefined, { id: 'E1042' }))
    expect([problem.code, problem.message]).toEqual(['conflict', 'E1042 is live already'])
  })

  it('says what happened where no service of ours answers', async () => {
    serve((_, n) => (n === 0 ? new TypeError('refused') : [502, '<html>']))
    expect((await refusal(get('/api/v1/me'))).code).toBe('unreachable')
    const unreadable = await refusal(get('/api/v1/me'))
    expect([unreadable.code, unreadable.message]).toEqual(['unreadable', expect.stringContaining('502') as string])
  })

  it('for want of a fresh proof is mended, and the same request made again', async () => {
    const asked = serve((_, n) =>
      n === 0 ? [403, { code: 'step-up', detail: 'prove it', max_age: 600 }] : [200, { id: 'E1' }],
    )
    let wanted: number | undefined
    reauthWith({
      stepUp: (problem) => {
        wanted = problem.maxAge
        return Promise.resolve(true)
      },
      signIn: () => Promise.resolve(false),
    })
    expect(await post('/api/v1/elevations/{id}/begin', undefined, { id: 'E1' })).toEqual({ id: 'E1' })
    expect(wanted).toBe(600)
    const keys = asked.map((one) => one.headers['idempotency-key'])
    expect(keys).toHaveLength(2)
    expect(keys[0]).toBe(keys[1])
  })

  it('stands where it isn’t mended, and where mending doesn’t help', async () => {
    const asked = serve(() => [401, { code: 'sign-in', detail: 'sign in first' }])
    let tries = 0
    reauthWith({ stepUp: () => Promise.resolve(true), signIn: () => Promise.resolve(++tries > 1) })
    expect((await refusal(get('/api/v1/me'))).code).toBe('sign-in')
    expect(asked).toHaveLength(1)
    expect((await refusal(get('/api/v1/me'))).code).toBe('sign-in')
    expect(asked.length - 1).toBe(3)
  })

  it('while signing in isn’t taken for the end of a sign-in', async () => {
    serve(() => [401, { code: 'sign-in', detail: 'wrong name, password or code' }])
    let asked = false
    reauthWith({
      stepUp: () => Promise.resolve(false),
      signIn: () => {
        asked = true
        return Promise.resolve(true)
      },
    })
    await refusal(post('/api/v1/console/sign-in' as never, {} as never))
    expect(asked).toBe(false)
  })
})
