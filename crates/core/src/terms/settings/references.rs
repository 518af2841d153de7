//! References to what an ask is for: whether each is demanded, and of which form.

use std::collections::BTreeMap;

use regex_lite::Regex;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, written_as_it_is},
};

/// Most references beside the ticket.
const MOST: usize = 8;
/// Most letters of the name of one.
const NAME_MOST: usize = 30;

/// Whether a reference is demanded.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum ReferenceRule {
    /// Not asked for.
    #[default]
    Off,
    /// May be given, and then fits the pattern.
    Optional {
        /// A regular expression for the whole reference.
        pattern: Option<String>,
    },
    /// Must be given.
    Required {
        /// A regular expression for the whole reference.
        pattern: Option<String>,
    },
}

impl ReferenceRule {
    const fn rank(&self) -> u8 {
        match self {
            Self::Off => 0,
            Self::Optional { .. } => 1,
            Self::Required { .. } => 2,
        }
    }

    /// The pattern, if one is set.
    #[must_use]
    pub fn pattern(&self) -> Option<&str> {
        match self {
            Self::Off => None,
            Self::Optional { pattern } | Self::Required { pattern } => pattern.as_deref(),
        }
    }

    /// Whether it must be given.
    #[must_use]
    pub const fn is_required(&self) -> bool {
        matches!(self, Self::Required { .. })
    }

    /// Whether a reference fits the whole pattern.
    #[must_use]
    pub fn fits(&self, reference: &str) -> bool {
        self.pattern().is_none_or(|pattern| whole(pattern).is_ok_and(|expression| expression.is_match(reference)))
    }

    /// What an asker has to bring, where they have to.
    pub(crate) fn need(&self, what: &str) -> Option<String> {
        match self {
            Self::Required { pattern: Some(pattern) } => Some(format!("a {what} of the form {pattern}")),
            Self::Required { pattern: None } => Some(format!("a {what}")),
            Self::Optional { .. } | Self::Off => None,
        }
    }

    pub(super) fn stricter(below: Self, above: Self) -> Self {
        if below.rank() > above.rank() {
            // A stricter demand below keeps the form that is demanded above.
            return match (below, above.pattern()) {
                (Self::Required { .. }, Some(pattern)) => Self::Required { pattern: Some(pattern.to_owned()) },
                (below, _) => below,
            };
        }
        match (&above, above.pattern(), below.pattern()) {
            (Self::Required { .. }, None, Some(pattern)) => Self::Required { pattern: Some(pattern.to_owned()) },
            _ => above,
        }
    }

    pub(super) fn demands_less_than(&self, before: &Self) -> bool {
        let other_form = before.pattern().is_some_and(|pattern| self.pattern() != Some(pattern));
        before.rank() > self.rank() || other_form
    }

    pub(super) fn words(&self) -> String {
        let form = self.pattern().map_or_else(String::new, |pattern| format!(", of the form {pattern}"));
        match self {
            Self::Off => "not asked for".to_owned(),
            Self::Optional { .. } => format!("optional{form}"),
            Self::Required { .. } => format!("required{form}"),
        }
    }

    pub(super) fn check(&self, what: &str) -> Result<(), Refusal> {
        let Some(pattern) = self.pattern() else { return Ok(()) };
        whole(pattern).map(drop).map_err(|error| {
            let (what, pattern, error) = (what.to_owned(), pattern.to_owned(), error.to_string());
            TermsRefusal::BadPattern { what, pattern, error }.into()
        })
    }
}

fn whole(pattern: &str) -> Result<Regex, regex_lite::Error> {
    Regex::new(&format!("^(?:{pattern})$"))
}

/// References beside the ticket, by name: a visit, an incident, an order. None before there was such a setting.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct References(pub BTreeMap<String, ReferenceRule>);

impl Setting for References {
    const NAME: &'static str = "references";

    written_as_it_is!();

    fn house_default(_: Act) -> Self {
        Self::default()
    }

    fn is_about(act: Act) -> bool {
        act.is_of_holding()
    }

    fn stricter(below: Self, mut above: Self) -> Self {
        for (name, rule) in below.0 {
            let both = match above.0.remove(&name) {
                Some(held) => ReferenceRule::stricter(rule, held),
                None => rule,
            };
            above.0.insert(name, both);
        }
        above
    }

    /// Another form that a report asks for doesn't take the place of the one that is set.
    fn tightened_by_report(set: Self, reported: Self) -> Self {
        Self::stricter(reported, set)
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        let now = |name| self.0.get(name).unwrap_or(&ReferenceRule::Off);
        before.0.iter().any(|(name, rule)| now(name).demands_less_than(rule))
    }

    fn words(&self, _: &World) -> String {
        let said: Vec<String> = self.0.iter().map(|(name, rule)| format!("{name} {}", rule.words())).collect();
        if said.is_empty() { "none".to_owned() } else { said.join("; ") }
    }

    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        if self.0.len() > MOST {
            return Err(TermsRefusal::TooManyReferences { references: self.0.len(), most: MOST }.into());
        }
        for (name, rule) in &self.0 {
            let is_word = name.starts_with(|c: char| c.is_ascii_lowercase())
                && name.len() <= NAME_MOST
                && name.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || c == '-');
            if !is_word || name == "ticket" {
                return Err(TermsRefusal::ReferenceName { name: name.clone(), most: NAME_MOST }.into());
            }
            if *rule == ReferenceRule::Off {
                return Err(TermsRefusal::ReferenceOff { name: name.clone() }.into());
            }
            rule.check(name)?;
        }
        Ok(())
    }
}
