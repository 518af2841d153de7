//! Eligibilities: given, changed in place, suspended, resumed, ended; wishes for them; cover for an absence.

use jiff::Timestamp;

use super::{Draft, asks::WAITING_MOST, checked_text, count, ensure_fresh, letters};
use crate::{
    Actor, Answer, Appointment, AppointmentId, AppointmentState, Command, Digest, Eligibility, EligibilityId, Key,
    Kind, Pause, ReasonRule, Refusal, Right, Row, Said, Sight, SubjectId, SubjectKind, Verdict, What,
    appointment::{ensure_lasts, is_cover, making, rights_to_cover},
    due::Due,
    influence::is_touched,
    moment,
};

pub(super) fn decide(draft: &mut Draft<'_>, command: &Command) -> Result<(), Refusal> {
    match command {
        Command::GiveEligibility { subject, right, from, until, reason } => {
            draft.administrator(right.scope)?;
            known_subject(draft, *subject)?;
            let from = from.unwrap_or(draft.now());
            let wish = Wish { subject: *subject, rights: vec![*right], from, until: *until, reason, covers: None };
            appoint(draft, &wish, false)
        }
        Command::ChangeEligibility { eligibility, from, until, reason } => {
            change(draft, *eligibility, *from, *until, reason)
        }
        Command::SuspendEligibility { eligibility, reason } => {
            let held = known(draft, *eligibility)?;
            draft.administrator(held.right.scope)?;
            if held.paused.is_some() {
                return Err(Refusal::conflict(format!("{eligibility} is suspended already")));
            }
            let pause = draft.pause(reason)?;
            let what = What::EligibilitySuspended { eligibility: held.id, subject: held.subject, right: held.right };
            draft.fact(what, vec![Row::Eligibility(Eligibility { paused: Some(pause), ..held })]);
            Ok(())
        }
        Command::ResumeEligibility { eligibility } => {
            let held = known(draft, *eligibility)?;
            draft.administrator(held.right.scope)?;
            if held.paused.is_none() {
                return Err(Refusal::conflict(format!("{eligibility} is not suspended")));
            }
            ensure_is_not_own(draft, &held)?;
            let what = What::EligibilityResumed { eligibility: held.id, subject: held.subject, right: held.right };
            draft.fact(what, vec![Row::Eligibility(Eligibility { paused: None, ..held })]);
            Ok(())
        }
        Command::EndEligibility { eligibility } => {
            let held = known(draft, *eligibility)?;
            draft.administrator(held.right.scope)?;
            end(draft, &held);
            Ok(())
        }
        Command::Cover { absent, stand_in, from, until, reason } => {
            cover(draft, *absent, *stand_in, *from, *until, reason)
        }
        Command::AnswerAppointment { appointment, verdict, reason, shown } => {
            answer(draft, *appointment, *verdict, reason.as_ref(), *shown)
        }
        Command::EndAppointment { appointment } => end_appointment(draft, *appointment),
        _ => Ok(()),
    }
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

fn known(draft: &Draft<'_>, id: EligibilityId) -> Result<Eligibility, Refusal> {
    let unknown = || Refusal::unknown("eligibility", id, "`tempestas eligible --all` lists them");
    draft.world.eligibilities.get(&id).cloned().ok_or_else(unknown)
}

/// Refuses to resume what gives power to the caller: who suspended it meant them. Of somebody who is the caller's hand, where
/// making them eligible would ask others.
fn ensure_is_not_own(draft: &Draft<'_>, held: &Eligibility) -> Result<(), Refusal> {
    let Some(me) = draft.context.caller.subject() else { return Ok(()) };
    let (world, now) = (draft.world, draft.now());
    let gains = world.everybody_in(held.subject);
    let suspended_it = held.paused.is_some_and(|pause| pause.by.is_some_and(|by| world.human(by) == world.human(me)));
    let is_own = |who: &SubjectId| world.human(*who) == world.human(me) && !suspended_it;
    let is_hand = gains.iter().any(|who| is_touched(world, *who, me, now));
    let asks =
        || making(world, Some(me), held.subject, &[held.right], false, now).map_or(true, |made| made.stage.is_some());
    if gains.iter().any(is_own) || is_hand && asks() {
        return Err(Refusal::not_allowed(
            "nobody resumes an eligibility of their own, nor of somebody whose standing they had a hand in within a day; another administrator can",
        ));
    }
    Ok(())
}

fn known_subject(draft: &Draft<'_>, id: SubjectId) -> Result<(), Refusal> {
    let unknown = || Refusal::unknown("person, group or program", id, "`tempestas people` lists them");
    draft.world.subjects.contains_key(&id).then_some(()).ok_or_else(unknown)
}

fn change(
    draft: &mut Draft<'_>,
    id: EligibilityId,
    from: Option<Timestamp>,
    until: Option<Option<Timestamp>>,
    reason: &Option<Said>,
) -> Result<(), Refusal> {
    let unknown = || Refusal::unknown("eligibility", id, "`tempestas eligible` lists what you may ask for");
    let held = draft.world.eligibilities.get(&id).cloned().ok_or_else(unknown)?;
    let me = draft.context.caller.subject();
    let runs_it = me.is_none_or(|me| Sight::is_administrator(draft.world, me, held.right.scope));
    if runs_it {
        draft.administrator(held.right.scope)?;
    } else if !draft.world.belongs_to(draft.person()?, held.subject) {
        return Err(unknown());
    } else if held.until.is_none_or(|end| end <= draft.now()) {
        return Err(Refusal::conflict(match held.until {
            None => format!("{id} has no end, so there is nothing to renew"),
            Some(end) => format!("{id} ended at {}; ask an administrator to make you eligible anew", moment(end)),
        }));
    }
    draft.ensure_as_looked_at(&id, Some(held.digest()))?;
    let (from, until) = (from.unwrap_or(held.from), until.unwrap_or(held.until));
    if (from, until) == (held.from, held.until) {
        return Err(Refusal::invalid("that is the window it has already; give another start or end"));
    }
    let is_less = from >= held.from && until.is_some_and(|until| held.until.is_none_or(|end| until <= end));
    if is_less && runs_it {
        ensure_window(draft, from, until)?;
        give(draft, Eligibility { from, until, ..held });
        return Ok(());
    }
    let wish = Wish { subject: held.subject, rights: vec![held.right], from, until, reason, covers: None };
    appoint(draft, &wish, !runs_it)
}

fn ensure_window(draft: &Draft<'_>, from: Timestamp, until: Option<Timestamp>) -> Result<(), Refusal> {
    if until.is_some_and(|until| until <= from || until <= draft.now()) {
        return Err(Refusal::invalid(
            "the eligibility would end before it begins, or is over already; give a later end",
        ));
    }
    Ok(())
}

fn cover(
    draft: &mut Draft<'_>,
    absent: SubjectId,
    stand_in: SubjectId,
    from: Option<Timestamp>,
    until: Timestamp,
    reason: &Option<Said>,
) -> Result<(), Refusal> {
    let (world, now) = (draft.world, draft.now());
    let from = from.unwrap_or(now);
    ensure_window(draft, from, Some(until))?;
    for who in [absent, stand_in] {
        known_subject(draft, who)?;
        if world.subjects.get(&who).is_none_or(|subject| subject.kind != SubjectKind::Person) {
            return Err(Refusal::invalid(format!("{} is not a person; only people stand in", world.subject_name(who))));
        }
    }
    if world.human(absent) == world.human(stand_in) {
        return Err(Refusal::invalid("nobody stands in for themselves"));
    }
    if world.is_suspended(stand_in) {
        return Err(Refusal::conflict(format!("{} is suspended; choose another", world.subject_name(stand_in))));
    }
    let rights = rights_to_cover(world, absent, stand_in, from, until);
    let me = draft.context.caller.subject();
    let runs_all = me
        .is_none_or(|me| rights.iter().all(|right| Sight::is_administrator(world, me, right.scope)) && me != stand_in);
    if !runs_all && me.map(|me| world.human(me)) != Some(world.human(absent)) {
        return Err(Refusal::not_allowed(
            "cover is arranged by whoever will be absent, or by an administrator of all that they may ask for",
        ));
    }
    if rights.is_empty() {
        return Err(Refusal::conflict(format!(
            "there is nothing to cover: {} may ask for nothing then that {} may not ask for already",
            world.subject_name(absent),
            world.subject_name(stand_in)
        )));
    }
    let wish = Wish { subject: stand_in, rights, from, until: Some(until), reason, covers: Some(absent) };
    appoint(draft, &wish, !runs_all)
}

/// Makes somebody eligible, or has those asked whom the terms name.
fn appoint(draft: &mut Draft<'_>, wish: &Wish<'_>, wished: bool) -> Result<(), Refusal> {
    let (world, now, by) = (draft.world, draft.now(), draft.context.caller.subject());
    ensure_window(draft, wish.from, wish.until)?;
    let waits = || world.appointments.values().filter(|one| one.state == AppointmentState::Waiting);
    if let Some(same) = waits().find(|one| one.subject == wish.subject && one.rights == wish.rights) {
        return Err(Refusal::conflict(format!("{} waits for an answer to that already; take it back first", same.id)));
    }
    if wished && waits().filter(|one| one.by == by).count() >= WAITING_MOST {
        return Err(Refusal::Limit(format!("{WAITING_MOST} wishes of yours wait already; take one back first")));
    }
    let demanded = making(world, by, wish.subject, &wish.rights, wished, now)?;
    if let Some(longest) = demanded.longest {
        ensure_lasts(world, longest, wish.from.max(now), wish.until)?;
    }
    let said = wish.reason.as_ref().filter(|text| !text.0.is_empty());
    let letters = said.map_or(0, |text| letters(&text.0));
    if let ReasonRule::Required { at_least } = demanded.reason
        && letters < usize::from(at_least.max(1))
    {
        return Err(Refusal::invalid(format!(
            "a reason of at least {} letters is required to make somebody eligible for that: `--reason`",
            at_least.max(1)
        )));
    }
    said.map_or(Ok(()), |text| checked_text("reason", text, 2000))?;
    if draft.context.caller.actor != Actor::Machine {
        ensure_fresh(&draft.context.caller, demanded.assurance, now)?;
    }
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
        stage: demanded.stage,
        state: AppointmentState::Waiting,
        over_at: None,
        made: Vec::new(),
    };
    if appointment.stage.is_none() {
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
fn make(draft: &mut Draft<'_>, mut appointment: Appointment) {
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

fn known_appointment(draft: &Draft<'_>, id: AppointmentId) -> Result<Appointment, Refusal> {
    let unknown = || Refusal::unknown("appointment", id, "`tempestas eligible wishes` lists them");
    let appointment = draft.world.appointments.get(&id).ok_or_else(unknown)?;
    match draft.context.caller.subject() {
        Some(me) if !Sight::of(draft.world, me).sees_appointment(draft.world, appointment) => Err(unknown()),
        _ => Ok(appointment.clone()),
    }
}

fn answer(
    draft: &mut Draft<'_>,
    id: AppointmentId,
    verdict: Verdict,
    reason: Option<&Said>,
    shown: Digest,
) -> Result<(), Refusal> {
    let me = draft.person()?;
    let mut appointment = known_appointment(draft, id)?;
    let (world, now) = (draft.world, draft.now());
    if appointment.state != AppointmentState::Waiting {
        return Err(Refusal::conflict(format!(
            "{id} doesn't wait for an answer any more: it is {}",
            appointment.state.word()
        )));
    }
    if appointment.digest() != shown {
        return Err(Refusal::Changed(format!("{id} is not what you looked at")));
    }
    // Fixed when it was wished, and only shrinking: whoever may not say yes by now is out, and what the terms have come to
    // demand since is demanded.
    let now_demanded = making(world, appointment.by, appointment.subject, &appointment.rights, true, now)?;
    let free = now_demanded.stage.as_ref();
    let is_free = free.is_some_and(|stage| stage.approvers.contains(&me));
    if let (Some(stage), Some(free)) = (appointment.stage.as_mut(), free) {
        stage.yes = stage.yes.max(free.yes);
        stage.no = stage.no.min(free.no);
    }
    let Some(stage) = appointment.stage.as_mut().filter(|stage| is_free && stage.approvers.contains(&me)) else {
        return Err(Refusal::not_allowed(format!(
            "you may not answer {id}: only whoever was named when it was wished may, and nobody who profits by it"
        )));
    };
    if now >= stage.until {
        return Err(Refusal::conflict(format!("{id} ran out at {}", moment(stage.until))));
    }
    if stage.answers.iter().any(|answer| world.human(answer.by) == world.human(me)) {
        return Err(Refusal::conflict(format!("you have answered {id} already")));
    }
    let said = reason.filter(|text| !text.0.is_empty());
    match said {
        Some(text) => checked_text("reason", text, 2000)?,
        None if verdict == Verdict::No => {
            return Err(Refusal::invalid("a no needs a reason, which whoever wished it will read"));
        }
        None => {}
    }
    ensure_fresh(&draft.context.caller, super::ADMINISTRATOR_PROOF, now)?;
    let reason = said.map(|text| draft.text(text));
    stage.answers.push(Answer { by: me, verdict, reason, less: None, at: now });
    let (granted, refused) = (stage.is_granted(), stage.is_refused());
    draft.fact(What::AppointmentAnswered { appointment: id, verdict }, vec![Row::Appointment(appointment.clone())]);
    if refused {
        settle(draft, appointment, AppointmentState::Refused);
    } else if granted {
        let lasts = now_demanded
            .longest
            .map_or(Ok(()), |longest| ensure_lasts(world, longest, appointment.from.max(now), appointment.until));
        if lasts.is_err() || appointment.until.is_some_and(|until| until <= now) {
            settle(draft, appointment, AppointmentState::Unanswered);
        } else {
            make(draft, appointment);
        }
    }
    Ok(())
}

fn settle(draft: &mut Draft<'_>, appointment: Appointment, state: AppointmentState) {
    let row = Appointment { state, over_at: Some(draft.now()), ..appointment };
    draft.fact(What::AppointmentEnded { appointment: row.id, state }, vec![Row::Appointment(row)]);
}

fn end_appointment(draft: &mut Draft<'_>, id: AppointmentId) -> Result<(), Refusal> {
    let me = draft.person()?;
    let appointment = known_appointment(draft, id)?;
    let runs_it = appointment.rights.iter().all(|right| Sight::is_administrator(draft.world, me, right.scope));
    let is_party = [appointment.by, appointment.covers, Some(appointment.subject)].contains(&Some(me));
    if !runs_it && !is_party {
        return Err(Refusal::not_allowed("only those it is about, or an administrator, end it"));
    }
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
            return Err(Refusal::conflict(format!(
                "{id} is made; end what it made: `tempestas eligible end {}`",
                appointment.made.first().map(ToString::to_string).unwrap_or_default()
            )));
        }
        state => return Err(Refusal::conflict(format!("{id} is {} already", state.word()))),
    }
    Ok(())
}

/// Ends what nobody answered, and covers whose time is over.
pub(super) fn tick(draft: &mut Draft<'_>) {
    let world = draft.world;
    let due = world.due_by(draft.now()).filter_map(|due| match due {
        Due::Appointment(id) => world.appointments.get(&id),
        _ => None,
    });
    for one in due.cloned() {
        let waits = one.state == AppointmentState::Waiting;
        settle(draft, one, if waits { AppointmentState::Unanswered } else { AppointmentState::Over });
    }
}

pub(super) fn give(draft: &mut Draft<'_>, row: Eligibility) {
    let what = What::EligibilityGiven { eligibility: row.id, subject: row.subject, right: row.right };
    draft.fact(what, vec![Row::Eligibility(row)]);
}

pub(super) fn end(draft: &mut Draft<'_>, held: &Eligibility) {
    draft.fact_cutting(
        What::EligibilityEnded { eligibility: held.id, subject: held.subject, right: held.right },
        Vec::new(),
        vec![Key { kind: Kind::Eligibility, id: held.id.0.to_string() }],
    );
}

impl Draft<'_> {
    /// A suspension by the caller, now.
    pub(super) fn pause(&mut self, reason: &Said) -> Result<Pause, Refusal> {
        if reason.0.is_empty() {
            return Err(Refusal::invalid("a reason is needed, which whoever resumes it will read: `--reason`"));
        }
        checked_text("reason", reason, 500)?;
        Ok(Pause { by: self.context.caller.subject(), at: self.now(), reason: self.text(reason) })
    }
}
