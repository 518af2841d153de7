//! What files would change, before it is changed: which clause of theirs is which of the house's, what is new, and what goes.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use jiff::Timestamp;

use super::{Clause, ClauseKind, Filing, InFiles, named::all_named};
use crate::{
    Assurance, Digest, Dormant, FilingId, FilingRefusal, Key, Kind, Refusal, Row, ScopeId, Terms, TermsId, World,
    decide::checked_name,
};

/// What files say about a place and all below it, whole.
#[derive(Debug, Clone, PartialEq)]
pub struct Filed {
    /// The place.
    pub within: ScopeId,
    /// Each clause under its name; those of a kind are named apart.
    pub clauses: Vec<(String, Clause)>,
}

/// One clause that changes.
#[derive(Debug, Clone, PartialEq)]
pub struct Amendment {
    /// What it is found by; none of a rule that is yet to be made.
    pub key: Option<Key>,
    /// What files call it from then on; none where they have it no more.
    pub name: Option<InFiles>,
    /// What they call it until then.
    pub known_as: Option<InFiles>,
    /// As it stands.
    pub before: Option<Clause>,
    /// As it is to stand.
    pub after: Option<Clause>,
}

impl Amendment {
    /// Its kind.
    #[must_use]
    pub fn kind(&self) -> ClauseKind {
        self.before.as_ref().or(self.after.as_ref()).map_or(ClauseKind::Rule, Clause::kind)
    }

    /// Its name in files, from then on or until then.
    #[must_use]
    pub fn called(&self) -> &str {
        self.name.as_ref().or(self.known_as.as_ref()).map_or("", |known| &known.name)
    }

    /// Whether nothing changes but that files have it, or under which name.
    #[must_use]
    pub fn is_of_name_alone(&self, world: &World) -> bool {
        match (&self.before, &self.after) {
            (Some(before), Some(after)) => before.says_the_same(after, world),
            _ => false,
        }
    }

    fn is_nothing(&self, world: &World) -> bool {
        let names = [&self.name, &self.known_as].map(|known| known.as_ref().map(|known| &known.name));
        names[0] == names[1] && self.is_of_name_alone(world)
    }
}

/// What a filing would change, looked at and then put.
#[derive(Debug, Clone, PartialEq)]
pub struct FilingPlan {
    /// All of it is about this place, and below.
    pub within: ScopeId,
    /// The filing that it would undo.
    pub undoes: Option<FilingId>,
    /// What would change.
    pub amendments: Vec<Amendment>,
    /// Clauses of the files that stand as they are to stand.
    pub same: Vec<Key>,
}

impl FilingPlan {
    /// Of all that it would change, which whoever puts it says that they looked at.
    #[must_use]
    pub fn digest(&self) -> Digest {
        let amended = self.amendments.iter().map(|one| {
            let of = |clause: &Option<Clause>| clause.as_ref().map(Clause::digest);
            (&one.key, &one.name, &one.known_as, of(&one.before), of(&one.after))
        });
        Digest::of_json(&(self.within, self.undoes, amended.collect::<Vec<_>>()))
    }

    /// The rules that would go or change, and those that would come.
    pub fn rules(&self) -> impl Iterator<Item = (Option<&Terms>, Option<&Terms>)> {
        self.amendments.iter().filter_map(|one| match (&one.before, &one.after) {
            (Some(Clause::Rule(before)), Some(Clause::Rule(after))) => Some((Some(before), Some(after))),
            (Some(Clause::Rule(before)), None) => Some((Some(before), None)),
            (None, Some(Clause::Rule(after))) => Some((None, Some(after))),
            _ => None,
        })
    }
}

/// What files would change. What they name no more goes, where files had it; what they never had stays.
///
/// # Errors
/// Says which clause is not of the place, or has a name that is taken elsewhere.
pub fn filing_plan(world: &World, filed: &Filed) -> Result<FilingPlan, Refusal> {
    let mut amendments = of_rules(world, filed)?;
    amendments.extend(of_named(world, filed)?);
    let (same, amendments): (Vec<_>, Vec<_>) = amendments.into_iter().partition(|one| one.is_nothing(world));
    let same = same.into_iter().filter_map(|one| one.key).collect();
    Ok(FilingPlan { within: filed.within, undoes: None, same, amendments })
}

fn of_rules(world: &World, filed: &Filed) -> Result<Vec<Amendment>, Refusal> {
    let is_within = |rule: &Terms| world.is_within(rule.scope, filed.within);
    let mut left: BTreeMap<TermsId, &Terms> =
        world.terms.values().filter(|rule| is_within(rule)).map(|rule| (rule.id, rule)).collect();
    let names: HashMap<&str, TermsId> =
        world.terms.keys().filter_map(|id| Some((world.name_in_files(&rule_key(*id))?, *id))).collect();
    let (mut amendments, mut unmatched) = (Vec::new(), Vec::new());
    let amend = |name: &str, old: Option<&Terms>, new: &Terms| {
        let id = old.map_or(TermsId(0), |old| old.id);
        Amendment {
            key: old.map(|old| rule_key(old.id)),
            name: Some(InFiles { name: name.to_owned(), within: filed.within }),
            known_as: old.and_then(|old| known_as(world, &rule_key(old.id))),
            before: old.cloned().map(Clause::Rule),
            after: Some(Clause::Rule(Terms { id, ..new.clone() })),
        }
    };
    for (name, clause) in &filed.clauses {
        let Clause::Rule(rule) = clause else { continue };
        if !is_within(rule) {
            return Err(FilingRefusal::ClauseOutside { name: name.clone(), within: world.path(filed.within) }.into());
        }
        match names.get(name.as_str()) {
            None => unmatched.push((name, rule)),
            Some(id) => {
                let taken = || FilingRefusal::ClauseNameTaken { name: name.clone() };
                amendments.push(amend(name, Some(left.remove(id).ok_or_else(taken)?), rule));
            }
        }
    }
    for (name, rule) in unmatched {
        let (said, is_filed) = (Clause::Rule(rule.clone()), |id| world.name_in_files(&rule_key(id)).is_some());
        // Of those about just the same, the one that says the same is meant, and before others one that files had under another name.
        let best = left.values().filter(|old| old.is_about_the_same(rule, world)).min_by_key(|old| {
            let is_same = Clause::Rule((**old).clone()).says_the_same(&said, world);
            (!is_same, !is_filed(old.id), old.id)
        });
        let old = best.map(|old| old.id).and_then(|id| left.remove(&id));
        amendments.push(amend(name, old, rule));
    }
    let gone = left.into_values().filter_map(|rule| going(world, filed.within, Clause::Rule(rule.clone())));
    amendments.extend(gone);
    Ok(amendments)
}

fn rule_key(id: TermsId) -> Key {
    Key { kind: Kind::Terms, id: id.0.to_string() }
}

/// A clause that files of this place had, and have no more. What files of another place have is theirs to end.
fn going(world: &World, within: ScopeId, clause: Clause) -> Option<Amendment> {
    let key = clause.key();
    let known_as = known_as(world, &key).filter(|known| known.within == within)?;
    Some(Amendment { key: Some(key), name: None, known_as: Some(known_as), before: Some(clause), after: None })
}

fn known_as(world: &World, key: &Key) -> Option<InFiles> {
    world.file_mark(key).map(|mark| mark.known_as.clone())
}

/// Of what is the house's, and found by its name.
fn of_named(world: &World, filed: &Filed) -> Result<Vec<Amendment>, Refusal> {
    let named = || filed.clauses.iter().filter(|(_, clause)| clause.kind() != ClauseKind::Rule);
    if Some(filed.within) != world.root {
        return match named().next() {
            Some((name, clause)) => {
                Err(FilingRefusal::ClauseOfTheHouse { kind: clause.kind(), name: name.clone() }.into())
            }
            None => Ok(Vec::new()),
        };
    }
    let mut kept = BTreeSet::new();
    let mut amendments: Vec<Amendment> = Vec::new();
    for (name, clause) in named() {
        let key = clause.key();
        let (known_as, before) = (known_as(world, &key), Clause::at(world, &key));
        kept.insert(key.clone());
        let name = Some(InFiles { name: name.clone(), within: filed.within });
        let after = Some(clause.clone());
        amendments.push(Amendment { key: Some(key), name, known_as, before, after });
    }
    let all = all_named(world).filter(|clause| !kept.contains(&clause.key()));
    amendments.extend(all.filter_map(|clause| going(world, filed.within, clause)));
    Ok(amendments)
}

/// What would undo a filing: each clause as it was before, where it still is as the filing left it.
///
/// # Errors
/// Says what was changed since, or why it can't be undone any more.
pub fn plan_to_undo(world: &World, filing: &Filing, now: Timestamp) -> Result<FilingPlan, Refusal> {
    let id = filing.id;
    if let Some(by) = filing.undone_by {
        return Err(FilingRefusal::FilingUndoneAlready { id, by }.into());
    }
    if filing.undo_until() < now {
        return Err(FilingRefusal::FilingTooOld { id, until: filing.undo_until() }.into());
    }
    let (mut amendments, mut changed) = (Vec::new(), Vec::new());
    for change in &filing.changes {
        let before = Clause::at(world, &change.key);
        let is_taken = |known: &InFiles| {
            let others =
                world.file_marks.values().filter(|mark| mark.of.kind == change.key.kind && mark.of != change.key);
            others.filter(|mark| mark.known_as.name == known.name).any(|mark| Clause::at(world, &mark.of).is_some())
        };
        if before.as_ref().map(Clause::digest) != change.after || change.known_as.iter().any(is_taken) {
            changed.push(change.called().to_owned());
            continue;
        }
        // A rule whose time is over by now would hold nobody up.
        let is_over =
            |clause: &Clause| matches!(clause, Clause::Rule(rule) if rule.valid.dormant(now) == Some(Dormant::Over));
        let after = change.before.clone().filter(|clause| !is_over(clause));
        if before.is_none() && after.is_none() {
            continue;
        }
        let key = Some(change.key.clone());
        let known_as = before.as_ref().and(change.name.clone());
        let name = after.as_ref().and(change.known_as.clone());
        amendments.push(Amendment { key, name, known_as, before, after });
    }
    if !changed.is_empty() {
        return Err(FilingRefusal::ChangedSinceFiled { id, changed }.into());
    }
    Ok(FilingPlan { within: filing.within, undoes: Some(id), same: Vec::new(), amendments })
}

/// What can't be as a file says it.
#[derive(Debug, Clone, PartialEq)]
pub struct Fault {
    /// Of which kind the clause is.
    pub kind: ClauseKind,
    /// Its name.
    pub name: String,
    /// The setting of a rule that is at fault, where it is one.
    pub setting: Option<&'static str>,
    /// What is wrong.
    pub why: Refusal,
}

/// What is wrong with clauses by themselves, each for itself: the first fault of each.
#[must_use]
pub fn faults(world: &World, filed: &Filed, now: Timestamp) -> Vec<Fault> {
    // A rule may want what the same files set.
    let beside = filed.clauses.iter().filter(|(_, clause)| matches!(clause, Clause::Assurance(_)));
    let put: Vec<Row> = beside.map(|(_, clause)| clause.clone().into_row()).collect();
    let world = &world.tried(&put, &[]);
    let standing: BTreeSet<Digest> =
        world.terms.values().map(|rule| Clause::Rule(rule.clone()).read(world).digest()).collect();
    let fault = |(name, clause): &(String, Clause)| {
        if let Err(why) = checked_name(&clause.kind().to_string(), name) {
            return Some(Fault { kind: clause.kind(), name: name.clone(), setting: None, why });
        }
        let (setting, why) = match clause {
            // What stands already was checked when it was set, and may be over by now.
            Clause::Rule(_) if standing.contains(&clause.read(world).digest()) => return None,
            Clause::Rule(rule) => rule.fault(world, now)?,
            Clause::Assurance(it) => (None, Assurance::check(it).err()?),
            Clause::Separation(it) => (None, it.check(world).err()?),
            Clause::Promise(it) => (None, it.check(world).err()?),
        };
        Some(Fault { kind: clause.kind(), name: name.clone(), setting, why })
    };
    filed.clauses.iter().filter_map(fault).collect()
}

impl Terms {
    /// The first that is wrong with it, with the setting that it is about.
    fn fault(&self, world: &World, now: Timestamp) -> Option<(Option<&'static str>, Refusal)> {
        let whole =
            || self.check().and_then(|()| self.valid.check(now)).and_then(|()| self.ensure_named_is_there(world));
        let of_setting = self.settings.first_refused(self.act).map(|(setting, why)| (Some(setting), why));
        of_setting.or_else(|| whole().err().map(|why| (None, why)))
    }
}
