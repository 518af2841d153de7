//! People, groups, programs; their accounts and duties.

use super::{
    alarms,
    checked::{checked_line, checked_subject_name},
    credentials,
    deciding::{Deciding, Draft},
    grants,
};
use crate::{
    Account, AlarmKind, Duty, DutyId, DutyKind, Key, Kind, ManagerSet, Membership, PeopleCommand, PeopleRefusal,
    ReasonRule, Refusal, Row, Said, ScopeId, Source, Subject, SubjectId, SubjectKind, What,
    appointment::{ensure_lasts, making},
    influence::{gained_by_joining, is_touched, touchers},
    world::GROUP_DEPTH,
};

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &PeopleCommand) -> Result<(), Refusal> {
    match command {
        PeopleCommand::AddSubject { kind, name, about, second_of } => {
            let administers = deciding.administers_all()?;
            add(&mut deciding.by(administers), *kind, name, about, *second_of)
        }
        PeopleCommand::AddMember { group, member } => {
            let administers = deciding.administers_all()?;
            add_member(&mut deciding.by(administers), *group, *member)
        }
        PeopleCommand::RemoveMember { group, member } => {
            let administers = deciding.administers_all()?;
            remove_member(&mut deciding.by(administers), *group, *member)
        }
        PeopleCommand::Suspend { subject } => {
            let administers = deciding.administers_all()?;
            suspend(&mut deciding.by(administers), *subject)
        }
        PeopleCommand::Resume { subject } => {
            let administers = deciding.administers_all()?;
            resume(&mut deciding.by(administers), *subject)
        }
        PeopleCommand::SetAccount { subject, target, account } => {
            let administers = deciding.administers(*target)?;
            let present = deciding.world.account_of(*subject, *target).map(Account::digest);
            let (who, place) = (deciding.world.subject_name(*subject), deciding.world.path(*target));
            deciding.ensure_as_looked_at(&format!("{who}'s account on {place}"), present)?;
            set_account(&mut deciding.by(administers), *subject, *target, account)
        }
        PeopleCommand::SetManager { subject, manager } => {
            let administers = deciding.administers_all()?;
            let present = known(deciding, *subject)?;
            let who = deciding.world.subject_name(*subject);
            deciding.ensure_as_looked_at(&format!("{who}'s manager"), Some(present.manager_digest()))?;
            set_manager(&mut deciding.by(administers), present, *manager)
        }
        PeopleCommand::GiveDuty { subject, kind, scope } => {
            let administers = deciding.administers(*scope)?;
            give_duty(&mut deciding.by(administers), *subject, *kind, *scope)
        }
        PeopleCommand::EndDuty { duty } => {
            let duty = known_duty(deciding, *duty)?;
            let administers = deciding.administers(duty.scope)?;
            end_duty(&mut deciding.by(administers), &duty)
        }
        PeopleCommand::SetCredentials { subject, step } => credentials::set(deciding, *subject, *step),
    }
}

fn remove_member(draft: &mut Draft<'_, '_>, group: SubjectId, member: SubjectId) -> Result<(), Refusal> {
    known_group(draft, group)?;
    if !draft.world.is_member(group, member) {
        let (group, member) = (draft.world.subject_name(group), draft.world.subject_name(member));
        return Err(PeopleRefusal::NoMember { group, member }.into());
    }
    let cut = vec![Membership { group, member }.key()];
    // Out of a group whose rule demands more, somebody gets through with less.
    let put = draft.own_influence_if_less(&[], &cut, &draft.rules_by_asker()).into_iter().collect();
    draft.fact_cutting(What::MemberRemoved { group, member }, put, cut);
    Ok(())
}

fn resume(draft: &mut Draft<'_, '_>, subject: SubjectId) -> Result<(), Refusal> {
    let row = known(draft, subject)?;
    if !row.suspended {
        return Err(PeopleRefusal::NotSuspended { name: draft.world.subject_name(subject) }.into());
    }
    let row = Subject { suspended: false, ..row };
    // Whoever is in it, though it was suspended until now.
    let mut put = draft.influences(draft.world.everybody_in(subject));
    ensure_no_gain_unasked(draft, subject, subject)?;
    put.push(Row::Subject(row));
    put.extend(draft.own_influence_if_less(&put, &[], &draft.rules_by_asker()));
    draft.fact(What::Resumed { subject }, put);
    Ok(())
}

fn known(deciding: &Deciding<'_>, id: SubjectId) -> Result<Subject, Refusal> {
    deciding
        .world
        .subjects
        .get(&id)
        .cloned()
        .ok_or_else(|| Refusal::unknown("person, group or program", id, "`tempestas people` lists them"))
}

fn known_group(deciding: &Deciding<'_>, id: SubjectId) -> Result<Subject, Refusal> {
    let subject = known(deciding, id)?;
    if subject.kind == SubjectKind::Group {
        return Ok(subject);
    }
    Err(PeopleRefusal::NoGroup { name: deciding.world.subject_name(id) }.into())
}

fn add(
    draft: &mut Draft<'_, '_>,
    kind: SubjectKind,
    name: &Said,
    about: &Said,
    second_of: Option<SubjectId>,
) -> Result<(), Refusal> {
    checked_subject_name("person, group or program", &name.0)?;
    checked_line("description", about, 200)?;
    // By the full name an approver knows who asks.
    let same = draft.world.subjects.values().find(|known| {
        let of_one = Some(known.id) == second_of || known.second_of == second_of && second_of.is_some();
        kind == SubjectKind::Person
            && known.kind == kind
            && !of_one
            && draft.world.text(known.about).trim() == about.0.trim()
    });
    if let Some(same) = same.filter(|_| !about.0.trim().is_empty()) {
        let (about, other) = (about.0.trim().to_owned(), draft.world.subject_name(same.id));
        return Err(PeopleRefusal::SameFullName { about, other }.into());
    }
    if draft.world.subject_named(&name.0).is_some() {
        return Err(PeopleRefusal::NameTaken { name: name.0.clone() }.into());
    }
    if let Some(first) = second_of {
        let first = known(draft, first)?;
        if kind != SubjectKind::Person || first.kind != SubjectKind::Person || first.second_of.is_some() {
            return Err(PeopleRefusal::NoSecond.into());
        }
    }
    let id = draft.id();
    let subject = Subject {
        id,
        kind,
        name: draft.text(name),
        about: draft.text(about),
        second_of,
        suspended: false,
        manager: None,
        manager_set: None,
    };
    draft.fact(What::SubjectAdded { subject: id }, vec![Row::Subject(subject)]);
    Ok(())
}

fn add_member(draft: &mut Draft<'_, '_>, group: SubjectId, member: SubjectId) -> Result<(), Refusal> {
    known_group(draft, group)?;
    known(draft, member)?;
    let world = draft.world;
    let names = || (world.subject_name(group), world.subject_name(member));
    if world.is_member(group, member) {
        let (group, member) = names();
        return Err(PeopleRefusal::MemberAlready { group, member }.into());
    }
    if world.hangs_below(group, member) {
        let (group, member) = names();
        return Err(PeopleRefusal::Circle { group, member }.into());
    }
    if world.group_depth(group) + 1 + world.group_height(member) >= GROUP_DEPTH {
        let (group, member) = names();
        return Err(PeopleRefusal::TooDeep { group, member, most: GROUP_DEPTH }.into());
    }
    ensure_no_gain_unasked(draft, member, group)?;
    let gained = gained_by_joining(world, member, group, draft.now());
    draft.ensure_may_be_eligible(member, &gained.into_iter().map(|(right, _)| right).collect::<Vec<_>>())?;
    let mut put = draft.influences(world.everybody_in(member));
    put.push(Row::Member(Membership { group, member }));
    put.extend(draft.own_influence_if_less(&put, &[], &draft.rules_by_asker()));
    draft.fact(What::MemberAdded { group, member }, put);
    Ok(())
}

/// Refuses to let anybody be eligible through a group for what the terms demand more of than a word of the caller's. Where
/// a group is resumed, for the caller's own gain alone: what others were given before is theirs again.
fn ensure_no_gain_unasked(deciding: &Deciding<'_>, member: SubjectId, group: SubjectId) -> Result<(), Refusal> {
    let (world, now, by) = (deciding.world, deciding.now(), deciding.context.caller.subject());
    let resumes = member == group;
    let gains = |who: SubjectId| {
        if resumes {
            let own = by.is_some_and(|by| world.human(by) == world.human(who) || is_touched(world, who, by, now));
            return if own { gained_by_joining(world, who, group, now) } else { Vec::new() };
        }
        gained_by_joining(world, who, group, now)
    };
    let whose: Vec<SubjectId> = if resumes { world.everybody_in(group).into_iter().collect() } else { vec![member] };
    for who in whose {
        for (right, until) in gains(who) {
            let demanded = making(world, by, who, &[right], false, now)?;
            let asks = !demanded.stages.is_empty() || matches!(demanded.reason, ReasonRule::Required { .. });
            let lasts = demanded.longest.map_or(Ok(()), |longest| ensure_lasts(world, longest, now, until));
            if asks || lasts.is_err() {
                let (group, who) = (world.subject_name(group), world.subject_name(who));
                return Err(PeopleRefusal::GainUnasked { group, who, right: world.right_name(right) }.into());
            }
        }
    }
    Ok(())
}

/// Suspends a subject and ends what it holds or waits for.
pub(super) fn suspend(draft: &mut Draft<'_, '_>, id: SubjectId) -> Result<(), Refusal> {
    let row = Subject { suspended: true, ..known(draft, id)? };
    if draft.context.caller.subject().is_some_and(|me| draft.world.human(me) == draft.world.human(id)) {
        return Err(PeopleRefusal::OwnSuspension.into());
    }
    let mut put = vec![Row::Subject(row)];
    // A rule for a suspended group fits nobody.
    put.extend(draft.own_influence_if_less(&put, &[], &draft.rules_by_asker()));
    draft.fact(What::Suspended { subject: id }, put);
    let world = draft.world;
    let held: Vec<_> = world
        .active()
        .filter(|elevation| world.human(elevation.asker) == id || elevation.asker == id)
        .cloned()
        .collect();
    for elevation in held {
        grants::end_whatever_stands(draft, elevation, &Said::new("the holder was suspended"));
    }
    Ok(())
}

fn set_account(draft: &mut Draft<'_, '_>, subject: SubjectId, target: ScopeId, account: &Said) -> Result<(), Refusal> {
    let kind = known(draft, subject)?.kind;
    if kind == SubjectKind::Group {
        return Err(PeopleRefusal::GroupAccount.into());
    }
    if !draft.world.targets.contains_key(&target) {
        return Err(PeopleRefusal::NoTarget { scope: draft.world.path(target) }.into());
    }
    if account.0.is_empty() || account.0.len() > 128 {
        return Err(PeopleRefusal::BadAccount.into());
    }
    let taken = draft.world.owners_named(target, &account.0).find(|owner| *owner != subject);
    if let Some(taken) = taken {
        let (target, owner) = (draft.world.path(target), draft.world.subject_name(taken));
        return Err(PeopleRefusal::AccountTaken { account: account.0.clone(), target, owner }.into());
    }
    let name = draft.text(account);
    let (set_by, set_at) = (draft.context.caller.subject(), Some(draft.now()));
    let mut put = vec![Row::Account(Account { subject, target, name, set_by, set_at })];
    let own = set_by.filter(|me| draft.world.human(*me) == draft.world.human(subject));
    put.extend(own.map(|me| draft.own_influence(me)));
    draft.fact(What::AccountSet { subject, target }, put);
    Ok(())
}

fn set_manager(draft: &mut Draft<'_, '_>, subject: Subject, manager: Option<SubjectId>) -> Result<(), Refusal> {
    let world = draft.world;
    let (id, name) = (subject.id, world.subject_name(subject.id));
    if let Some(first) = subject.second_of {
        return Err(PeopleRefusal::SecondsManager { name, first: world.subject_name(first) }.into());
    }
    let other = manager.map(|manager| known(draft, manager)).transpose()?;
    let is_person = |one: &Subject| one.kind == SubjectKind::Person;
    if !is_person(&subject) || other.as_ref().is_some_and(|one| !is_person(one) || world.human(one.id) == id) {
        let name = if is_person(&subject) { other.map_or(name, |one| world.subject_name(one.id)) } else { name };
        return Err(PeopleRefusal::NoManager { name }.into());
    }
    let mut links = world.links.values().filter(|link| link.subject == id);
    let says = |target| world.sources.get(target).is_some_and(|source: &Source| source.mapping.manager.is_some());
    if let Some(link) = links.find(|link| says(&link.target)) {
        return Err(PeopleRefusal::ManagerFromSource { name, source_path: world.path(link.target) }.into());
    }
    if subject.manager == manager {
        return Err(PeopleRefusal::ManagerAlready { name }.into());
    }
    let manager_set = Some(ManagerSet { by: draft.context.caller.subject(), at: draft.now() });
    let row = Row::Subject(Subject { manager, manager_set, ..subject });
    draft.fact(What::ManagerNamed { subject: id, manager }, vec![row]);
    Ok(())
}

fn give_duty(draft: &mut Draft<'_, '_>, subject: SubjectId, kind: DutyKind, scope: ScopeId) -> Result<(), Refusal> {
    known(draft, subject)?;
    if draft.world.duties.values().any(|duty| (duty.subject, duty.kind, duty.scope) == (subject, kind, scope)) {
        return Err(PeopleRefusal::DutyAlready { name: draft.world.subject_name(subject) }.into());
    }
    let id: DutyId = draft.id();
    let mut put = draft.influences(draft.world.everybody_in(subject));
    put.push(Row::Duty(Duty { id, subject, kind, scope }));
    draft.fact(What::DutyGiven { duty: id, subject, duty_kind: kind, scope }, put);
    let me = draft.context.caller.subject().filter(|_| kind == DutyKind::Administrator);
    if let Some(hand) = me
        && let Some(by) = touchers(draft.world, hand, draft.now()).first().copied()
    {
        alarms::raise(draft, AlarmKind::HandedOn { by, hand });
    }
    Ok(())
}

fn known_duty(deciding: &Deciding<'_>, id: DutyId) -> Result<Duty, Refusal> {
    let unknown = || Refusal::unknown("duty", id, "`tempestas people duties` lists them");
    deciding.world.duties.get(&id).cloned().ok_or_else(unknown)
}

fn end_duty(draft: &mut Draft<'_, '_>, duty: &Duty) -> Result<(), Refusal> {
    let id = duty.id;
    let world = draft.world;
    let another = world.root_administrators().any(|(other, _)| other != id);
    if duty.kind == DutyKind::Administrator && Some(duty.scope) == world.root && !another {
        return Err(PeopleRefusal::LastAdministrator.into());
    }
    draft.fact_cutting(
        What::DutyEnded { duty: id, subject: duty.subject, duty_kind: duty.kind, scope: duty.scope },
        Vec::new(),
        vec![Key { kind: Kind::Duty, id: id.0.to_string() }],
    );
    Ok(())
}
