//! People and groups from a source: taken in, followed, and let go. A part, or far fewer, changes nobody.

use std::collections::{BTreeMap, BTreeSet};

use super::{
    alarms,
    checked::{checked_line, checked_subject_name},
    deciding::{Deciding, Draft, count},
    estate::known_target,
    people,
    proofs::Reporting,
};
use crate::{
    Account, AlarmKind, Connector, Digest, Imported, Key, Kind, Link, ManagerSet, Mapping, Membership, PeopleRefusal,
    PersonFound, Refusal, Right, Row, Said, ScopeId, Source, SourceCommand, Stage, Subject, SubjectId, SubjectKind,
    What, World, appointment::making, influence::gained_by_joining, own_rights,
};

/// A reading in which more than this share of the people known from the source are missing waits for a person.
const HELD_SHARE_PERCENT: usize = 20;

/// Nobody is let go who alone can let others in.
const LAST: &str = "the last administrator of everything would be gone";

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &SourceCommand) -> Result<(), Refusal> {
    // Who is who in the whole house is the whole house's business.
    let administers = deciding.administers_all()?;
    let draft = &mut deciding.by(administers);
    match command {
        SourceCommand::Set { target, mapping } => set(draft, *target, mapping),
        SourceCommand::End { target } => end(draft, *target),
        SourceCommand::Accept { target, digest, imported } => accepted(draft, *target, *digest, imported),
    }
}

fn end(draft: &mut Draft<'_, '_>, target: ScopeId) -> Result<(), Refusal> {
    known(draft, target)?;
    // Whoever came from it stays, and is nobody's entry any more.
    let mut cut = vec![Key { kind: Kind::Source, id: target.0.to_string() }];
    cut.extend(links(draft, target).map(|link| Row::Link(link.clone()).key()));
    draft.fact_cutting(What::SourceEnded { target }, Vec::new(), cut);
    alarms::settle_where(draft, |about| *about == AlarmKind::ImportHeld { target });
    Ok(())
}

fn set(draft: &mut Draft<'_, '_>, target: ScopeId, mapping: &Mapping) -> Result<(), Refusal> {
    let Connector::Ldap { base, .. } = known_target(draft, target)?.connector else {
        return Err(PeopleRefusal::NoDirectory.into());
    };
    for place in [Some(&mapping.people), mapping.groups.as_ref()].into_iter().flatten() {
        if !place.to_lowercase().ends_with(&base.to_lowercase()) {
            return Err(PeopleRefusal::OutsideDirectory { place: place.clone(), base }.into());
        }
    }
    let attributes = [Some(&mapping.name), Some(&mapping.about), mapping.manager.as_ref()];
    for attribute in attributes.into_iter().flatten() {
        let plain = |c: char| c.is_ascii_alphanumeric() || c == '-';
        if attribute.is_empty() || !attribute.chars().all(plain) {
            return Err(PeopleRefusal::BadAttribute { attribute: attribute.clone() }.into());
        }
    }
    let known = draft.world.sources.get(&target);
    let row = Source {
        target,
        mapping: mapping.clone(),
        taken: known.and_then(|known| known.taken),
        taken_at: known.and_then(|known| known.taken_at),
        held: None,
        unusable: known.map_or(0, |known| known.unusable),
    };
    draft.fact(What::SourceSet { target }, vec![Row::Source(row)]);
    Ok(())
}

fn known(deciding: &Deciding<'_>, target: ScopeId) -> Result<Source, Refusal> {
    let unknown =
        || Refusal::unknown("source of people", deciding.world.path(target), "`tempestas people source` lists them");
    deciding.world.sources.get(&target).cloned().ok_or_else(unknown)
}

fn links<'w>(deciding: &Deciding<'w>, target: ScopeId) -> impl Iterator<Item = &'w Link> {
    deciding.world.links.values().filter(move |link| link.target == target)
}

/// What a reading means for who there is.
struct Reading<'a> {
    target: ScopeId,
    digest: Digest,
    imported: &'a Imported,
    source: Source,
    /// People known from the source who are not in it any more.
    leavers: Vec<SubjectId>,
    /// Whether an administrator of everything is left.
    stays: bool,
    gain: Option<Gain>,
}

impl<'a> Reading<'a> {
    fn of(deciding: &Deciding<'_>, target: ScopeId, digest: Digest, imported: &'a Imported) -> Result<Self, Refusal> {
        let source = known(deciding, target)?;
        let found: BTreeSet<&str> = imported.people.iter().map(|person| person.key.as_str()).collect();
        let leavers: Vec<SubjectId> = links(deciding, target)
            .filter(|link| !found.contains(link.key.as_str()))
            .filter(|link| is_person(deciding, link.subject) && !deciding.world.is_suspended(link.subject))
            .map(|link| link.subject)
            .collect();
        let stays = leavers.is_empty() || deciding.world.root_administrators().any(|(_, who)| !leavers.contains(&who));
        let gain = unasked_gain(deciding, target, imported);
        Ok(Self { target, digest, imported, source, leavers, stays, gain })
    }
}

/// The keeper of a source read it: what would change too much, or lets somebody in, waits for a person.
pub(super) fn reported(
    draft: &mut Draft<'_, '_>,
    reporting: Reporting,
    digest: Digest,
    imported: &Imported,
) -> Result<(), Refusal> {
    let target = reporting.target();
    let reading = Reading::of(draft, target, digest, imported)?;
    let why = why_held(draft, target, imported, reading.leavers.len())
        .or_else(|| (!reading.stays).then(|| LAST.to_owned()))
        .or_else(|| reading.gain.as_ref().map(|gain| gain.says(draft.world)));
    let Some(why) = why else { return take_in(draft, reading) };
    if reading.source.held != Some(digest) {
        let held = Source { held: Some(digest), ..reading.source };
        let why = draft.words(&why);
        draft.fact(What::ImportHeld { target, digest, why }, vec![Row::Source(held)]);
        alarms::raise(draft, AlarmKind::ImportHeld { target });
    }
    Ok(())
}

/// A person looked at what was held.
fn accepted(draft: &mut Draft<'_, '_>, target: ScopeId, digest: Digest, imported: &Imported) -> Result<(), Refusal> {
    let reading = Reading::of(draft, target, digest, imported)?;
    if !reading.stays {
        return Err(PeopleRefusal::LastWouldLeave { says: LAST }.into());
    }
    if let Some(gain) = &reading.gain {
        ensure_may_say_yes(draft, gain)?;
    }
    if reading.source.held != Some(digest) {
        return Err(PeopleRefusal::ReadAgain.into());
    }
    take_in(draft, reading)
}

fn take_in(draft: &mut Draft<'_, '_>, reading: Reading<'_>) -> Result<(), Refusal> {
    let Reading { target, digest, imported, source, leavers, .. } = reading;
    let mut taking = Taking::new(draft, target);
    imported.people.iter().for_each(|person| taking.person(person));
    taking.managers(imported);
    taking.groups(imported);
    let Taking { mut put, cut, added, changed, unusable, .. } = taking;
    let is_new = source.taken.is_none() || source.held.is_some() || source.unusable != unusable;
    if put.is_empty() && cut.is_empty() && leavers.is_empty() && !is_new {
        return Ok(());
    }
    let left = count(leavers.len());
    put.push(Row::Source(Source { taken: Some(digest), taken_at: Some(draft.now()), held: None, unusable, ..source }));
    draft.fact_cutting(What::Imported { target, digest, added, changed, left }, put, cut);
    alarms::settle_where(draft, |about| *about == AlarmKind::ImportHeld { target });
    leavers.into_iter().try_for_each(|subject| people::suspend(draft, subject))
}

fn is_person(deciding: &Deciding<'_>, id: SubjectId) -> bool {
    deciding.world.subjects.get(&id).is_some_and(|subject| subject.kind == SubjectKind::Person)
}

fn why_held(deciding: &Deciding<'_>, target: ScopeId, imported: &Imported, leaving: usize) -> Option<String> {
    if !imported.complete {
        return Some("the directory answered only in part".to_owned());
    }
    let known = links(deciding, target).filter(|link| is_person(deciding, link.subject)).count();
    if imported.people.is_empty() && known > 0 {
        return Some("the directory shows nobody at all".to_owned());
    }
    (leaving > 1 && leaving * 100 > known * HELD_SHARE_PERCENT)
        .then(|| format!("{leaving} of the {known} people known from it would be gone"))
}

/// What somebody would be eligible for by a group that the directory put them into, where the terms demand a yes for that.
struct Gain {
    who: SubjectId,
    right: Right,
    /// Who would have to say yes; none where too few could.
    stages: Option<Vec<Stage>>,
}

impl Gain {
    fn says(&self, world: &World) -> String {
        format!(
            "somebody joined {} there, which makes them eligible for {}, and the terms demand a yes for that",
            world.subject_name(self.who),
            world.right_name(self.right)
        )
    }
}

/// A directory is somebody's word too: what joining a group gives is given under the same terms as by name.
fn unasked_gain(deciding: &Deciding<'_>, target: ScopeId, imported: &Imported) -> Option<Gain> {
    let (world, now) = (deciding.world, deciding.now());
    let known: BTreeMap<&str, SubjectId> =
        links(deciding, target).map(|link| (link.key.as_str(), link.subject)).collect();
    imported.groups.iter().find_map(|found| {
        let group = *known.get(found.key.as_str())?;
        found.members.iter().find_map(|key| {
            // Of somebody who is new nobody knows more than that they belong to the group.
            let member = known.get(key.as_str()).copied();
            if member.is_some_and(|member| world.belongs_to(member, group)) {
                return None;
            }
            let gained: Vec<Right> = match member {
                Some(member) => {
                    gained_by_joining(world, member, group, now).into_iter().map(|(right, _)| right).collect()
                }
                None => own_rights(world, group, now).into_iter().map(|held| held.right).collect(),
            };
            gained.into_iter().find_map(|right| {
                let made = making(world, None, member.unwrap_or(group), &[right], false, now);
                let stages = made.ok().map(|made| made.stages);
                let asks_nobody = stages.as_ref().is_some_and(Vec::is_empty);
                (!asks_nobody).then_some(Gain { who: group, right, stages })
            })
        })
    })
}

/// Whoever has such a reading taken in says yes by that, and has to be somebody who may.
fn ensure_may_say_yes(deciding: &Deciding<'_>, gain: &Gain) -> Result<(), Refusal> {
    let me = deciding.person()?.id();
    let alone = |stages: &[Stage]| matches!(stages, [stage] if stage.yes <= 1 && stage.approvers.contains(&me));
    if gain.stages.as_deref().is_some_and(alone) {
        return Ok(());
    }
    Err(PeopleRefusal::GainByReading { says: gain.says(deciding.world) }.into())
}

/// Taking a reading in, entry by entry.
struct Taking<'d, 'w> {
    deciding: &'d mut Deciding<'w>,
    target: ScopeId,
    /// Who each entry is, those taken in just now among them.
    subjects: BTreeMap<String, SubjectId>,
    /// Rows of subjects as they will be.
    rows: BTreeMap<SubjectId, Subject>,
    /// Members of groups as they will be.
    members: BTreeMap<SubjectId, BTreeSet<SubjectId>>,
    names: BTreeSet<String>,
    put: Vec<Row>,
    cut: Vec<Key>,
    added: u32,
    changed: u32,
    unusable: u32,
}

impl<'d, 'w> Taking<'d, 'w> {
    fn new(deciding: &'d mut Deciding<'w>, target: ScopeId) -> Self {
        let subjects = links(deciding, target).map(|link| (link.key.clone(), link.subject)).collect();
        let names = deciding.world.subjects.values().map(|subject| deciding.world.text(subject.name)).collect();
        let (rows, members, put, cut) = (BTreeMap::new(), BTreeMap::new(), Vec::new(), Vec::new());
        Self { deciding, target, subjects, rows, members, names, put, cut, added: 0, changed: 0, unusable: 0 }
    }

    fn link(&mut self, key: &str, subject: SubjectId) {
        self.subjects.insert(key.to_owned(), subject);
        self.put.push(Row::Link(Link { target: self.target, key: key.to_owned(), subject }));
    }

    /// Makes a subject for an entry; none where its name can't be used.
    fn new_subject(&mut self, kind: SubjectKind, key: &str, name: &str, about: &str) -> Option<SubjectId> {
        let (name, about) = (name.to_lowercase(), Said::new(about));
        let fits =
            checked_subject_name("person or group", &name).is_ok() && checked_line("description", &about, 200).is_ok();
        // Of equal names nothing is guessed: a person says whose the entry is, by naming the account.
        if !fits || !self.names.insert(name.clone()) {
            self.unusable += 1;
            return None;
        }
        let id: SubjectId = self.deciding.id();
        let (name, about) = (self.deciding.text(&Said::new(name)), self.deciding.text(&about));
        let subject =
            Subject { id, kind, name, about, second_of: None, suspended: false, manager: None, manager_set: None };
        self.put.push(Row::Subject(subject.clone()));
        self.rows.insert(id, subject);
        self.link(key, id);
        self.added += 1;
        Some(id)
    }

    fn row(&self, id: SubjectId) -> Option<Subject> {
        self.rows.get(&id).or_else(|| self.deciding.world.subjects.get(&id)).cloned()
    }

    fn members(&self, group: SubjectId) -> BTreeSet<SubjectId> {
        let known = || self.deciding.world.members_of(group).collect();
        self.members.get(&group).cloned().unwrap_or_else(known)
    }

    fn change(&mut self, row: Subject) {
        if self.row(row.id).as_ref() != Some(&row) {
            self.changed += u32::from(!self.rows.contains_key(&row.id));
            self.rows.insert(row.id, row.clone());
            self.put.push(Row::Subject(row));
        }
    }

    fn person(&mut self, found: &PersonFound) {
        let world = self.deciding.world;
        if let Some(id) = self.subjects.get(&found.key).copied() {
            let Some(mut row) = self.row(id) else { return };
            if !world.is_text(row.about, found.about.trim()) {
                row.about = self.deciding.text(&Said::new(&found.about));
            }
            return self.change(row);
        }
        // Whoever an administrator said this account is, is this entry.
        if let Some(owner) = world.owners_named(self.target, &found.account).next() {
            return self.link(&found.key, owner);
        }
        if let Some(id) = self.new_subject(SubjectKind::Person, &found.key, &found.name, &found.about) {
            let name = self.deciding.text(&Said::new(&found.account));
            let account = Account { subject: id, target: self.target, name, set_by: None, set_at: None };
            self.put.push(Row::Account(account));
        }
    }

    /// Whether `id` lies below `top`, by the rows as they will be: putting `top` into it would close a circle.
    fn hangs_below(&self, id: SubjectId, top: SubjectId) -> bool {
        let (mut seen, mut open) = (BTreeSet::from([top]), vec![top]);
        while let Some(at) = open.pop() {
            if at == id {
                return true;
            }
            open.extend(self.members(at).into_iter().filter(|member| seen.insert(*member)));
        }
        false
    }

    fn managers(&mut self, imported: &Imported) {
        for found in &imported.people {
            let manager = found.manager.as_ref().and_then(|key| self.subjects.get(key).copied());
            let row = self.subjects.get(&found.key).and_then(|id| self.row(*id));
            if let Some(row) = row.filter(|row| manager != Some(row.id) && manager != row.manager) {
                let manager_set = Some(ManagerSet { by: None, at: self.deciding.now() });
                self.change(Subject { manager, manager_set, ..row });
            }
        }
    }

    fn groups(&mut self, imported: &Imported) {
        let here: BTreeSet<SubjectId> = self.subjects.values().copied().collect();
        for found in &imported.groups {
            let is_new = !self.subjects.contains_key(&found.key);
            let known = self.subjects.get(&found.key).copied();
            let id = known.or_else(|| self.new_subject(SubjectKind::Group, &found.key, &found.name, &found.about));
            let Some(group) = id else { continue };
            let mut listed: BTreeSet<SubjectId> =
                found.members.iter().filter_map(|key| self.subjects.get(key).copied()).collect();
            let all = listed.len();
            listed.retain(|member| !self.hangs_below(group, *member));
            self.unusable += count(all - listed.len());
            // Who was put into it by hand, and isn't of this source, stays.
            let before = self.members(group);
            let by_hand = before.iter().copied().filter(|member| !here.contains(member));
            let members: BTreeSet<SubjectId> = by_hand.chain(listed.iter().copied()).collect();
            if members == before {
                continue;
            }
            if !is_new {
                // Whoever changed the directory may be the asker; for a day nobody new in a group answers by it.
                let joined: Vec<SubjectId> = listed.difference(&before).copied().collect();
                self.put.extend(self.deciding.influences(joined));
            }
            let joined = members.difference(&before).map(|member| Membership { group, member: *member });
            self.put.extend(joined.map(Row::Member));
            let left = before.difference(&members).map(|member| Membership { group, member: *member }.key());
            self.cut.extend(left);
            self.changed += u32::from(!self.rows.contains_key(&group) && !self.members.contains_key(&group));
            self.members.insert(group, members);
        }
    }
}
