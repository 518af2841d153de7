//! How often a grant may be extended.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, World,
    terms::setting::{Setting, written_as_it_is},
};

/// How often a grant may be extended; 0 for never. Before there was such a setting nothing could be.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Extensions(pub u16);

impl Setting for Extensions {
    const NAME: &'static str = "extensions";

    written_as_it_is!();

    fn house_default(act: Act) -> Self {
        if Self::is_about(act) { Self(3) } else { Self::default() }
    }

    fn is_about(act: Act) -> bool {
        act == Act::Extend
    }

    fn stricter(below: Self, above: Self) -> Self {
        below.min(above)
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        self > before
    }

    fn words(&self, _: &World) -> String {
        match self.0 {
            0 => "never".to_owned(),
            1 => "once".to_owned(),
            times => format!("{times} times"),
        }
    }

    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        Ok(())
    }
}
