//! People, groups, programs; their accounts and duties.

use super::{Draft, checked_name, checked_text, grants};
use crate::{
    Account, Command, Duty, DutyId, DutyKind, Key, Kind, Refusal, Row, Said, ScopeId, Subject, SubjectId, SubjectKind,
    What, world::GROUP_DEPTH,
};

pub(super) fn decide(draft: &mut Draft<'_>, command: &Command) -> Result<(), Refusal> {
    match command {
        Command::AddSubject { kind, name, about, second_of } => {
            draft.root_administrator()?;
            add(draft, *kind, name, about, *second_of)
        }
        Command::AddMember { group, member } => {
            draft.root_administrator()?;
            add_member(draft, *group, *member)
        }
        Command::RemoveMember { group, member } => {
            draft.root_administrator()?;
            let mut row = known_group(draft, *group)?;
            if !row.members.contains(member) {
                return Err(Refusal::conflict(format!(
                    "{} is not in {}",
                    draft.world.subject_name(*member),
                    draft.world.subject_name(*group)
                )));
            }
            row.members.retain(|id| id != member);
            draft.fact(What::MemberRemoved { group: *group, member: *member }, vec![Row::Subject(row)]);
            Ok(())
        }
        Command::Suspend { subject } => {
            draft.root_administrator()?;
            suspend(draft, *subject)
        }
        Command::Resume { subject } => {
            draft.root_administrator()?;
            let row = Subject { suspended: false, ..known(draft, *subject)? };
            let mut put = draft.hands(draft.world.people_in(*subject));
            put.push(Row::Subject(row));
            draft.fact(What::Resumed { subject: *subject }, put);
            Ok(())
        }
        Command::SetAccount { subject, target, account } => {
            draft.administrator(*target)?;
            set_account(draft, *subject, *target, account)
        }
        Command::GiveDuty { subject, kind, scope } => {
            draft.administrator(*scope)?;
            give_duty(draft, *subject, *kind, *scope)
        }
        Command::EndDuty { duty } => end_duty(draft, *duty),
        _ => Ok(()),
    }
}

fn known(draft: &Draft<'_>, id: SubjectId) -> Result<Subject, Refusal> {
    draft
        .world
        .subjects
        .get(&id)
        .cloned()
        .ok_or_else(|| Refusal::unknown("person, group or program", id, "`tempestas people` lists them"))
}

fn known_group(draft: &Draft<'_>, id: SubjectId) -> Result<Subject, Refusal> {
    let subject = known(draft, id)?;
    if subject.kind == SubjectKind::Group {
        return Ok(subject);
    }
    Err(Refusal::invalid(format!("{} is not a group; only groups have members", draft.world.subject_name(id))))
}

fn add(
    draft: &mut Draft<'_>,
    kind: SubjectKind,
    name: &Said,
    about: &Said,
    second_of: Option<SubjectId>,
) -> Result<(), Refusal> {
    checked_name("person, group or program", &name.0)?;
    checked_text("description", about, 200)?;
    if draft.world.subject_named(&name.0).is_some() {
        return Err(Refusal::conflict(format!("`{}` is taken; choose another name", name.0)));
    }
    if let Some(first) = second_of {
        let first = known(draft, first)?;
        if kind != SubjectKind::Person || first.kind != SubjectKind::Person || first.second_of.is_some() {
            return Err(Refusal::invalid(
                "only a person can be the second sign-in of a person, and not of a second one",
            ));
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
        members: Vec::new(),
        manager: None,
    };
    draft.fact(What::SubjectAdded { subject: id }, vec![Row::Subject(subject)]);
    Ok(())
}

fn add_member(draft: &mut Draft<'_>, group: SubjectId, member: SubjectId) -> Result<(), Refusal> {
    let mut row = known_group(draft, group)?;
    known(draft, member)?;
    let world = draft.world;
    let (group_name, member_name) = (world.subject_name(group), world.subject_name(member));
    if row.members.contains(&member) {
        return Err(Refusal::conflict(format!("{member_name} is in {group_name} already")));
    }
    if world.belongs_to(group, member) {
        return Err(Refusal::conflict(format!(
            "{group_name} belongs to {member_name}; putting it the other way round too would be a circle"
        )));
    }
    let above = levels_above(draft, group);
    if above + 1 + world.group_height(member) >= GROUP_DEPTH {
        return Err(Refusal::Limit(format!(
            "groups nest at most {GROUP_DEPTH} deep; {member_name} in {group_name} would be deeper"
        )));
    }
    row.members.push(member);
    let mut put = draft.hands(world.people_in(member));
    put.push(Row::Subject(row));
    draft.fact(What::MemberAdded { group, member }, put);
    Ok(())
}

/// How many levels of groups lie above one.
fn levels_above(draft: &Draft<'_>, group: SubjectId) -> usize {
    draft
        .world
        .subjects
        .values()
        .filter(|subject| subject.members.contains(&group))
        .map(|parent| 1 + levels_above(draft, parent.id))
        .max()
        .unwrap_or(0)
}

/// Suspends a subject and ends what it holds or waits for.
pub(super) fn suspend(draft: &mut Draft<'_>, id: SubjectId) -> Result<(), Refusal> {
    let row = Subject { suspended: true, ..known(draft, id)? };
    if draft.context.caller.subject().is_some_and(|me| draft.world.human(me) == draft.world.human(id)) {
        return Err(Refusal::not_allowed("you can't suspend yourself; another administrator can"));
    }
    draft.fact(What::Suspended { subject: id }, vec![Row::Subject(row)]);
    let world = draft.world;
    let held: Vec<_> = world
        .active
        .iter()
        .filter_map(|elevation| world.elevations.get(elevation))
        .filter(|elevation| world.human(elevation.asker) == id || elevation.asker == id)
        .cloned()
        .collect();
    for elevation in held {
        grants::end_whatever_stands(draft, elevation, &Said::new("the holder was suspended"));
    }
    Ok(())
}

fn set_account(draft: &mut Draft<'_>, subject: SubjectId, target: ScopeId, account: &Said) -> Result<(), Refusal> {
    let kind = known(draft, subject)?.kind;
    if kind == SubjectKind::Group {
        return Err(Refusal::invalid("a group has no account; name the account of a person or program"));
    }
    if !draft.world.targets.contains_key(&target) {
        return Err(Refusal::invalid(format!(
            "{} is not a target; accounts live on targets",
            draft.world.path(target)
        )));
    }
    if account.0.is_empty() || account.0.len() > 128 {
        return Err(Refusal::invalid("an account's name has 1 to 128 bytes"));
    }
    let taken = draft.world.accounts.values().find(|known| {
        known.target == target && known.subject != subject && draft.world.is_text(known.name, &account.0)
    });
    if let Some(taken) = taken {
        return Err(Refusal::conflict(format!(
            "`{}` on {} is {}'s account; one account has one owner",
            account.0,
            draft.world.path(target),
            draft.world.subject_name(taken.subject)
        )));
    }
    let name = draft.text(account);
    draft.fact(What::AccountSet { subject, target }, vec![Row::Account(Account { subject, target, name })]);
    Ok(())
}

fn give_duty(draft: &mut Draft<'_>, subject: SubjectId, kind: DutyKind, scope: ScopeId) -> Result<(), Refusal> {
    known(draft, subject)?;
    if draft.world.duties.values().any(|duty| (duty.subject, duty.kind, duty.scope) == (subject, kind, scope)) {
        return Err(Refusal::conflict(format!("{} has that duty there already", draft.world.subject_name(subject))));
    }
    let id: DutyId = draft.id();
    let mut put = draft.hands(draft.world.people_in(subject));
    put.push(Row::Duty(Duty { id, subject, kind, scope }));
    draft.fact(What::DutyGiven { duty: id, subject, duty_kind: kind, scope }, put);
    Ok(())
}

fn end_duty(draft: &mut Draft<'_>, id: DutyId) -> Result<(), Refusal> {
    let duty = draft
        .world
        .duties
        .get(&id)
        .cloned()
        .ok_or_else(|| Refusal::unknown("duty", id, "`tempestas people duties` lists them"))?;
    draft.administrator(duty.scope)?;
    let world = draft.world;
    let another = world.root_administrators().any(|(other, _)| other != id);
    if duty.kind == DutyKind::Administrator && Some(duty.scope) == world.root && !another {
        return Err(Refusal::conflict(
            "this is the last administrator of everything; give the duty to somebody else first",
        ));
    }
    draft.fact_cutting(
        What::DutyEnded { duty: id, subject: duty.subject, duty_kind: duty.kind, scope: duty.scope },
        Vec::new(),
        vec![Key { kind: Kind::Duty, id: id.0.to_string() }],
    );
    Ok(())
}
