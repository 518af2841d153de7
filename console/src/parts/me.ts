// Who I am, and what my duties let me see.

import type { Api } from '../api/call'
import { get } from '../api/call'
import { setClock, useData } from './data'

/** Who is signed in, and what waits for them. */
export type Me = Api['Me']

/** Reads who is signed in, and takes up the service’s clock. */
export async function readMe(): Promise<Me> {
  const me = await get('/api/v1/me')
  setClock(me.now)
  return me
}

/** Who is signed in. */
export function useMe() {
  return useData(['me'], ['elevations', 'people', 'stops'], readMe)
}

/** Whether they have a duty anywhere. */
export const isOverseer = (me: Me) => me.duties.length > 0
/** Whether they administer anything. */
export const isAdministrator = (me: Me) => me.duties.some((duty) => duty.duty === 'administrator')
