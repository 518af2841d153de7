// A service that answers as it is told, for tests: what was asked of it, in order.

import { vi } from 'vitest'

/** A call that was made. */
export interface Asked {
  method: string
  url: string
  headers: Record<string, string>
  body: unknown
}

/** One answer: a status, what it says, and its headers. */
export type Answer = [status: number, said: unknown, headers?: Record<string, string>]

/** Answers each request by `answer`, at once or once it is there; an Error is a line that breaks. */
export function serve(answer: (asked: Asked, n: number) => Answer | Error | Promise<Answer>): Asked[] {
  const all: Asked[] = []
  vi.stubGlobal('fetch', async (url: string, init: RequestInit) => {
    const asked: Asked = {
      method: init.method ?? 'GET',
      url,
      headers: (init.headers ?? {}) as Record<string, string>,
      body: typeof init.body === 'string' ? (JSON.parse(init.body) as unknown) : undefined,
    }
    all.push(asked)
    const given = await answer(asked, all.length - 1)
    if (given instanceof Error) throw given
    const [status, said, headers] = given
    const text = typeof said === 'string' ? said : JSON.stringify(said)
    return new Response(status === 204 ? null : text, { status, headers })
  })
  return all
}
