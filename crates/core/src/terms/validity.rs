//! While a rule is valid: from a moment on, until one, or always. Time wakes it and puts it to sleep, each by a fact of its own.

use std::{collections::BTreeSet, fmt};

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::Terms;
use crate::{Refusal, TermsRefusal, moment};

/// From when until when a rule is valid; always, where neither is said.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Validity {
    /// The first moment; valid at once without one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<Timestamp>,
    /// The moment at which it is so no more; without an end without one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub until: Option<Timestamp>,
}

/// Why a rule fits nothing by its own validity.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Dormant {
    /// It isn't valid yet.
    NotYet,
    /// It is so no more.
    Over,
}

impl Validity {
    /// Whether nothing is said.
    #[must_use]
    pub fn is_always(&self) -> bool {
        *self == Self::default()
    }

    /// Why it is not valid at a moment, if it isn't.
    #[must_use]
    pub fn dormant(&self, at: Timestamp) -> Option<Dormant> {
        if self.until.is_some_and(|until| until <= at) {
            return Some(Dormant::Over);
        }
        self.from.filter(|from| at < *from).map(|_| Dormant::NotYet)
    }

    /// Checks it before it is taken in.
    ///
    /// # Errors
    /// Says which of both can't be.
    pub fn check(&self, now: Timestamp) -> Result<(), Refusal> {
        match (self.from, self.until) {
            (Some(from), Some(until)) if until <= from => Err(TermsRefusal::NeverValid { from, until }.into()),
            (_, Some(until)) if until <= now => Err(TermsRefusal::ValidityOver { until, now }.into()),
            _ => Ok(()),
        }
    }
}

impl fmt::Display for Validity {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match (self.from, self.until) {
            (None, None) => f.write_str("always"),
            (Some(from), None) => write!(f, "from {}", moment(from)),
            (None, Some(until)) => write!(f, "until {}", moment(until)),
            (Some(from), Some(until)) => write!(f, "from {} until {}", moment(from), moment(until)),
        }
    }
}

impl Terms {
    /// When time alone wakes it or puts it to sleep.
    pub(crate) fn due(&self) -> Option<Timestamp> {
        match self.dormant {
            Some(Dormant::NotYet) => self.valid.from,
            None => self.valid.until,
            Some(Dormant::Over) => None,
        }
    }

    /// As it is at a moment.
    #[must_use]
    pub(crate) fn at(&self, moment: Timestamp) -> Self {
        Self { dormant: self.valid.dormant(moment), ..self.clone() }
    }
}

/// Now, and each moment after it at which one of some rules wakes or goes to sleep.
pub(crate) fn moments<'t>(rules: impl Iterator<Item = &'t Terms>, now: Timestamp) -> BTreeSet<Timestamp> {
    let times = rules.flat_map(|rule| [rule.valid.from, rule.valid.until]).flatten();
    times.filter(|time| *time > now).chain([now]).collect()
}
