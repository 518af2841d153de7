//! How long a grant lasts where nobody says.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::check_span;
use crate::{
    Act, Refusal, Seconds, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, written_as_span},
};

/// How long it lasts where none is asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Usual(pub Seconds);

impl Default for Usual {
    fn default() -> Self {
        Self(Seconds::minutes(30))
    }
}

impl Setting for Usual {
    const NAME: &'static str = "usual";

    written_as_span!();

    fn house_default(_: Act) -> Self {
        Self::default()
    }

    fn is_about(act: Act) -> bool {
        act.is_of_holding()
    }

    fn stricter(below: Self, above: Self) -> Self {
        below.min(above)
    }

    /// Whoever asks may ask for more.
    fn demands_less_than(&self, _: &Self) -> bool {
        false
    }

    fn words(&self, _: &World) -> String {
        self.0.to_string()
    }

    fn check(&self, act: Act, beside: &Settings) -> Result<(), Refusal> {
        check_span(Self::NAME, self.0, act)?;
        match beside.longest {
            Some(longest) if self.0 > longest.0 => {
                Err(TermsRefusal::UsualTooLong { usual: self.0, longest: longest.0 }.into())
            }
            _ => Ok(()),
        }
    }
}
