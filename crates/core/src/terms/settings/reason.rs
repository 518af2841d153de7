//! Whether a reason is demanded.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, World,
    terms::setting::{Setting, greater_is_stricter, written_as_it_is},
};

/// Whether a reason is demanded.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum ReasonRule {
    /// Not asked for.
    Hidden,
    /// May be given.
    Optional,
    /// Must be given.
    Required {
        /// Least number of letters.
        at_least: u16,
    },
}

impl ReasonRule {
    /// What an asker has to bring, where they have to.
    pub(crate) fn need(self) -> Option<String> {
        match self {
            Self::Required { at_least: 0..=1 } => Some("a reason".to_owned()),
            Self::Required { at_least } => Some(format!("a reason of at least {at_least} letters")),
            Self::Optional | Self::Hidden => None,
        }
    }
}

impl Default for ReasonRule {
    fn default() -> Self {
        Self::Required { at_least: 8 }
    }
}

impl Setting for ReasonRule {
    const NAME: &'static str = "reason";

    written_as_it_is!();
    greater_is_stricter!();

    fn house_default(act: Act) -> Self {
        match act {
            Act::BeMadeEligible => Self::Optional,
            _ => Self::default(),
        }
    }

    fn is_about(act: Act) -> bool {
        !act.is_a_step()
    }

    fn words(&self, _: &World) -> String {
        match self {
            Self::Hidden => "not asked for".to_owned(),
            Self::Optional => "optional".to_owned(),
            Self::Required { at_least } => format!("required, {at_least} letters at least"),
        }
    }
}
