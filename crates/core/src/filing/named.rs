//! What clauses are called in files: as files had them, else by what they are about.

use std::collections::BTreeSet;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use super::Clause;
use crate::{Act, FilingId, Key, ScopeId, Terms, World};

/// How many letters a name has at most.
const LETTERS: usize = 60;

/// What files call a clause.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct InFiles {
    /// Its name.
    pub name: String,
    /// The place that those files are about: they alone end it by naming it no more.
    pub within: ScopeId,
}

/// That files have a clause.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct FileMark {
    /// The clause.
    pub of: Key,
    /// What they call it.
    #[serde(flatten)]
    pub known_as: InFiles,
    /// The filing that put it last.
    pub filing: FilingId,
    /// When that was.
    pub at: Timestamp,
}

impl FileMark {
    /// What it is found by.
    #[must_use]
    pub(crate) fn key(&self) -> String {
        mark_key(&self.of)
    }
}

fn mark_key(of: &Key) -> String {
    format!("{}-{}", of.kind.word(), of.id)
}

impl World {
    /// That files have a clause, where they do.
    #[must_use]
    pub fn file_mark(&self, of: &Key) -> Option<&FileMark> {
        self.file_marks.get(&mark_key(of))
    }

    /// What files call a clause, where they have it.
    #[must_use]
    pub fn name_in_files(&self, of: &Key) -> Option<&str> {
        self.file_mark(of).map(|mark| mark.known_as.name.as_str())
    }
}

/// Each separation, assurance and promise there is.
pub(super) fn all_named(world: &World) -> impl Iterator<Item = Clause> {
    let assurances = world.assurances.values().cloned().map(Clause::Assurance);
    let separations = world.separations.values().cloned().map(Clause::Separation);
    assurances.chain(separations).chain(world.promises.values().cloned().map(Clause::Promise))
}

/// What files would say of a place and all below it, each clause under its name: of the whole house, what it finds by name as well.
#[must_use]
pub fn named_clauses(world: &World, within: ScopeId) -> Vec<(String, Clause)> {
    let rules = world.terms.values().filter(|rule| world.is_within(rule.scope, within));
    let rules = rules.cloned().map(Clause::Rule);
    let named = all_named(world).filter(|_| Some(within) == world.root);
    let all: Vec<(Option<String>, Clause)> =
        named.chain(rules).map(|clause| (world.name_in_files(&clause.key()).map(str::to_owned), clause)).collect();
    let mut taken: BTreeSet<String> = all.iter().filter_map(|(name, _)| name.clone()).collect();
    let name = |(name, clause): (Option<String>, Clause)| {
        let name = name.unwrap_or_else(|| match &clause {
            Clause::Rule(rule) => {
                let about = about(world, rule);
                let numbered = (2..).map(|n: u32| format!("{about}-{n}"));
                let free = std::iter::once(about.clone()).chain(numbered).find(|name| !taken.contains(name));
                free.unwrap_or(about)
            }
            named => named.key().id,
        });
        if matches!(clause, Clause::Rule(_)) {
            taken.insert(name.clone());
        }
        (name, clause)
    };
    all.into_iter().map(name).collect()
}

/// What a rule is about, as a name: `berths-critical`, `house-administer`.
fn about(world: &World, rule: &Terms) -> String {
    let place = world.scopes.get(&rule.scope).filter(|scope| scope.parent.is_some());
    let place = place.map_or_else(|| "house".to_owned(), |scope| scope.name.clone());
    let act = (rule.act != Act::Elevate).then(|| kebab(&rule.act));
    let role = rule.role.as_ref().map(|role| world.words(role).to_owned());
    let weight = rule.weight.as_ref().map(kebab);
    let asker = rule.asker.map(|asker| world.subject_name(asker));
    let marks = rule.labels.values().chain(rule.attributes.values()).cloned();
    let parts = std::iter::once(place).chain([role, weight, asker, act].into_iter().flatten()).chain(marks);
    let parts: Vec<String> = parts.map(|part| plain(&part)).filter(|part| !part.is_empty()).collect();
    let name: String = parts.join("-").chars().take(LETTERS).collect();
    let name = name.trim_end_matches(['-', '.', '_']);
    if name.len() < 2 { "rule".to_owned() } else { name.to_owned() }
}

/// A value as it is written.
fn kebab(value: &impl Serialize) -> String {
    serde_json::to_value(value).ok().and_then(|value| value.as_str().map(str::to_owned)).unwrap_or_default()
}

/// A text with nothing in it but what a name may have.
fn plain(text: &str) -> String {
    let kept = text.to_lowercase().replace(|c: char| !c.is_ascii_alphanumeric() && c != '.', "-");
    kept.split('-').filter(|part| !part.is_empty()).collect::<Vec<_>>().join("-").trim_matches('.').to_owned()
}
