//! Assurances: set and ended, and what those that only watch would have refused.

use std::collections::BTreeSet;

use super::{
    checked::{checked_name, shortened},
    deciding::Deciding,
};
use crate::{
    Act, Assurance, AssuranceCommand, AssuranceRefusal, Key, Kind, Lack, Refusal, Row, ScopeId, Shortfall, Sight,
    SubjectId, SubjectKind, Surety, What, World,
};

/// Most of them.
const MOST: usize = 64;

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &AssuranceCommand) -> Result<(), Refusal> {
    match command {
        AssuranceCommand::Set { assurance } => set(deciding, assurance),
        AssuranceCommand::End { name } => end(deciding, name),
    }
}

fn set(deciding: &mut Deciding<'_>, assurance: &Assurance) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    checked_name("assurance", &assurance.name)?;
    assurance.check()?;
    for group in assurance.bypass.iter().chain(&assurance.pilot) {
        ensure_group(deciding, *group)?;
    }
    let before = deciding.world.assurances.get(&assurance.name);
    deciding.ensure_as_looked_at(&assurance.name, before.map(Assurance::digest))?;
    if before.is_none() && deciding.world.assurances.len() >= MOST {
        return Err(AssuranceRefusal::TooMany { most: MOST }.into());
    }
    let (set_by, set_at) = (deciding.context.caller.subject(), Some(deciding.now()));
    let assurance = Assurance { set_by, set_at, ..assurance.clone() };
    let mut put = vec![Row::Assurance(assurance.clone())];
    deciding.ensure_still_administers(&put, &[])?;
    let is_less = before.is_some_and(|before| assurance.demands_less_than(before));
    if is_less && deciding.world.terms_wanting(&assurance.name).next().is_some() {
        put.extend(set_by.map(|me| deciding.own_influence(me)));
    }
    deciding.by(administers).fact(What::AssuranceSet { assurance: assurance.name }, put);
    Ok(())
}

fn ensure_group(deciding: &Deciding<'_>, group: SubjectId) -> Result<(), Refusal> {
    let known = deciding.world.subjects.get(&group);
    let known = known.ok_or_else(|| Refusal::unknown("group", group, "`tempestas people` lists them"))?;
    match known.kind {
        SubjectKind::Group => Ok(()),
        _ => Err(AssuranceRefusal::NotAGroup { group: deciding.world.subject_name(group) }.into()),
    }
}

fn end(deciding: &mut Deciding<'_>, name: &str) -> Result<(), Refusal> {
    let administers = deciding.administers_all()?;
    let unknown = || Refusal::unknown("assurance", shortened(name), "`tempestas assurances` lists them");
    let known = deciding.world.assurances.get(name).ok_or_else(unknown)?;
    deciding.ensure_as_looked_at(&known.name, Some(known.digest()))?;
    let rules: Vec<_> = deciding.world.terms_wanting(name).map(|rule| rule.id).collect();
    if !rules.is_empty() {
        return Err(AssuranceRefusal::Wanted { name: name.to_owned(), rules }.into());
    }
    let mut cut = vec![Key { kind: Kind::Assurance, id: name.to_owned() }];
    cut.extend(deciding.world.shortfalls_of(name).map(|one| Row::Shortfall(one.clone()).key()));
    deciding.by(administers).fact_cutting(What::AssuranceEnded { assurance: name.to_owned() }, Vec::new(), cut);
    Ok(())
}

/// That something was let through which an assurance that only watches would have refused.
pub(super) fn watched(deciding: &Deciding<'_>, assurance: String, lack: Lack) -> Option<(What, Vec<Row>)> {
    let subject = deciding.context.caller.subject()?;
    let before = deciding.world.shortfalls_of(&assurance).find(|one| one.subject == subject);
    let times = before.map_or(0, |before| before.times).saturating_add(1);
    let what = What::LetThrough { assurance: assurance.clone(), subject, lack };
    Some((what, vec![Row::Shortfall(Shortfall { assurance, subject, lack, times, last_at: deciding.now() })]))
}

impl Deciding<'_> {
    /// Refuses what would take from administering that the caller lacks: nobody could then undo it.
    pub(super) fn ensure_still_administers(&self, put: &[Row], cut: &[Key]) -> Result<(), Refusal> {
        let (Some(me), Some(root)) = (self.context.caller.subject(), self.world.root) else { return Ok(()) };
        let after = self.world.tried(put, cut);
        let ruled = |world: &World| -> Vec<ScopeId> {
            let rules = world.terms.values().filter(|rule| rule.act == Act::Administer);
            rules.map(|rule| rule.scope).collect()
        };
        let places: BTreeSet<ScopeId> = ruled(self.world).into_iter().chain(ruled(&after)).chain([root]).collect();
        let theirs = places.into_iter().filter(|place| Sight::is_administrator(self.world, me, *place));
        for place in theirs {
            let lacks = |world: &World| {
                let takes = Surety::to_administer(world, place, me);
                takes.lacking(world, &self.context.caller, self.now()).err()
            };
            if let (None, Some(lack)) = (lacks(self.world), lacks(&after)) {
                return Err(AssuranceRefusal::LocksOut { lack: lack.to_string() }.into());
            }
        }
        Ok(())
    }
}
