// Reading and acting, for components. What is read names its topics, so that live messages reach it.

import { QueryClient, keepPreviousData, useMutation, useQuery } from '@tanstack/react-query'
import { useSyncExternalStore } from 'react'
import { Problem } from '../api/call'
import type { Topic } from '../api/live'

/** All that was read, kept until a live message concerns it. */
export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: Number.POSITIVE_INFINITY,
      refetchOnWindowFocus: false,
      retry: (failures, error) => error instanceof Problem && error.code === 'unreachable' && failures < 3,
    },
    mutations: { retry: false },
  },
})

/** Fetches anew whatever a live message concerns. */
export function invalidate(topics: Topic[] | 'all') {
  void queries.invalidateQueries({
    predicate: (query) =>
      topics === 'all' || ((query.meta?.topics as Topic[] | undefined) ?? []).some((one) => topics.includes(one)),
  })
}

/** Something read from the service, kept current by its topics. */
export function useData<T>(
  key: unknown[],
  topics: Topic[],
  read: () => Promise<T>,
  options: { enabled?: boolean; keep?: boolean } = {},
) {
  return useQuery({
    queryKey: key,
    queryFn: read,
    meta: { topics },
    enabled: options.enabled ?? true,
    placeholderData: options.keep ? keepPreviousData : undefined,
  })
}

/** Something done; the problem, if any, stays until the next try. */
export function useAction<T, A = void>(act: (argument: A) => Promise<T>, done?: (result: T, argument: A) => void) {
  return useMutation<T, Problem, A>({
    mutationFn: act,
    onSuccess: (result, argument) => {
      invalidate('all')
      done?.(result, argument)
    },
  })
}

// The clock: the service's, ticking each second.

let offset = 0
let now = new Date()
const listeners = new Set<() => void>()

function tick() {
  now = new Date(Date.now() + offset)
  for (const listener of listeners) listener()
}
setInterval(tick, 1000)

/** Takes up the service's clock, so that a wrong one here doesn't tell wrong ends. */
export function setClock(service: string) {
  const apart = new Date(service).getTime() - Date.now()
  if (Math.abs(apart - offset) > 2000) {
    offset = apart
    tick()
  }
}

/** The present time, each second. */
export function useNow(): Date {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener)
      return () => listeners.delete(listener)
    },
    () => now,
  )
}
