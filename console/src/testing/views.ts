// Views of the service, as tests begin with them.

import type { Api } from '../api/call'
import { NOTHING } from '../parts/Brings'

const LAPSE: Api['Lapse'] = {
  by_itself: true,
  within: 1,
  holder_can_undo: false,
  movable: true,
  says: 'the cluster itself ends it within 1 s',
}

/** Nothing is wanted beside a proof. */
export const WANTS: Api['Wants'] = { purposes: [], reason: { is: 'hidden' }, ticket: { is: 'off' }, references: {} }

/** What holding a right for a time demands. */
export function demand(but: Partial<Api['DemandView']> = {}): Api['DemandView'] {
  return {
    right: 'root@pier',
    says: 'may do anything',
    sentence: 'To hold root@pier for 1 h you need a proof of yourself.',
    digest: 'd1',
    duration: 3600,
    usual: 3600,
    longest: 14400,
    proof_within: 600,
    proof_accepts: [],
    weight: 'critical',
    narrower: [],
    stages: [],
    wants: WANTS,
    starts: { at_yes: true, at_time_within: null, begin_within: null },
    ends: LAPSE,
    glass: false,
    ...but,
  }
}

/** A stage in which these are asked for one yes. */
export const stage = (...approvers: string[]): Api['StageAskedView'] => ({
  approvers,
  yes: 1,
  within: 3600,
  onward: [],
  away: [],
})

/** A stage that waits for these. */
export const waiting = (...approvers: string[]): Api['StageView'] => ({
  approvers,
  yes: 1,
  no: 1,
  until: '2026-11-20T13:00:00Z',
  onward: [],
  away: [],
  answers: [],
})

/** An elevation, live and somebody else's. */
export function elevation(but: Partial<Api['ElevationView']> = {}): Api['ElevationView'] {
  return {
    id: 'E1042',
    who: 'tomas.reyes',
    right: 'root@pier',
    says: 'may do anything',
    weight: 'critical',
    state: 'live',
    sentence: 'live until 2026-11-20 13:00:00 UTC',
    asked_at: '2026-11-20T12:00:00Z',
    duration: 3600,
    start: { start: 'at-yes' },
    account: null,
    account_holds: [],
    alike: [],
    mine: false,
    for_me: false,
    may_revoke: false,
    takes_own_key: false,
    demand: '',
    brought: NOTHING,
    digest: 'e1',
    rounds: [],
    extension: null,
    extends: [],
    may_extend: false,
    grace: null,
    glass: false,
    debrief: null,
    ...but,
  }
}

/** An ask to go on with it for half an hour. */
export const EXTENSION: Api['ExtensionView'] = {
  until: '2026-11-20T13:30:00Z',
  more: 1800,
  brought: { ...NOTHING, reason: 'the pump is still open' },
  demand: '',
}

/** Somebody signed in, who has no duty. */
export function me(but: Partial<Api['Me']> = {}): Api['Me'] {
  return {
    name: 'tomas.reyes',
    about: 'Tomas Reyes',
    administers_all: false,
    sees_all: false,
    duties: [],
    groups: [],
    has_passkey: false,
    live: 0,
    waiting_for_me: 0,
    now: new Date().toISOString(),
    ends: '2026-11-20T20:00:00Z',
    proof: null,
    sample_world: false,
    stops: [],
    ...but,
  }
}

/** A right that is held all the time. */
export function standing(but: Partial<Api['StandingView']> = {}): Api['StandingView'] {
  return {
    id: 'H12',
    account: 't.reyes',
    who: 'tomas.reyes',
    role: 'root',
    scope: '/harbour/pier',
    target: '/harbour/pier',
    weight: 'critical',
    chain: [],
    direct: true,
    first_seen: '2026-11-01T08:00:00Z',
    last_used: null,
    use_is_told: true,
    sealed: false,
    against: null,
    ...but,
  }
}

/** What somebody may ask for. */
export function eligibility(but: Partial<Api['EligibilityView']> = {}): Api['EligibilityView'] {
  return {
    id: 'L7',
    who: 'tomas.reyes',
    right: 'root@/harbour/pier',
    says: 'may do anything',
    weight: 'critical',
    from: '2026-11-01T08:00:00Z',
    until: null,
    digest: 'l1',
    ...but,
  }
}

/** What surrounds an ask, where there is little of it. */
export const CONTEXT: Api['AskContext'] = {
  would_change: 'may do anything on it',
  holds: [],
  earlier: [],
  earlier_count: 0,
  narrower: ['pier/mooring-1'],
  others_waiting: 0,
}

/** A system that answers. */
export function target(but: Partial<Api['TargetView']> = {}): Api['TargetView'] {
  return {
    path: '/harbour/pier',
    connector: { kind: 'postgres', host: '127.0.0.1', port: 5432, user: 'tempestas_broker', database: 'tempestas' },
    digest: 't1',
    emergency_least: 1,
    alarm_after: 60,
    labels: {},
    attributes: {},
    seals: [],
    standing: 3,
    live: 0,
    held: false,
    answered_at: '2026-11-20T12:00:00Z',
    ...but,
  }
}
