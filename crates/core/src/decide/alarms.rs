//! Alarms: raised once while they are unsettled, settled by a person or with their cause.

use super::{
    deciding::{Deciding, Draft},
    proofs::Reporting,
};
use crate::{Alarm, AlarmId, AlarmKind, EstateRefusal, Refusal, Row, What};

/// A keeper raises an alarm of its own target, or the service one of its own.
pub(super) fn reported(deciding: &mut Deciding<'_>, about: &AlarmKind) -> Result<(), Refusal> {
    let itself = deciding.itself_about(about.target(deciding.world))?;
    raise(&mut deciding.by(itself), about.clone());
    Ok(())
}

/// The clock of the target that is reported on agrees with ours again.
pub(super) fn clock_agrees(draft: &mut Draft<'_, '_>, reporting: Reporting) {
    let own = reporting.target();
    settle_where(draft, |about| matches!(about, AlarmKind::Skew { target, .. } if *target == own));
}

/// Raises an alarm unless the same one is up already.
pub(super) fn raise(draft: &mut Draft<'_, '_>, about: AlarmKind) {
    if draft.world.open_alarm(|known| same_cause(known, &about)).is_some() {
        return;
    }
    let id: AlarmId = draft.id();
    let alarm = Alarm { id, about: about.clone(), since: draft.now(), settled: None };
    draft.fact(What::AlarmRaised { alarm: id, about }, vec![Row::Alarm(alarm)]);
}

/// Two alarms of one cause, whatever the figures in them.
fn same_cause(known: &AlarmKind, about: &AlarmKind) -> bool {
    match (known, about) {
        (AlarmKind::Skew { target: a, .. }, AlarmKind::Skew { target: b, .. })
        | (AlarmKind::LogUnread { target: a, .. }, AlarmKind::LogUnread { target: b, .. }) => a == b,
        (AlarmKind::ClockStep { .. }, AlarmKind::ClockStep { .. })
        | (AlarmKind::LedgerDiffers { .. }, AlarmKind::LedgerDiffers { .. }) => true,
        (known, about) => known == about,
    }
}

/// Settles every alarm that `fits`, because its cause is gone.
pub(super) fn settle_where(draft: &mut Draft<'_, '_>, fits: impl Fn(&AlarmKind) -> bool) {
    let open: Vec<Alarm> =
        draft.world.alarms.values().filter(|alarm| alarm.settled.is_none() && fits(&alarm.about)).cloned().collect();
    for alarm in open {
        let settled = Alarm { settled: Some(draft.now()), ..alarm };
        draft.fact(What::AlarmSettled { alarm: settled.id }, vec![Row::Alarm(settled)]);
    }
}

/// A person settles an alarm.
pub(super) fn settle(deciding: &mut Deciding<'_>, id: AlarmId) -> Result<(), Refusal> {
    let alarm = deciding
        .world
        .alarms
        .get(&id)
        .filter(|alarm| alarm.settled.is_none())
        .ok_or_else(|| Refusal::unknown("open alarm", id, "`tempestas alarms` lists them"))?;
    let Some(scope) = alarm.about.settled_at(deciding.world) else {
        let about = alarm.about.sentence(deciding.world).to_string();
        return Err(EstateRefusal::SettlesByItself { about }.into());
    };
    let administers = deciding.administers(scope)?;
    if deciding.context.caller.subject().is_some_and(|me| alarm.about.is_about(deciding.world, me)) {
        return Err(EstateRefusal::OwnAlarm.into());
    }
    let settled = Alarm { settled: Some(deciding.now()), ..alarm.clone() };
    deciding.by(administers).fact(What::AlarmSettled { alarm: id }, vec![Row::Alarm(settled)]);
    Ok(())
}
