//! Sealed emergency holders: said to have been tried, and late.

use jiff::Timestamp;

use super::{
    alarms,
    deciding::{Deciding, Draft},
    estate::known_target,
    proofs::Administers,
};
use crate::{
    AlarmKind, Refusal, Row, Said, ScopeId, Target, Trial, Tried, What,
    due::Due,
    seal::{tried_again_by, used_for_trial},
};

/// Somebody says that the last use of one was its trial.
pub(super) fn tried(
    deciding: &mut Deciding<'_>,
    id: ScopeId,
    account: &Said,
    next: Option<Timestamp>,
) -> Result<(), Refusal> {
    let administers = deciding.administers(id)?;
    let (target, world, now) = (known_target(deciding, id)?, deciding.world, deciding.now());
    let unknown =
        || Refusal::unknown("sealed account", &account.0, "`tempestas targets seals` lists those that a system keeps");
    let trial = *target.trial_of(world, &account.0).ok_or_else(unknown)?;
    let at = used_for_trial(world, id, &trial, now)?;
    let by = deciding.context.caller.subject();
    let trial = Trial { due: tried_again_by(next, now)?, tried: Some(Tried { by, at }), ..trial };
    recorded(deciding, administers, target, trial);
    Ok(())
}

fn recorded(deciding: &mut Deciding<'_>, administers: Administers, mut target: Target, trial: Trial) {
    let (id, world, Trial { account, due, .. }) = (target.scope, deciding.world, trial);
    target.trials.retain(|known| known.account != account);
    target.trials.push(trial);
    target.trials.sort_unstable_by_key(|known| known.account);
    let draft = &mut deciding.by(administers);
    draft.fact(What::SealTried { target: id, account, due }, vec![Row::Target(target)]);
    let is_it = |there: ScopeId, named| there == id && world.text(named) == world.text(account);
    alarms::settle_where(draft, |about| match about {
        AlarmKind::SealUntried { target, account } | AlarmKind::SealedUsed { target, account, .. } => {
            is_it(*target, *account)
        }
        _ => false,
    });
}

/// Trials whose date has come; by a clock that nobody has looked at none has.
pub(super) fn tick(draft: &mut Draft<'_, '_>) {
    let (world, now) = (draft.world, draft.now());
    if world.clock_is_held() {
        return;
    }
    let due = world.due_by(now).filter_map(|due| match due {
        Due::Target(id) => world.targets.get(&id),
        _ => None,
    });
    for target in due {
        for trial in target.trials.iter().filter(|trial| trial.due <= now) {
            alarms::raise(draft, AlarmKind::SealUntried { target: target.scope, account: trial.account });
        }
    }
}

/// What a target has not sealed any more isn't late.
pub(super) fn unsealed(draft: &mut Draft<'_, '_>, id: ScopeId, trials: &[Trial]) {
    alarms::settle_where(draft, |about| match about {
        AlarmKind::SealUntried { target, account } => {
            *target == id && !trials.iter().any(|trial| trial.account == *account)
        }
        _ => false,
    });
}
