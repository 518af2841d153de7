//! Making somebody eligible, wishes for it, cover for an absence.

use std::cmp::Reverse;

use jiff::Timestamp;
use tempestas_api::{
    AppointmentStory, AppointmentVerdict, AppointmentView, ChangeWindow, Done, EligibilityReply, NewCover,
    NewEligibility, NewWish, OfferQuery, OfferView, OpenFilter, SuspendRequest,
};
use tempestas_core::{
    Appointment, AppointmentId, AppointmentState, EligibilityCommand, EligibilityId, Right, Said, Visible, What, World,
};
use tempestas_engine::Committed;
use tempestas_store::Past;

use super::{made, reference, right, subject};
use crate::{
    callers::{Administrator, SignedIn},
    door::{Answer, At, Body, Json, Listed, Listing, Looked, Query},
    past::Found,
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

fn seen<'w>(me: &SignedIn, world: &'w World, id: AppointmentId) -> Result<Visible<'w, Appointment>, Failure> {
    let seen = world.appointments.get(&id).and_then(|one| me.sight().see(world, one));
    seen.ok_or_else(|| Failure::unknown("appointment", &id.to_string(), "`tempestas eligible wishes` lists them"))
}

fn shown(me: &SignedIn, world: &World, id: AppointmentId) -> Result<AppointmentView, Failure> {
    Ok(views::appointment(world, seen(me, world, id)?, me.person))
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
    let sight = me.sight();
    let seen = held.and_then(|held| sight.see(world, held));
    let eligibility = seen.map(|held| views::eligibility(world, held, None));
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

/// Most offers that are shown at once.
const OFFERS_MOST: usize = 200;

/// What terms offer to the caller, of what they aren't eligible for.
pub(super) async fn offers(me: SignedIn, Query(query): Query<OfferQuery>) -> Answer<Vec<OfferView>> {
    let (world, me_id) = (me.app.world(), me.person);
    let words: Vec<String> = query.q.to_lowercase().split_whitespace().map(str::to_owned).collect();
    let offers = me.app.engine().reckon(move || {
        let now = Timestamp::now();
        let is_meant = |right: &Right| {
            let said = format!("{} {}", world.right_name(*right), world.role_says(right.role)).to_lowercase();
            words.iter().all(|word| said.contains(word.as_str()))
        };
        let offered = world.offered_to(me_id, now).into_iter().filter(is_meant).take(OFFERS_MOST);
        offered.map(|right| views::offer(&world, me_id, right, now)).collect()
    });
    Ok(Json(offers.await?))
}

/// Asks to be made eligible for what is offered.
pub(super) async fn wish(me: SignedIn, Body(new): Body<NewWish>) -> Answer<EligibilityReply> {
    let (subject, right) = {
        let world = me.app.world();
        // What isn't offered, or nobody's group of theirs, is answered like what isn't there.
        let unknown =
            || Failure::unknown("offer of", &new.right, "`tempestas eligible offered` lists what is offered to you");
        let subject = match &new.group {
            None => Some(me.person),
            Some(group) => subject(&world, group).ok().filter(|group| world.belongs_to(me.person, *group)),
        };
        let right = world.right_from(&new.right).ok();
        let offered = subject.zip(right).filter(|(subject, right)| world.is_offered(*right, *subject));
        offered.ok_or_else(unknown)?
    };
    let command = EligibilityCommand::Wish { subject, right, until: new.until, reason: new.reason.map(Said::new) };
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
        return Err(EdgeRefusal::NoEnd.into());
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
    let wanted = world.appointments.values().filter(|one| !filter.open || waits(one));
    let seen = wanted.filter_map(|one| sight.see(&world, one));
    Ok(paging.of(seen, |one| Reverse(one.id))?.map(|one| views::appointment(&world, one, me.person)))
}

/// One appointment, with the account of what was done by it.
pub(super) async fn story(me: SignedIn, At(id): At) -> Answer<AppointmentStory> {
    let id: AppointmentId = reference(&id)?;
    let world = me.app.world();
    let made = seen(&me, &world, id)?.made.iter().copied().collect();
    let past = Past { eligibilities: Some(made), ..Past::default() };
    let Found { world, .. } = me.app.with_past(&world, &past, usize::MAX).await?;
    let one = seen(&me, &world, id)?;
    let sight = me.sight();
    let mut done: Vec<_> = sight.done_by(&world, one).collect();
    done.reverse();
    let elevations = done.into_iter().map(|done| views::elevation(&world, done, me.person)).collect();
    Ok(Json(AppointmentStory { appointment: views::appointment(&world, one, me.person), elevations }))
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
