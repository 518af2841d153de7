//! Eligibilities: given, changed in place, suspended, resumed, ended; wishes for them; cover for an absence.

use jiff::Timestamp;

use super::{
    asks::WAITING_MOST,
    checked::{checked_text, letters},
    deciding::{Deciding, Draft, count},
    lifecycle::number,
    proofs::{FreshProof, Permit, Permitted},
};
use crate::{
    Act, Actor, Answer, Appointment, AppointmentId, AppointmentState, Digest, Eligibility, EligibilityCommand,
    EligibilityId, EligibilityRefusal, Key, Kind, Pause, ReasonRule, Refusal, Right, Row, Said, Sight, Stage, Stages,
    SubjectId, SubjectKind, Surety, Verdict, What,
    appointment::{ensure_lasts, is_cover, making, rights_to_cover},
    assurance::FOR_A_STEP,
    due::Due,
    influence::is_touched,
};

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &EligibilityCommand) -> Result<(), Refusal> {
    match command {
        EligibilityCommand::Give { subject, right, from, until, reason } => {
            let administers = deciding.administers(right.scope)?;
            known_subject(deciding, *subject)?;
            let from = from.unwrap_or(deciding.now());
            let wish = Wish { subject: *subject, rights: vec![*right], from, until: *until, reason, covers: None };
            appoint(deciding, administers, &wish, false)
        }
        EligibilityCommand::Wish { subject, right, until, reason } => wish(deciding, *subject, *right, *until, reason),
        EligibilityCommand::Change { eligibility, from, until, reason } => {
            change(deciding, *eligibility, *from, *until, reason)
        }
        EligibilityCommand::Suspend { eligibility, reason } => suspend(deciding, *eligibility, reason),
        EligibilityCommand::Resume { eligibility } => resume(deciding, *eligibility),
        EligibilityCommand::End { eligibility } => {
            let held = known(deciding, *eligibility)?;
            let administers = deciding.administers(held.right.scope)?;
            end(&mut deciding.by(administers), &held);
            Ok(())
        }
        EligibilityCommand::Cover { absent, stand_in, from, until, reason } => {
            cover(deciding, *absent, *stand_in, *from, *until, reason)
        }
        EligibilityCommand::Answer { appointment, verdict, reason, shown } => {
            answer(deciding, *appointment, *verdict, reason.as_ref(), *shown)
        }
        EligibilityCommand::EndAppointment { appointment } => end_appointment(deciding, *appointment),
    }
}

fn suspend(deciding: &mut Deciding<'_>, id: EligibilityId, reason: &Said) -> Result<(), Refusal> {
    let held = known(deciding, id)?;
    let administers = deciding.administers(held.right.scope)?;
    if held.paused.is_some() {
        return Err(EligibilityRefusal::PausedAlready { id }.into());
    }
    let pause = deciding.pause(reason)?;
    let what = What::EligibilitySuspended { eligibility: held.id, subject: held.subject, right: held.right };
    let row = Row::Eligibility(Eligibility { paused: Some(pause), ..held });
    deciding.by(administers).fact(what, vec![row]);
    Ok(())
}

fn resume(deciding: &mut Deciding<'_>, id: EligibilityId) -> Result<(), Refusal> {
    let held = known(deciding, id)?;
    let administers = deciding.administers(held.right.scope)?;
    if held.paused.is_none() {
        return Err(EligibilityRefusal::NotPaused { id }.into());
    }
    ensure_is_not_own(deciding, &held)?;
    let what = What::EligibilityResumed { eligibility: held.id, subject: held.subject, right: held.right };
    let row = Row::Eligibility(Eligibility { paused: None, ..held });
    deciding.by(administers).fact(what, vec![row]);
    Ok(())
}

/// What is to be made.
struct Wish<'a> {
    subject: SubjectId,
    rights: Vec<Right>,
    from: Timestamp,
    until: Option<Timestamp>,
    reason: &'a Option<Said>,
    covers: Option<SubjectId>,
}

fn known(deciding: &Deciding<'_>, id: EligibilityId) -> Result<Eligibility, Refusal> {
    let unknown = || Refusal::unknown("eligibility", id, "`tempestas eligible --all` lists them");
    deciding.world.eligibilities.get(&id).cloned().ok_or_else(unknown)
}

/// Refuses to resume what gives power to the caller: who suspended it meant them. Of somebody who is the caller's hand, where
/// making them eligible would ask others.
fn ensure_is_not_own(deciding: &Deciding<'_>, held: &Eligibility) -> Result<(), Refusal> {
    let Some(me) = deciding.context.caller.subject() else { return Ok(()) };
    let (world, now) = (deciding.world, deciding.now());
    let gains = world.everybody_in(held.subject);
    let suspended_it = held.paused.is_some_and(|pause| pause.by.is_some_and(|by| world.human(by) == world.human(me)));
    let is_own = |who: &SubjectId| world.human(*who) == world.human(me) && !suspended_it;
    let is_hand = gains.iter().any(|who| is_touched(world, *who, me, now));
    let asks = || {
        making(world, Some(me), held.subject, &[held.right], false, now).map_or(true, |made| !made.stages.is_empty())
    };
    if gains.iter().any(is_own) || is_hand && asks() {
        return Err(EligibilityRefusal::OwnResumption.into());
    }
    Ok(())
}

fn known_subject(deciding: &Deciding<'_>, id: SubjectId) -> Result<(), Refusal> {
    let unknown = || Refusal::unknown("person, group or program", id, "`tempestas people` lists them");
    deciding.world.subjects.contains_key(&id).then_some(()).ok_or_else(unknown)
}

fn change(
    deciding: &mut Deciding<'_>,
    id: EligibilityId,
    from: Option<Timestamp>,
    until: Option<Option<Timestamp>>,
    reason: &Option<Said>,
) -> Result<(), Refusal> {
    let unknown = || Refusal::unknown("eligibility", id, "`tempestas eligible` lists what you may ask for");
    let held = deciding.world.eligibilities.get(&id).cloned().ok_or_else(unknown)?;
    let me = deciding.context.caller.subject();
    let runs_it = me.is_none_or(|me| Sight::is_administrator(deciding.world, me, held.right.scope));
    let permitted = if runs_it {
        Permitted::by(deciding.administers(held.right.scope)?)
    } else {
        let person = deciding.person()?;
        if !deciding.world.belongs_to(person.id(), held.subject) {
            return Err(unknown());
        }
        match held.until {
            None => return Err(EligibilityRefusal::NothingToRenew { id }.into()),
            Some(end) if end <= deciding.now() => return Err(EligibilityRefusal::PastRenewing { id, at: end }.into()),
            Some(_) => Permitted::by(person),
        }
    };
    deciding.ensure_as_looked_at(&id, Some(held.digest()))?;
    let (from, until) = (from.unwrap_or(held.from), until.unwrap_or(held.until));
    if (from, until) == (held.from, held.until) {
        return Err(EligibilityRefusal::SameWindow.into());
    }
    let is_less = from >= held.from && until.is_some_and(|until| held.until.is_none_or(|end| until <= end));
    if is_less && runs_it {
        ensure_window(deciding, from, until)?;
        give(&mut deciding.by(permitted), Eligibility { from, until, ..held });
        return Ok(());
    }
    let wish = Wish { subject: held.subject, rights: vec![held.right], from, until, reason, covers: None };
    appoint(deciding, permitted, &wish, !runs_it)
}

fn wish(
    deciding: &mut Deciding<'_>,
    subject: SubjectId,
    right: Right,
    until: Timestamp,
    reason: &Option<Said>,
) -> Result<(), Refusal> {
    let person = deciding.person()?;
    let (world, now) = (deciding.world, deciding.now());
    // What isn't offered is answered like what isn't there.
    let unknown = || {
        Refusal::unknown(
            "offer of",
            world.right_name(right),
            "`tempestas eligible offered` lists what is offered to you",
        )
    };
    if !world.belongs_to(person.id(), subject) || !world.is_offered(right, subject) {
        return Err(unknown());
    }
    if world.is_eligible(right, subject, now) {
        return Err(EligibilityRefusal::EligibleAlready { right: world.right_name(right) }.into());
    }
    let wish = Wish { subject, rights: vec![right], from: now, until: Some(until), reason, covers: None };
    appoint(deciding, Permitted::by(person), &wish, true)
}

fn ensure_window(deciding: &Deciding<'_>, from: Timestamp, until: Option<Timestamp>) -> Result<(), Refusal> {
    if until.is_some_and(|until| until <= from || until <= deciding.now()) {
        return Err(EligibilityRefusal::EmptyWindow.into());
    }
    Ok(())
}

fn cover(
    deciding: &mut Deciding<'_>,
    absent: SubjectId,
    stand_in: SubjectId,
    from: Option<Timestamp>,
    until: Timestamp,
    reason: &Option<Said>,
) -> Result<(), Refusal> {
    let (world, now) = (deciding.world, deciding.now());
    let from = from.unwrap_or(now);
    ensure_window(deciding, from, Some(until))?;
    for who in [absent, stand_in] {
        known_subject(deciding, who)?;
        if world.subjects.get(&who).is_none_or(|subject| subject.kind != SubjectKind::Person) {
            return Err(EligibilityRefusal::CoverByNobody { name: world.subject_name(who) }.into());
        }
    }
    if world.human(absent) == world.human(stand_in) {
        return Err(EligibilityRefusal::CoverOfSelf.into());
    }
    if world.is_suspended(stand_in) {
        return Err(EligibilityRefusal::CoverSuspended { name: world.subject_name(stand_in) }.into());
    }
    let rights = rights_to_cover(world, absent, stand_in, from, until);
    let permitted = match deciding.context.caller.subject() {
        Some(_) => Permitted::by(deciding.person()?),
        None => Permitted::by(deciding.operates()?),
    };
    let me = deciding.context.caller.subject();
    let runs_all = me
        .is_none_or(|me| rights.iter().all(|right| Sight::is_administrator(world, me, right.scope)) && me != stand_in);
    if !runs_all && me.map(|me| world.human(me)) != Some(world.human(absent)) {
        return Err(EligibilityRefusal::NotYoursToCover.into());
    }
    if rights.is_empty() {
        let (absent, stand_in) = (world.subject_name(absent), world.subject_name(stand_in));
        return Err(EligibilityRefusal::NothingToCover { absent, stand_in }.into());
    }
    let wish = Wish { subject: stand_in, rights, from, until: Some(until), reason, covers: Some(absent) };
    appoint(deciding, permitted, &wish, !runs_all)
}

/// Makes somebody eligible, or has those asked whom the terms name.
fn appoint(deciding: &mut Deciding<'_>, permit: impl Permit, wish: &Wish<'_>, wished: bool) -> Result<(), Refusal> {
    let (world, now, by) = (deciding.world, deciding.now(), deciding.context.caller.subject());
    ensure_window(deciding, wish.from, wish.until)?;
    let waits = || world.appointments.values().filter(|one| one.state == AppointmentState::Waiting);
    if let Some(same) = waits().find(|one| one.subject == wish.subject && one.rights == wish.rights) {
        return Err(EligibilityRefusal::WishedAlready { other: same.id }.into());
    }
    if wished && waits().filter(|one| one.by == by).count() >= WAITING_MOST {
        return Err(EligibilityRefusal::TooManyWishes { most: WAITING_MOST }.into());
    }
    let demanded = making(world, by, wish.subject, &wish.rights, wished, now)?;
    deciding.ensure_may_be_eligible(wish.subject, &wish.rights)?;
    if let Some(longest) = demanded.longest {
        ensure_lasts(world, longest, wish.from.max(now), wish.until)?;
    }
    let said = wish.reason.as_ref().filter(|text| !text.0.is_empty());
    let letters = said.map_or(0, |text| letters(&text.0));
    if let ReasonRule::Required { at_least } = demanded.reason
        && letters < usize::from(at_least.max(1))
    {
        return Err(EligibilityRefusal::WishWithoutReason { at_least: at_least.max(1) }.into());
    }
    said.map_or(Ok(()), |text| checked_text("reason", text, 2000))?;
    if deciding.context.caller.actor != Actor::Machine {
        deciding.proven(&demanded.takes)?;
    }
    let mut stages = Stages::from(demanded.stages);
    stages.begin_next(now, Timestamp::MAX);
    let draft = &mut deciding.by(permit);
    let appointment = Appointment {
        id: draft.id(),
        by,
        at: now,
        subject: wish.subject,
        rights: wish.rights.clone(),
        from: wish.from,
        until: wish.until,
        reason: said.map(|text| draft.text(text)),
        covers: wish.covers,
        stages,
        state: AppointmentState::Waiting,
        over_at: None,
        made: Vec::new(),
    };
    if appointment.stages.is_empty() {
        make(draft, appointment);
        return Ok(());
    }
    let what = What::AppointmentWished {
        appointment: appointment.id,
        subject: wish.subject,
        rights: count(wish.rights.len()),
    };
    draft.fact(what, vec![Row::Appointment(appointment)]);
    Ok(())
}

/// Makes what an appointment is about: changes in place what is there, a cover apart from it.
fn make(draft: &mut Draft<'_, '_>, mut appointment: Appointment) {
    let Appointment { id, subject, from, until, covers, .. } = appointment;
    let now = draft.now();
    let mut rows = Vec::new();
    for right in appointment.rights.clone() {
        let mine = |held: &&Eligibility| held.subject == subject && held.right == right;
        let same = draft
            .world
            .eligibilities
            .values()
            .filter(mine)
            .find(|held| covers.is_none() && !is_cover(draft.world, held) && held.until.is_none_or(|end| end > now))
            .cloned();
        // Nobody stands in for longer than the absent person could have asked.
        let until = covers.map_or(until, |absent| {
            let own = draft.world.eligibilities_of(absent).filter(|held| held.right == right && held.holds(from));
            own.map(|held| held.until).max_by_key(|end| (end.is_none(), *end)).flatten().min(until).or(until)
        });
        let row = match same {
            // What holds already isn't taken away by making somebody eligible from a later time on.
            Some(held) => Eligibility { from: held.from.min(from), until, by: Some(id), ..held },
            None => Eligibility { id: draft.id(), subject, right, from, until, by: Some(id), paused: None },
        };
        appointment.made.push(row.id);
        rows.push(row);
    }
    appointment.state = AppointmentState::Made;
    let rights = count(rows.len());
    let mut first = vec![Row::Appointment(appointment)];
    if let Some(absent) = covers {
        draft.fact(What::CoverBegun { appointment: id, absent, subject, rights }, std::mem::take(&mut first));
    }
    for row in rows {
        let what = What::EligibilityGiven { eligibility: row.id, subject, right: row.right };
        let put = std::mem::take(&mut first).into_iter().chain([Row::Eligibility(row)]).collect();
        draft.fact(what, put);
    }
}

fn known_appointment(deciding: &Deciding<'_>, id: AppointmentId) -> Result<Appointment, Refusal> {
    let unknown = || Refusal::unknown("appointment", id, "`tempestas eligible wishes` lists them");
    let appointment = deciding.world.appointments.get(&id).ok_or_else(unknown)?;
    match deciding.context.caller.subject() {
        Some(me) if !Sight::of(deciding.world, me).sees(deciding.world, appointment) => Err(unknown()),
        _ => Ok(appointment.clone()),
    }
}

fn answer(
    deciding: &mut Deciding<'_>,
    id: AppointmentId,
    verdict: Verdict,
    reason: Option<&Said>,
    shown: Digest,
) -> Result<(), Refusal> {
    let person = deciding.person()?;
    let me = person.id();
    let mut appointment = known_appointment(deciding, id)?;
    let (world, now) = (deciding.world, deciding.now());
    if appointment.state != AppointmentState::Waiting {
        return Err(EligibilityRefusal::WishNotWaiting { id, state: appointment.state.word() }.into());
    }
    if appointment.digest() != shown {
        return Err(EligibilityRefusal::WishChanged { id }.into());
    }
    // Fixed when it was wished, and only shrinking: whoever may not say yes by now is out, and what the terms have come to
    // demand since is demanded.
    let now_demanded = making(world, appointment.by, appointment.subject, &appointment.rights, true, now)?;
    appointment.stages.demand_more(&now_demanded.stages);
    let stages = &mut appointment.stages;
    let at = stages.open_at().unwrap_or(0);
    match stages.answered_in(world, me) {
        Some(answered) if answered == at => return Err(EligibilityRefusal::WishAnswered { id }.into()),
        Some(answered) => return Err(EligibilityRefusal::WishAnsweredInStage { id, stage: answered + 1 }.into()),
        None => {}
    }
    let free = now_demanded.stages.get(at);
    let is_asked = |stage: &&mut Stage| {
        stage.approvers.contains(&me) && free.is_some_and(|free| free.still_asks(world, stage, me))
    };
    let Some(stage) = stages.open_mut().filter(is_asked) else {
        return Err(EligibilityRefusal::NotYourWish { id }.into());
    };
    if let Some(until) = stage.until.filter(|until| now >= *until) {
        return Err(EligibilityRefusal::WishRanOut { id, at: until }.into());
    }
    if verdict == Verdict::Yes {
        deciding.ensure_may_be_eligible(appointment.subject, &appointment.rights)?;
    }
    let said = reason.filter(|text| !text.0.is_empty());
    match said {
        Some(text) => checked_text("reason", text, 2000)?,
        None if verdict == Verdict::No => {
            return Err(EligibilityRefusal::WishRefusedWithoutReason.into());
        }
        None => {}
    }
    let takes = appointment.rights.iter().map(|right| Surety::to_act(world, Act::Answer, *right, me));
    let takes = takes.reduce(Surety::and).unwrap_or(Surety::within(FOR_A_STEP));
    let proven = deciding.proven(&takes)?;
    let reason = said.map(|text| deciding.text(text));
    stage.answers.push(Answer { by: me, verdict, reason, less: None, at: now });
    let lasts = now_demanded
        .longest
        .is_none_or(|longest| ensure_lasts(world, longest, appointment.from.max(now), appointment.until).is_ok());
    // What an earlier stage was settled by may not be enough any more.
    let begun = appointment.stages.all().iter().filter(|stage| stage.until.is_some());
    let holds = begun.zip(&now_demanded.stages).all(|(stage, now)| stage.still_holds(world, now));
    answered(&mut deciding.by(person), proven, appointment, verdict, lasts && holds);
    Ok(())
}

/// What an answer comes to; `may_be` where the terms still let it be as long as was wished, by what was answered.
fn answered(draft: &mut Draft<'_, '_>, _: FreshProof, mut appointment: Appointment, verdict: Verdict, may_be: bool) {
    let (id, now) = (appointment.id, draft.now());
    let stage = appointment.stages.open();
    let (granted, refused) = (stage.is_some_and(Stage::is_granted), stage.is_some_and(Stage::is_refused));
    let next = granted && !refused && may_be && appointment.stages.begin_next(now, Timestamp::MAX);
    let stage = number(appointment.stages.open_at());
    draft.fact(What::AppointmentAnswered { appointment: id, verdict }, vec![Row::Appointment(appointment.clone())]);
    if refused {
        settle(draft, appointment, AppointmentState::Refused);
    } else if next {
        draft.fact(What::AppointmentStageBegun { appointment: id, stage }, Vec::new());
    } else if granted && (!may_be || appointment.until.is_some_and(|until| until <= now)) {
        settle(draft, appointment, AppointmentState::Unanswered);
    } else if granted {
        make(draft, appointment);
    }
}

fn settle(draft: &mut Draft<'_, '_>, appointment: Appointment, state: AppointmentState) {
    let row = Appointment { state, over_at: Some(draft.now()), ..appointment };
    draft.fact(What::AppointmentEnded { appointment: row.id, state }, vec![Row::Appointment(row)]);
}

fn end_appointment(deciding: &mut Deciding<'_>, id: AppointmentId) -> Result<(), Refusal> {
    let person = deciding.person()?;
    let me = person.id();
    let appointment = known_appointment(deciding, id)?;
    let runs_it = appointment.rights.iter().all(|right| Sight::is_administrator(deciding.world, me, right.scope));
    let is_party = [appointment.by, appointment.covers, Some(appointment.subject)].contains(&Some(me));
    if !runs_it && !is_party {
        return Err(EligibilityRefusal::NotYoursToEnd.into());
    }
    let draft = &mut deciding.by(person);
    match appointment.state {
        AppointmentState::Waiting => settle(draft, appointment, AppointmentState::Withdrawn),
        AppointmentState::Made if appointment.covers.is_some() => {
            let made: Vec<Eligibility> =
                appointment.made.iter().filter_map(|id| draft.world.eligibilities.get(id)).cloned().collect();
            for held in &made {
                end(draft, held);
            }
            settle(draft, appointment, AppointmentState::Over);
        }
        AppointmentState::Made => {
            let made = appointment.made.first().map(ToString::to_string).unwrap_or_default();
            return Err(EligibilityRefusal::MadeAlready { id, made }.into());
        }
        state => return Err(EligibilityRefusal::WishOver { id, state: state.word() }.into()),
    }
    Ok(())
}

/// Has others asked about what nobody answered, ends it where there are none, and ends covers whose time is over.
pub(super) fn tick(draft: &mut Draft<'_, '_>) {
    let world = draft.world;
    let due = world.due_by(draft.now()).filter_map(|due| match due {
        Due::Appointment(id) => world.appointments.get(&id),
        _ => None,
    });
    for mut one in due.cloned() {
        let waits = one.state == AppointmentState::Waiting;
        if waits && one.stages.move_on(draft.now(), Timestamp::MAX) {
            let what = What::AppointmentStageLate { appointment: one.id, stage: number(one.stages.open_at()) };
            draft.fact(what, vec![Row::Appointment(one)]);
            continue;
        }
        settle(draft, one, if waits { AppointmentState::Unanswered } else { AppointmentState::Over });
    }
}

pub(super) fn give(draft: &mut Draft<'_, '_>, row: Eligibility) {
    let what = What::EligibilityGiven { eligibility: row.id, subject: row.subject, right: row.right };
    draft.fact(what, vec![Row::Eligibility(row)]);
}

pub(super) fn end(draft: &mut Draft<'_, '_>, held: &Eligibility) {
    draft.fact_cutting(
        What::EligibilityEnded { eligibility: held.id, subject: held.subject, right: held.right },
        Vec::new(),
        vec![Key { kind: Kind::Eligibility, id: held.id.0.to_string() }],
    );
}

impl Deciding<'_> {
    /// A suspension by the caller, now.
    pub(super) fn pause(&mut self, reason: &Said) -> Result<Pause, Refusal> {
        if reason.0.is_empty() {
            return Err(EligibilityRefusal::PauseWithoutReason.into());
        }
        checked_text("reason", reason, 500)?;
        Ok(Pause { by: self.context.caller.subject(), at: self.now(), reason: self.text(reason) })
    }
}
