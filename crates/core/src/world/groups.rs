//! Who stands behind a sign-in, and who belongs to whom, through groups within groups.

use std::collections::BTreeSet;

use super::{Key, Kind, Number as _, key_text};
use crate::{Duty, DutyId, DutyKind, Eligibility, Membership, Pair, Subject, SubjectId, SubjectKind, World};

/// How deep groups may nest.
pub(crate) const GROUP_DEPTH: usize = 8;

impl Membership {
    /// The key of its row.
    pub(crate) fn key(&self) -> Key {
        Key { kind: Kind::Member, id: key_text(&Pair(self.group, self.member)) }
    }
}

impl Key {
    /// The group that is emptied by cutting this. Version 1 said all members of a group at once, never who left it.
    pub(super) fn every_member_of(&self) -> Option<SubjectId> {
        let group = self.id.strip_suffix("-*").filter(|_| self.kind == Kind::Member)?;
        group.parse().ok().map(SubjectId)
    }
}

impl World {
    /// The first sign-in of the human behind a subject.
    #[must_use]
    pub fn human(&self, id: SubjectId) -> SubjectId {
        let mut human = id;
        for _ in 0..GROUP_DEPTH {
            match self.subjects.get(&human).and_then(|subject| subject.second_of) {
                Some(first) => human = first,
                None => break,
            }
        }
        human
    }

    /// Every sign-in of the human whose first this is.
    pub(crate) fn sign_ins_of(&self, human: SubjectId) -> BTreeSet<SubjectId> {
        let (mut own, mut open) = (BTreeSet::from([human]), vec![human]);
        while let Some(one) = open.pop() {
            open.extend(self.indexes.seconds_of.of(one).filter(|second| own.insert(*second)));
        }
        own
    }

    /// Whether the subject, or the human behind it, is suspended. Unknown ones are.
    #[must_use]
    pub fn is_suspended(&self, id: SubjectId) -> bool {
        [id, self.human(id)].iter().any(|id| self.subjects.get(id).is_none_or(|subject| subject.suspended))
    }

    /// Who administers everything and isn't suspended, by which duty.
    pub(crate) fn root_administrators(&self) -> impl Iterator<Item = (DutyId, SubjectId)> + '_ {
        let rules = |duty: &&Duty| duty.kind == DutyKind::Administrator && Some(duty.scope) == self.root;
        let people =
            |duty: &Duty| self.people_in(duty.subject).into_iter().map(move |who| (duty.id, who)).collect::<Vec<_>>();
        self.duties.values().filter(rules).flat_map(people).filter(|(_, who)| !self.is_suspended(*who))
    }

    /// Whether `member` is `of`, or a member of it through any number of groups, none of them suspended.
    #[must_use]
    pub fn belongs_to(&self, member: SubjectId, of: SubjectId) -> bool {
        // Nobody belongs to a person, which costs nothing to say.
        let is_group = self.indexes.groups.contains(&of);
        let through = || self.groups_from(of, |group| !group.suspended).any(|group| self.is_member(group.id, member));
        member == of || is_group && through()
    }

    /// Whether `member` lies below `of`, suspended or not: what the groups are built like, not what they give.
    pub(crate) fn hangs_below(&self, member: SubjectId, of: SubjectId) -> bool {
        member == of || self.groups_from(of, |_| true).any(|group| self.is_member(group.id, member))
    }

    /// A group and those below it that `opens` lets through; each once, whatever circles they form.
    fn groups_from<'w>(
        &'w self,
        top: SubjectId,
        opens: impl Fn(&Subject) -> bool + 'w,
    ) -> impl Iterator<Item = &'w Subject> {
        let (mut seen, mut open) = (BTreeSet::from([top]), vec![top]);
        std::iter::from_fn(move || {
            loop {
                let group = self.subjects.get(&open.pop()?).filter(|one| one.kind == SubjectKind::Group && opens(one));
                if let Some(group) = group {
                    let nested = self.members_of(group.id).filter(|member| self.indexes.groups.contains(member));
                    open.extend(nested.filter(|member| seen.insert(*member)));
                    return Some(group);
                }
            }
        })
    }

    /// Every other group that gives a subject what it holds: reached through none that is suspended.
    pub(crate) fn groups_above(&self, subject: SubjectId) -> BTreeSet<SubjectId> {
        let gives = |group: &SubjectId| self.subjects.get(group).is_some_and(|group| !group.suspended);
        let (mut above, mut open) = (BTreeSet::new(), vec![subject]);
        while let Some(member) = open.pop() {
            open.extend(self.groups_of(member).filter(gives).filter(|group| above.insert(*group)));
        }
        above.remove(&subject);
        above
    }

    /// Who belongs to a group itself, in the order of their ids.
    pub fn members_of(&self, group: SubjectId) -> impl DoubleEndedIterator<Item = SubjectId> {
        self.members.range(Pair(group, SubjectId::LEAST)..=Pair(group, SubjectId::GREATEST)).map(|one| one.member)
    }

    /// Whether somebody belongs to a group itself.
    #[must_use]
    pub fn is_member(&self, group: SubjectId, member: SubjectId) -> bool {
        self.members.contains_key(&Pair(group, member))
    }

    /// Leaves nobody in a group.
    pub(super) fn empty(&mut self, group: SubjectId) {
        for member in self.members_of(group).collect::<Vec<_>>() {
            self.cut(&Membership { group, member }.key());
        }
    }

    /// Groups that a subject is itself a member of.
    pub fn groups_of(&self, member: SubjectId) -> impl Iterator<Item = SubjectId> {
        self.indexes.groups_of.of(member)
    }

    /// What a subject may ask for, itself or through a group, at whatever time.
    pub fn eligibilities_of(&self, subject: SubjectId) -> impl Iterator<Item = &Eligibility> {
        std::iter::once(subject)
            .chain(self.groups_above(subject))
            .flat_map(|holder| self.indexes.eligible.of(holder))
            .filter_map(|id| self.eligibilities.get(&id))
    }

    /// The people who are `id` or belong to it.
    #[must_use]
    pub fn people_in(&self, id: SubjectId) -> BTreeSet<SubjectId> {
        self.people_of(id, |group| !group.suspended)
    }

    /// The same with programs: whoever may hold something by what `id` may ask for.
    pub(crate) fn holders_in(&self, id: SubjectId) -> BTreeSet<SubjectId> {
        self.of_kind(id, |group| !group.suspended, |kind| kind != SubjectKind::Group)
    }

    /// The people who are `id` or would belong to it if nothing was suspended: whoever touches a group touches all of them.
    pub(crate) fn everybody_in(&self, id: SubjectId) -> BTreeSet<SubjectId> {
        self.people_of(id, |_| true)
    }

    fn people_of(&self, id: SubjectId, opens: impl Fn(&Subject) -> bool) -> BTreeSet<SubjectId> {
        self.of_kind(id, opens, |kind| kind == SubjectKind::Person)
    }

    fn of_kind(
        &self,
        id: SubjectId,
        opens: impl Fn(&Subject) -> bool,
        is_wanted: impl Fn(SubjectKind) -> bool,
    ) -> BTreeSet<SubjectId> {
        let members = self.groups_from(id, opens).flat_map(|group| self.members_of(group.id));
        let fits = |id: &SubjectId| self.subjects.get(id).is_some_and(|subject| is_wanted(subject.kind));
        std::iter::once(id).chain(members).filter(fits).collect()
    }

    /// How many levels of groups hang below `id`; 0 for a person, and no more than may nest where they form a circle.
    pub(crate) fn group_height(&self, id: SubjectId) -> usize {
        let groups_in = |level: &BTreeSet<SubjectId>| -> Vec<&Subject> {
            level.iter().filter(|id| self.indexes.groups.contains(*id)).filter_map(|id| self.subjects.get(id)).collect()
        };
        let mut level = BTreeSet::from([id]);
        (0..GROUP_DEPTH)
            .find(|_| {
                let groups = groups_in(&level);
                level = groups.iter().flat_map(|group| self.members_of(group.id)).collect();
                groups.is_empty()
            })
            .unwrap_or(GROUP_DEPTH)
    }

    /// How many levels of groups lie above `id`; no more than may nest.
    pub(crate) fn group_depth(&self, id: SubjectId) -> usize {
        let mut level = BTreeSet::from([id]);
        (0..GROUP_DEPTH)
            .find(|_| {
                level = level.iter().flat_map(|member| self.groups_of(*member)).collect();
                level.is_empty()
            })
            .unwrap_or(GROUP_DEPTH)
    }
}
