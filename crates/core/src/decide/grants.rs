//! Grants: what keepers saw, endings, and the passing of time.

use std::collections::BTreeSet;

use jiff::Timestamp;

use super::{
    alarms,
    checked::checked_text,
    debriefs,
    deciding::{Deciding, Draft},
    extensions,
    lifecycle::{ended, never_begun, next_in_line, number, open, waits_until},
    proofs::{FreshProof, Person, Reported},
};
use crate::{
    AlarmKind, Digest, Elevation, ElevationId, End, Grant, GrantId, HoldRefusal, LEFT_ALONE, Leftover, Phase, Refusal,
    Row, Said, Seen, Sight, StartChoice, What, World, approvers::could_settle, due::Due, elevation::CLOCKS_APART,
    later,
};

/// Its holder ends an elevation before its time.
pub(super) fn give_back(deciding: &mut Deciding<'_>, person: Person, id: ElevationId) -> Result<(), Refusal> {
    let elevation = deciding.elevation(id)?;
    if elevation.holder != person.id() {
        return Err(HoldRefusal::NotYoursToGiveBack.into());
    }
    match elevation.phase {
        Phase::Opening | Phase::Live => close(&mut deciding.by(person), elevation, End::GivenBack, None),
        Phase::Waiting | Phase::Scheduled | Phase::Ready => {
            never_begun(&mut deciding.by(person), elevation, End::Withdrawn, None);
        }
        Phase::Closing | Phase::Ended(_) => return Err(nothing_to_end(&elevation)),
    }
    Ok(())
}

/// Its holder is about to be shown the login of an elevation.
pub(super) fn show_login(deciding: &mut Deciding<'_>, person: Person, id: ElevationId) -> Result<(), Refusal> {
    let (elevation, demand) = deciding.demanded(id)?;
    if elevation.holder != person.id() {
        return Err(HoldRefusal::NotYourLogin.into());
    }
    if elevation.phase != Phase::Live {
        return Err(HoldRefusal::NotLive { id, phase: elevation.phase }.into());
    }
    let proof = deciding.proven(&deciding.takes_still(&elevation, &demand))?;
    let Some(grant) = deciding.world.grant_of(&elevation) else { return Ok(()) };
    shown(&mut deciding.by(person), proof, grant);
    Ok(())
}

fn shown(draft: &mut Draft<'_, '_>, _: FreshProof, grant: &Grant) {
    let what = What::LoginShown { elevation: grant.elevation, replaced: grant.login_shown };
    draft.fact(what, vec![Row::Grant(Grant { login_shown: true, ..grant.clone() })]);
}

fn nothing_to_end(elevation: &Elevation) -> Refusal {
    HoldRefusal::EndedAlready { id: elevation.id, phase: elevation.phase }.into()
}

/// An approver or administrator ends an elevation before its time.
pub(super) fn revoke(deciding: &mut Deciding<'_>, person: Person, id: ElevationId, word: &Said) -> Result<(), Refusal> {
    let me = person.id();
    let elevation = deciding.elevation(id)?;
    if !elevation.asked_about(me) && !Sight::is_administrator(deciding.world, me, elevation.right.scope) {
        return Err(HoldRefusal::NotYoursToRevoke { id }.into());
    }
    if word.0.is_empty() {
        return Err(HoldRefusal::NoWord.into());
    }
    checked_text("word", word, 500)?;
    if matches!(elevation.phase, Phase::Closing | Phase::Ended(_)) {
        return Err(nothing_to_end(&elevation));
    }
    end_whatever_stands(&mut deciding.by(person), elevation, word);
    Ok(())
}

/// Ends an elevation at whatever point it stands, as revoked.
pub(super) fn end_whatever_stands(draft: &mut Draft<'_, '_>, mut elevation: Elevation, word: &Said) {
    let said = draft.text(word);
    match elevation.phase {
        Phase::Opening | Phase::Live => close(draft, elevation, End::Revoked, Some(said)),
        Phase::Waiting | Phase::Scheduled | Phase::Ready => {
            elevation.end_word = Some(said);
            never_begun(draft, elevation, End::Revoked, None);
        }
        Phase::Closing | Phase::Ended(_) => {}
    }
}

/// Begins to take a grant away.
pub(super) fn close(draft: &mut Draft<'_, '_>, mut elevation: Elevation, end: End, word: Option<Digest>) {
    let Some(grant) = draft.world.grant_of(&elevation).cloned() else {
        return never_begun(draft, elevation, end, None);
    };
    let id = grant.id;
    elevation.phase = Phase::Closing;
    elevation.extension = None;
    elevation.end_word = word;
    elevation.trouble = None;
    let grant =
        Grant { wanted: false, ending: Some(end), ending_since: Some(draft.now()), seen: Seen::Unknown, ..grant };
    draft.fact(What::Closing { elevation: elevation.id, end }, vec![Row::Elevation(elevation), Row::Grant(grant)]);
    alarms::settle_where(draft, |about| *about == AlarmKind::Missing { grant: id });
}

/// The grant that an alarm names.
fn alarmed_grant(about: &AlarmKind) -> Option<GrantId> {
    match about {
        AlarmKind::Missing { grant } | AlarmKind::TakeLate { grant } => Some(*grant),
        _ => None,
    }
}

/// A keeper read the grant back.
pub(super) fn seen(draft: &mut Draft<'_, '_>, Reported { mut elevation, mut grant, .. }: Reported, there: bool) {
    let id = grant.id;
    // A report that comes after the end changes nothing: the end is read back on its own.
    // Nor does one of its absence just before: the target's clock may be a little ahead of ours.
    let about_to_end = !there && grant.until.duration_since(draft.now()) <= CLOCKS_APART;
    if !grant.wanted || draft.now() >= grant.until || about_to_end {
        return;
    }
    let before = grant.seen;
    grant.seen = if there { Seen::Yes } else { Seen::No };
    grant.seen_at = Some(draft.now());
    if there && elevation.phase == Phase::Opening {
        grant.verified_at = Some(draft.now());
        elevation.phase = Phase::Live;
        elevation.trouble = None;
        draft.fact(
            What::Verified { elevation: elevation.id, grant: id },
            vec![Row::Elevation(elevation), Row::Grant(grant)],
        );
    } else if before != grant.seen && grant.verified_at.is_some() {
        let trouble = (!there).then(|| "it is not on the target any more: somebody took it away there".to_owned());
        elevation.trouble.clone_from(&trouble);
        draft.fact(
            What::Delayed { elevation: elevation.id, trouble },
            vec![Row::Elevation(elevation), Row::Grant(grant)],
        );
        if there {
            alarms::settle_where(draft, |about| *about == AlarmKind::Missing { grant: id });
        } else {
            alarms::raise(draft, AlarmKind::Missing { grant: id });
        }
    }
}

/// A keeper put the grant there, at this time of the target's.
pub(super) fn given(draft: &mut Draft<'_, '_>, mut reported: Reported, at: Timestamp) {
    reported.grant.given_at = reported.grant.once.then_some(at);
    seen(draft, reported, true);
}

/// A keeper saw a grant used: it ends, where it is good for one use, and that one is not older than the grant.
pub(super) fn used(draft: &mut Draft<'_, '_>, Reported { elevation, grant, .. }: Reported, at: Timestamp) {
    if grant.wanted && grant.once && at >= grant.usable_from() {
        close(draft, elevation, End::Used, None);
    }
}

/// Notes what is in the way, once for each change of it.
pub(super) fn delayed(draft: &mut Draft<'_, '_>, Reported { mut elevation, .. }: Reported, trouble: &str) {
    let trouble = Some(trouble.to_owned());
    if elevation.trouble == trouble || elevation.is_over() {
        return;
    }
    elevation.trouble.clone_from(&trouble);
    draft.fact(What::Delayed { elevation: elevation.id, trouble }, vec![Row::Elevation(elevation)]);
}

/// A keeper took the grant away, read back that it is gone, and looked for leftovers.
pub(super) fn gone(draft: &mut Draft<'_, '_>, reported: Reported, leftovers: &[(Said, Option<Timestamp>, bool)]) {
    let Reported { mut elevation, mut grant, .. } = reported;
    let id = grant.id;
    let (Phase::Closing, Some(end)) = (elevation.phase, grant.ending) else { return };
    let found: Vec<Leftover> = leftovers
        .iter()
        .map(|(what, when, ended)| Leftover { what: draft.text(what), when: *when, ended: *ended })
        .collect();
    let count = u32::try_from(found.len()).unwrap_or(u32::MAX);
    grant.seen = Seen::No;
    grant.seen_at = Some(draft.now());
    grant.leftovers = Some(found);
    elevation.phase = Phase::Ended(end);
    elevation.trouble = None;
    let right = elevation.right;
    ended(draft, elevation, (end, count), vec![Row::Grant(grant)]);
    next_in_line(draft, right);
    alarms::settle_where(draft, |about| alarmed_grant(about) == Some(id));
}

/// Time has passed: what ran out ends, what is due opens, what is late is an alarm.
pub(super) fn tick(draft: &mut Draft<'_, '_>) {
    let now = draft.now();
    let world = draft.world;
    let due = world.due_by(now).filter_map(|due| match due {
        Due::Elevation(id) => Some(id),
        Due::Grant(id) => Some(world.grants.get(&id)?.elevation),
        Due::Appointment(_) | Due::Conversion(_) | Due::Drift(_) | Due::Target(_) | Due::Terms(_) => None,
    });
    let mut opened = false;
    let touched: BTreeSet<ElevationId> = due.chain(world.looked_at(now)).collect();
    for elevation in touched.iter().filter_map(|id| world.elevations.get(id)) {
        let grant = world.grant_of(elevation);
        match elevation.phase {
            Phase::Waiting if elevation.stage().is_none_or(|stage| stage.has_run_out(now)) => {
                if !comes_to_others(draft, elevation) {
                    let why = Some("nobody settled it in time".to_owned());
                    never_begun(draft, elevation.clone(), End::Unanswered, why);
                }
            }
            Phase::Opening | Phase::Live if grant.is_none_or(|grant| now >= grant.until) => {
                let never = grant.is_some_and(|grant| grant.verified_at.is_none());
                close(draft, elevation.clone(), if never { End::Failed } else { End::Lapsed }, None);
            }
            Phase::Live if elevation.extension.is_some() => {
                let late = elevation.stage().is_none_or(|stage| stage.has_run_out(now));
                if late && comes_to_others(draft, elevation) {
                    continue;
                }
                if late || is_left_alone(world, elevation) {
                    extensions::over(draft, elevation.clone(), End::Unanswered, None);
                }
            }
            Phase::Waiting if is_left_alone(world, elevation) => {
                never_begun(draft, elevation.clone(), End::Unanswered, Some(LEFT_ALONE.to_owned()));
            }
            // What one of them holds once it is open may be kept from the next: that one is looked at by the next tick.
            Phase::Scheduled if is_due(elevation, now) && (!opened || world.separations.is_empty()) => {
                opened = true;
                let Some(demand) = world.demand_of(elevation.id) else { continue };
                open(draft, elevation.clone(), demand);
            }
            Phase::Ready if elevation.begin_by.is_none_or(|by| now >= by) => {
                never_begun(
                    draft,
                    elevation.clone(),
                    End::Unanswered,
                    Some("it was not begun within its window".to_owned()),
                );
            }
            Phase::Closing => {
                let Some(grant) = grant else { continue };
                let after = world.targets.get(&grant.target).map(|target| target.alarm_after);
                if let (Some(since), Some(after)) = (grant.ending_since, after)
                    && now >= later(since, after)
                {
                    alarms::raise(draft, AlarmKind::TakeLate { grant: grant.id });
                }
            }
            Phase::Ended(_) => debriefs::late(draft, elevation),
            Phase::Waiting | Phase::Scheduled | Phase::Ready | Phase::Opening | Phase::Live => {}
        }
    }
}

/// Whether those who may still answer, each with a yes, could not settle an ask before it runs out.
fn is_left_alone(world: &World, elevation: &Elevation) -> bool {
    let (Some(demand), Some(until)) = (elevation.demanded(world), elevation.stage().and_then(|stage| stage.until))
    else {
        return false;
    };
    !could_settle(world, elevation, &demand.terms.approval, until)
}

/// Has others asked as well about what waited for its time; whether there are any.
fn comes_to_others(draft: &mut Draft<'_, '_>, elevation: &Elevation) -> bool {
    let (now, latest) = (draft.now(), waits_until(draft.world, elevation));
    let mut elevation = elevation.clone();
    let id = elevation.id;
    let Some(stages) = elevation.open_stages() else { return false };
    if now >= latest || !stages.move_on(now, latest) {
        return false;
    }
    let stage = number(stages.open_at());
    draft.fact(What::StageLate { elevation: id, stage }, vec![Row::Elevation(elevation)]);
    true
}

fn is_due(elevation: &Elevation, now: Timestamp) -> bool {
    match elevation.start {
        StartChoice::At { time } => now >= time,
        // Held by the clock after its yes.
        StartChoice::AtYes | StartChoice::OnBegin => true,
    }
}
