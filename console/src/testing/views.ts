// Views of the service, as tests begin with them.

import type { Api } from '../api/call'

const LAPSE: Api['Lapse'] = {
  by_itself: true,
  within: 1,
  holder_can_undo: false,
  says: 'the cluster itself ends it within 1 s',
}

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
    weight: 'critical',
    narrower: [],
    approvers: [],
    reason: { is: 'hidden' },
    ticket: { is: 'off' },
    starts: { at_yes: true, at_time_within: null, begin_within: null },
    ends: LAPSE,
    ...but,
  }
}

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
    digest: 'e1',
    stages: [],
    ...but,
  }
}
