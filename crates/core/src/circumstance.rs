//! Circumstances, under names: what another system is asked, and what it has to say for something to be held. An open visit, an
//! incident. What was not heard of does not hold.

use std::collections::BTreeSet;

use jiff::Timestamp;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Brings, Brought, CircumstanceRefusal, Demand, Digest, Effective, Elevation, ReferenceRule, Refusal, SubjectId,
    Terms, World, effective_terms,
};

/// Longest address, pointer or value.
const TEXT_MOST: usize = 500;

/// Something that another system says, under a name of the house's own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Circumstance {
    /// Its name, by which rules want it.
    pub name: String,
    /// The address that is asked. A part of its path may be `{visit}` or `{ticket}`: the reference of that name that an asker
    /// brings.
    pub address: String,
    /// Where in the answer it stands, as a JSON pointer (RFC 6901).
    pub pointer: String,
    /// What stands there while it holds: a text, a number or a truth value, as a text.
    pub is: String,
    /// Who set it last.
    #[serde(default)]
    pub set_by: Option<SubjectId>,
    /// When.
    #[serde(default)]
    pub set_at: Option<Timestamp>,
}

/// What was heard of a circumstance last.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Heard {
    /// Which.
    pub circumstance: String,
    /// Of which reference, where it is about one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub of: Option<Digest>,
    /// Whether it holds.
    pub holds: bool,
    /// Since when that is known.
    pub at: Timestamp,
}

impl Heard {
    /// What it is found by.
    #[must_use]
    pub fn key(&self) -> String {
        self.of.map_or_else(|| self.circumstance.clone(), |of| format!("{}-{of}", self.circumstance))
    }
}

impl Circumstance {
    /// The name of the reference that it is about, where it is about one.
    #[must_use]
    pub fn of(&self) -> Option<&str> {
        self.address.split_once('{').and_then(|(_, rest)| rest.split_once('}')).map(|(name, _)| name)
    }

    /// Checks one before it is taken in. Whether its address may be called is checked where it comes in.
    ///
    /// # Errors
    /// Says what can't be, and what could.
    pub fn check(&self) -> Result<(), Refusal> {
        let too_long =
            [&self.address, &self.pointer, &self.is].into_iter().any(|text| text.chars().count() > TEXT_MOST);
        if too_long || self.is.is_empty() || self.address.contains(['?', '#', '\\']) {
            return Err(CircumstanceRefusal::BadQuestion { most: TEXT_MOST }.into());
        }
        if !self.pointer.is_empty() && !self.pointer.starts_with('/') {
            return Err(CircumstanceRefusal::BadPointer { pointer: self.pointer.clone() }.into());
        }
        let braces = self.address.matches(['{', '}']).count();
        let is_part = |name: &str| self.address.split('/').skip(3).any(|part| part == format!("{{{name}}}"));
        match self.of() {
            None if braces == 0 => Ok(()),
            Some(name) if braces == 2 && is_part(name) => Ok(()),
            _ => Err(CircumstanceRefusal::BadPlace { address: self.address.clone() }.into()),
        }
    }

    /// What it is, in words.
    #[must_use]
    pub fn words(&self) -> String {
        let Self { address, pointer, is, .. } = self;
        match pointer.as_str() {
            "" => format!("while what {address} answers is {is}"),
            pointer => format!("while what {address} answers has {is} at {pointer}"),
        }
    }

    /// It as it stands, which a change of it carries.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(self)
    }
}

impl Brings {
    /// The reference of a name, where it is given.
    #[must_use]
    pub fn reference(&self, name: &str) -> Option<&str> {
        let said = if name == "ticket" { self.ticket.as_ref() } else { self.references.get(name) };
        said.map(|said| said.0.as_str()).filter(|said| !said.is_empty())
    }
}

impl Effective {
    fn rule_of_reference(&self, name: &str) -> Option<&ReferenceRule> {
        let rule = if name == "ticket" { Some(&self.ticket.0) } else { self.references.0.get(name) };
        rule.filter(|rule| **rule != ReferenceRule::Off)
    }

    fn wants_reference(&self, name: &str) -> bool {
        self.rule_of_reference(name).is_some()
    }

    /// Whether a reference of that name may be brought so.
    #[must_use]
    pub fn takes_reference(&self, name: &str, said: &str) -> bool {
        self.rule_of_reference(name).is_some_and(|rule| rule.fits(said))
            && said.chars().count() <= TEXT_MOST
            && !said.contains(char::is_control)
    }
}

impl Brought {
    fn reference(&self, world: &World, name: &str) -> Option<String> {
        let said = if name == "ticket" { self.ticket } else { self.references.get(name).copied() };
        said.map(|said| world.text(said)).filter(|said| !said.is_empty())
    }
}

impl World {
    /// What was heard last of a circumstance, of the reference that it is about.
    pub(crate) fn heard_of(&self, circumstance: &str, of: Option<&str>) -> Option<&Heard> {
        let is_it = |heard: &&Heard| {
            heard.circumstance == circumstance
                && match (heard.of, of) {
                    (Some(known), Some(said)) => self.is_text(known, said),
                    (known, said) => known.is_none() && said.is_none(),
                }
        };
        self.heard.values().find(is_it)
    }

    /// Whether a circumstance holds, as far as it was heard.
    #[must_use]
    pub fn holds(&self, circumstance: &str, of: Option<&str>) -> bool {
        self.heard_of(circumstance, of).is_some_and(|heard| heard.holds)
    }

    /// Rules that want a circumstance.
    pub fn terms_only_while<'w>(&'w self, circumstance: &'w str) -> impl Iterator<Item = &'w Terms> {
        let wants =
            move |rule: &&Terms| rule.settings.only_while.as_ref().is_some_and(|it| it.0.contains(circumstance));
        self.terms.values().filter(wants)
    }

    /// What another system has to be asked about: circumstances of nothing but themselves that a rule wants, and those of
    /// references that were brought for what is asked for, or held.
    #[must_use]
    pub fn to_be_heard(&self) -> BTreeSet<(String, Option<String>)> {
        if self.circumstances.is_empty() {
            return BTreeSet::new();
        }
        let wanted = self.circumstances.values().filter(|one| self.terms_only_while(&one.name).next().is_some());
        let alone = wanted.filter(|one| one.of().is_none()).map(|one| (one.name.clone(), None));
        let brought = self.active().flat_map(|elevation| {
            self.rests_on(elevation).into_iter().filter_map(|name| {
                let of = self.circumstances.get(name.as_str())?.of()?;
                Some((name.clone(), Some(elevation.brought.reference(self, of)?)))
            })
        });
        alone.chain(brought).collect()
    }

    /// The circumstances while which alone something may be held: by the stricter of when it was asked and now.
    fn rests_on(&self, elevation: &Elevation) -> BTreeSet<String> {
        let mut names =
            self.demand_of(elevation.id).map_or_else(BTreeSet::new, |demand| demand.terms.only_while.0.clone());
        if !elevation.glass && !elevation.is_over() {
            names.extend(effective_terms(self, Act::Elevate, elevation.right, elevation.holder).only_while.0);
        }
        names
    }

    /// Whether something may not be held any more once this doesn't hold.
    pub(crate) fn ends_with(&self, elevation: &Elevation, circumstance: &str, of: Option<&str>) -> bool {
        let about = self.circumstances.get(circumstance).and_then(Circumstance::of);
        let brought = about.map(|name| elevation.brought.reference(self, name));
        self.rests_on(elevation).contains(circumstance)
            && match (brought, of) {
                (Some(brought), Some(of)) => brought.as_deref() == Some(of),
                (None, None) => true,
                _ => false,
            }
    }

    /// Refuses what may be held only while something holds that doesn't, by what was brought when it was asked for.
    pub(crate) fn ensure_may_begin(&self, terms: &Effective, brought: &Brought) -> Result<(), Refusal> {
        self.ensure_holds(terms, |name| brought.reference(self, name))
    }

    fn ensure_holds(&self, terms: &Effective, brought: impl Fn(&str) -> Option<String>) -> Result<(), Refusal> {
        for name in &terms.only_while.0 {
            let Some(circumstance) = self.circumstances.get(name.as_str()) else {
                return Err(CircumstanceRefusal::CircumstanceGone { name: name.clone() }.into());
            };
            if let Some(reference) = circumstance.of().filter(|reference| !terms.wants_reference(reference)) {
                let (name, reference) = (name.clone(), reference.to_owned());
                return Err(CircumstanceRefusal::Unaskable { name, reference }.into());
            }
            let of = circumstance.of().map(|reference| {
                let missing =
                    || CircumstanceRefusal::OfNoReference { name: name.clone(), reference: reference.to_owned() };
                brought(reference).ok_or_else(missing)
            });
            let of = of.transpose()?;
            if !self.holds(name, of.as_deref()) {
                return Err(CircumstanceRefusal::NotSo { name: name.clone(), of }.into());
            }
        }
        Ok(())
    }
}

/// Refuses an ask for what may be held only while something holds that doesn't.
///
/// # Errors
/// Says what doesn't, or what has to be brought for it to be known.
pub fn ensure_circumstances(world: &World, terms: &Effective, brings: &Brings) -> Result<(), Refusal> {
    world.ensure_holds(terms, |name| brings.reference(name).map(str::to_owned))
}

impl Demand {
    /// While what alone it may be held, with what doesn't hold at present.
    pub(crate) fn only_while(&self, world: &World) -> String {
        let said = self.terms.only_while.0.iter().map(|name| {
            match world.circumstances.get(name.as_str()).and_then(Circumstance::of) {
                Some(of) => format!(", only while `{name}` holds of the {of} that you give"),
                None if world.holds(name, None) => format!(", only while `{name}` holds"),
                None => format!(", only while `{name}` holds, which it does not at present"),
            }
        });
        said.collect()
    }
}
