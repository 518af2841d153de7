//! Wishes for eligibilities, and covers, as replies show them.

use jiff::Timestamp;
use tempestas_api::{AppointmentView, OfferView};
use tempestas_core::{Appointment, AppointmentState, Right, Stage, SubjectId, Visible, Weight, World, offer_takes};

use super::elevations::stages;

/// A right that is offered to somebody, with what asking for it takes.
pub(crate) fn offer(world: &World, to: SubjectId, right: Right, now: Timestamp) -> OfferView {
    let (takes, trouble) = match offer_takes(world, to, to, right, now) {
        Ok(takes) => (Some(takes), None),
        Err(why) => (None, Some(why.to_string())),
    };
    let names = |stage: &Stage| stage.approvers.iter().map(|who| world.subject_name(*who)).collect();
    OfferView {
        right: world.right_name(right),
        weight: world.roles.get(&right.role).map_or(Weight::Critical, |role| role.weight),
        lets: world.role_says(right.role).to_owned(),
        longest: takes.as_ref().and_then(|takes| takes.longest),
        reason: takes.as_ref().and_then(|takes| takes.reason),
        asked: takes.map(|takes| takes.stages.iter().map(names).collect()).unwrap_or_default(),
        trouble,
    }
}

/// An appointment as one person sees it.
pub(crate) fn appointment(world: &World, one: Visible<'_, Appointment>, me: SubjectId) -> AppointmentView {
    let name = |id: &SubjectId| world.subject_name(*id);
    AppointmentView {
        id: one.id.to_string(),
        by: one.by.as_ref().map(name),
        at: one.at,
        who: name(&one.subject),
        rights: one.rights.iter().map(|right| world.right_name(*right)).collect(),
        from: one.from,
        until: one.until,
        reason: one.reason.map(|reason| world.text(reason)),
        covers: one.covers.as_ref().map(name),
        state: one.state,
        sentence: sentence(world, &one),
        stages: stages(world, &one.stages),
        for_me: one.waits_for(me),
        digest: one.digest(),
    }
}

fn sentence(world: &World, one: &Appointment) -> String {
    let who = world.subject_name(one.subject);
    let rights = match one.rights.as_slice() {
        [right] => world.right_name(*right),
        rights => format!("{} rights", rights.len()),
    };
    let until = one.until.map_or_else(|| "for good".to_owned(), |at| format!("until {}", at.strftime("%F %R UTC")));
    let what = match one.covers {
        Some(absent) => format!("{who} stands in for {} with {rights} {until}", world.subject_name(absent)),
        None => format!("{who} may ask for {rights} {until}"),
    };
    match one.state {
        AppointmentState::Made => what,
        AppointmentState::Waiting => format!("{what}, once somebody said yes"),
        AppointmentState::Over => format!("{what}; that is over"),
        state => format!("{what}: {}", state.word()),
    }
}
