//! Whether a ticket is demanded, and of which form.

use regex_lite::Regex;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, written_as_it_is},
};

/// Whether a ticket is demanded.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum TicketRule {
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

impl TicketRule {
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

    /// Whether `ticket` fits the whole pattern.
    #[must_use]
    pub fn fits(&self, ticket: &str) -> bool {
        self.pattern().is_none_or(|pattern| whole(pattern).is_ok_and(|expression| expression.is_match(ticket)))
    }

    /// What an asker has to bring, where they have to.
    pub(crate) fn need(&self) -> Option<String> {
        match self {
            Self::Required { pattern: Some(pattern) } => Some(format!("a ticket of the form {pattern}")),
            Self::Required { pattern: None } => Some("a ticket".to_owned()),
            Self::Optional { .. } | Self::Off => None,
        }
    }
}

fn whole(pattern: &str) -> Result<Regex, regex_lite::Error> {
    Regex::new(&format!("^(?:{pattern})$"))
}

impl Setting for TicketRule {
    const NAME: &'static str = "ticket";

    written_as_it_is!();

    fn house_default(_: Act) -> Self {
        Self::default()
    }

    fn is_about(act: Act) -> bool {
        act != Act::BeMadeEligible
    }

    fn stricter(below: Self, above: Self) -> Self {
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

    fn demands_less_than(&self, before: &Self) -> bool {
        let other_form = before.pattern().is_some_and(|pattern| self.pattern() != Some(pattern));
        before.rank() > self.rank() || other_form
    }

    fn words(&self, _: &World) -> String {
        let form = self.pattern().map_or_else(String::new, |pattern| format!(", of the form {pattern}"));
        match self {
            Self::Off => "not asked for".to_owned(),
            Self::Optional { .. } => format!("optional{form}"),
            Self::Required { .. } => format!("required{form}"),
        }
    }

    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        let Some(pattern) = self.pattern() else { return Ok(()) };
        whole(pattern)
            .map(drop)
            .map_err(|error| TermsRefusal::BadPattern { pattern: pattern.to_owned(), error: error.to_string() }.into())
    }
}
