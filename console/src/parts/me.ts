// Who I am, and what my duties let me see.

import type { Api } from '../api/call'
import { get } from '../api/call'
import { setClock, useData } from './data'

export type Me = Api['Me']

export async function readMe(): Promise<Me> {
  const me = await get('/api/v1/me')
  setClock(me.now)
  return me
}

export function useMe() {
  return useData(['me'], ['elevations', 'people', 'stops'], readMe)
}

export const isOverseer = (me: Me) => me.duties.length > 0
export const isAdministrator = (me: Me) => me.duties.some((duty) => duty.duty === 'administrator')
