//! Wishes for eligibilities, and covers, as replies show them.

use tempestas_api::AppointmentView;
use tempestas_core::{Appointment, AppointmentState, SubjectId, Visible, World};

use super::elevations::stages;

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
