//! How long a grant may last at most, or an eligibility.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::check_span;
use crate::{
    Act, Refusal, Seconds, Settings, SubjectId, World,
    terms::setting::{Setting, written_as_span},
};

/// The longest that it may last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Longest(pub Seconds);

impl Longest {
    /// No limit.
    const NEVER: Self = Self(Seconds(u32::MAX));
}

impl Default for Longest {
    fn default() -> Self {
        Self(Seconds::hours(1))
    }
}

impl Setting for Longest {
    const NAME: &'static str = "longest";

    written_as_span!();

    fn house_default(act: Act) -> Self {
        match act {
            Act::BeMadeEligible => Self::NEVER,
            _ => Self::default(),
        }
    }

    fn is_about(act: Act) -> bool {
        !act.is_a_step()
    }

    fn stricter(below: Self, above: Self) -> Self {
        below.min(above)
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        self > before
    }

    fn words(&self, _: &World) -> String {
        if *self == Self::NEVER { "no limit".to_owned() } else { self.0.to_string() }
    }

    fn check(&self, act: Act, _: &Settings) -> Result<(), Refusal> {
        check_span(Self::NAME, self.0, act)
    }
}
