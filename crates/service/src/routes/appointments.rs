//! Making somebody eligible, wishes for it, cover for an absence.

use std::cmp::Reverse;

use tempestas_api::{
    AppointmentAnswer, AppointmentStory, AppointmentVerdict, AppointmentView, ChangeWindow, Done, EligibilityReply,
    NewCover, NewEligibility, OpenFilter, SuspendRequest,
};
use tempestas_core::{
    Appointment, AppointmentId, AppointmentState, EligibilityCommand, EligibilityId, Said, SubjectId, What, World,
};
use tempestas_engine::Committed;
use tempestas_store::Past;

use super::{made, reference, right, subject};
use crate::{
    callers::{Administrator, SignedIn},
    door::{Answer, At, Body, Json, Listed, Listing, Looked},
    past::Found,
    problem::Failure,
    views,
};

/// Whether an appointment waits for this person's answer.
pub(super) fn waits_for(one: &Appointment, me: SubjectId) -> bool {
    one.state == AppointmentState::Waiting
        && one
            .stage
            .as_ref()
            .is_some_and(|stage| stage.approvers.contains(&me) && !stage.answers.iter().any(|answer| answer.by == me))
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

fn view(world: &World, one: &Appointment, me: SubjectId) -> AppointmentView {
    let name = |id: &SubjectId| world.subject_name(*id);
    let stage = one.stage.as_ref();
    let answers = stage.into_iter().flat_map(|stage| &stage.answers).map(|answer| AppointmentAnswer {
        who: name(&answer.by),
        verdict: answer.verdict,
        reason: answer.reason.map(|reason| world.text(reason)),
        at: answer.at,
    });
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
        sentence: sentence(world, one),
        approvers: stage.into_iter().flat_map(|stage| &stage.approvers).map(name).collect(),
        answer_by: stage.map(|stage| stage.until),
        answers: answers.collect(),
        for_me: waits_for(one, me),
        digest: one.digest(),
    }
}

fn shown(me: &SignedIn, world: &World, id: AppointmentId) -> Result<AppointmentView, Failure> {
    let sight = me.sight();
    let seen = world.appointments.get(&id).filter(|one| sight.sees_appointment(world, one));
    let seen =
        seen.ok_or_else(|| Failure::unknown("appointment", &id.to_string(), "`tempestas eligible wishes` lists them"))?;
    Ok(view(world, seen, me.person))
}

/// What the facts of a decision say that became of a wish.
fn came_of(me: &SignedIn, done: &Committed) -> Answer<EligibilityReply> {
    let world = &done.world;
    let given = done.whats.iter().find_map(|what| match what {
        What::EligibilityGiven { eligibility, .. } => Some(*eligibility),
        _ => None,
    });
    let wished = done.whats.iter().find_map(|what| match what {
        What::AppointmentWished { appointment, .. } => Some(*appointment),
        _ => None,
    });
    let held = given.and_then(|id| world.eligibilities.get(&id));
    let made_by = |one: &&Appointment| given.is_some_and(|id| one.made.contains(&id));
    let by =
        world.appointments.values().rev().find(made_by).filter(|one| Some(one.id) == held.and_then(|held| held.by));
    let appointment = wished.or(by.map(|one| one.id)).map(|id| shown(me, world, id)).transpose()?;
    let eligibility = held.map(|held| views::eligibility(world, held, None));
    Ok(Json(EligibilityReply { appointment, eligibility }))
}

pub(super) async fn give(
    Administrator(me): Administrator,
    Body(new): Body<NewEligibility>,
) -> Answer<EligibilityReply> {
    let (subject, right) = {
        let world = me.app.world();
        (subject(&world, &new.who)?, right(&world, me.person, &new.right)?)
    };
    let reason = new.reason.map(Said::new);
    let command = EligibilityCommand::Give { subject, right, from: new.from, until: new.until, reason };
    let done = me.submit(command).await?;
    came_of(&me, &done)
}

pub(super) async fn change(
    me: SignedIn,
    At(id): At,
    Looked(looked_at): Looked,
    Body(new): Body<ChangeWindow>,
) -> Answer<EligibilityReply> {
    if new.for_good && new.until.is_some() {
        return Err(Failure::invalid("say either `until` or `for_good`"));
    }
    let until = if new.for_good { Some(None) } else { new.until.map(Some) };
    let eligibility: EligibilityId = reference(&id)?;
    let command = EligibilityCommand::Change { eligibility, from: new.from, until, reason: new.reason.map(Said::new) };
    let done = me.change(looked_at, command).await?;
    came_of(&me, &done)
}

pub(super) async fn suspend(
    Administrator(me): Administrator,
    At(id): At,
    Body(why): Body<SuspendRequest>,
) -> Answer<Done> {
    me.submit(EligibilityCommand::Suspend { eligibility: reference(&id)?, reason: Said::new(why.reason) }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn resume(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(EligibilityCommand::Resume { eligibility: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn end(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(EligibilityCommand::End { eligibility: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn list(me: SignedIn, Listed(filter, paging): Listed<OpenFilter>) -> Listing<AppointmentView> {
    let sight = me.sight();
    let world = me.app.world();
    let waits = |one: &Appointment| one.state == AppointmentState::Waiting;
    let seen =
        world.appointments.values().filter(|one| sight.sees_appointment(&world, one) && (!filter.open || waits(one)));
    Ok(paging.of(seen, |one| Reverse(one.id))?.map(|one| view(&world, one, me.person)))
}

/// One appointment, with the account of what was done by it.
pub(super) async fn story(me: SignedIn, At(id): At) -> Answer<AppointmentStory> {
    let id: AppointmentId = reference(&id)?;
    let sight = me.sight();
    let world = me.app.world();
    let appointment = shown(&me, &world, id)?;
    let made = world.appointments.get(&id).map(|one| one.made.iter().copied().collect());
    let past = Past { eligibilities: Some(made.unwrap_or_default()), ..Past::default() };
    let Found { world, .. } = me.app.with_past(&world, &past, usize::MAX).await?;
    let known = world.appointments.get(&id);
    // Both sides of a cover read the account, also what an elevation alone would not show them; nobody else does.
    let covers =
        known.is_some_and(|one| one.covers.is_some() && [one.covers, Some(one.subject)].contains(&Some(me.person)));
    let done = known.into_iter().flat_map(|one| one.elevations(&world));
    let mut done: Vec<_> = done.filter(|one| covers || sight.sees_elevation(&world, one)).collect();
    done.reverse();
    let elevations = done.into_iter().map(|one| views::elevation(&world, one, me.person)).collect();
    Ok(Json(AppointmentStory { appointment, elevations }))
}

pub(super) async fn cover(me: SignedIn, Body(new): Body<NewCover>) -> Answer<AppointmentView> {
    let (absent, stand_in) = {
        let world = me.app.world();
        (subject(&world, &new.absent)?, subject(&world, &new.stand_in)?)
    };
    let command = EligibilityCommand::Cover {
        absent,
        stand_in,
        from: new.from,
        until: new.until,
        reason: new.reason.map(Said::new),
    };
    let done = me.submit(command).await?;
    let id = made(&done, |what| match what {
        What::CoverBegun { appointment, .. } | What::AppointmentWished { appointment, .. } => Some(*appointment),
        _ => None,
    })?;
    Ok(Json(shown(&me, &done.world, id)?))
}

pub(super) async fn answer(me: SignedIn, At(id): At, Body(said): Body<AppointmentVerdict>) -> Answer<AppointmentView> {
    let id: AppointmentId = reference(&id)?;
    let command = EligibilityCommand::Answer {
        appointment: id,
        verdict: said.verdict,
        reason: said.reason.map(Said::new),
        shown: said.shown,
    };
    let done = me.submit(command).await?;
    Ok(Json(shown(&me, &done.world, id)?))
}

pub(super) async fn end_appointment(me: SignedIn, At(id): At) -> Answer<AppointmentView> {
    let id: AppointmentId = reference(&id)?;
    let done = me.submit(EligibilityCommand::EndAppointment { appointment: id }).await?;
    Ok(Json(shown(&me, &done.world, id)?))
}
