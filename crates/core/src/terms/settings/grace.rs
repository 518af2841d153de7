//! How much longer a holder may take at the end, to finish what is under way.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Seconds, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, of_elevating, written_as_span},
};

/// Grace is for finishing; what takes longer is extended.
const MOST: Seconds = Seconds::hours(1);

/// How much longer its holder may take, once, with nobody asked: also beyond the longest. None before there was such a setting.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Grace(pub Seconds);

impl Default for Grace {
    fn default() -> Self {
        Self(Seconds(0))
    }
}

impl Setting for Grace {
    const NAME: &'static str = "grace";

    of_elevating!();

    written_as_span!();

    fn stricter(below: Self, above: Self) -> Self {
        below.min(above)
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        self > before
    }

    fn words(&self, _: &World) -> String {
        if *self == Self::default() { "none".to_owned() } else { format!("{} once, at its end", self.0) }
    }

    /// None at all can be set, where a rule above gives some.
    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        if self.0 > MOST {
            return Err(TermsRefusal::GraceTooLong { grace: self.0, most: MOST }.into());
        }
        Ok(())
    }
}
