//! How a right must come to its end.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, World,
    terms::setting::{Setting, greater_is_stricter, written_as_it_is},
};

/// Whether a right may be given whose end depends on Tempestas.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LapseRule {
    /// Any right may be given.
    #[default]
    Any,
    /// Only rights that the target ends by itself.
    ByItself,
}

impl Setting for LapseRule {
    const NAME: &'static str = "lapse";

    written_as_it_is!();
    greater_is_stricter!();

    fn house_default(_: Act) -> Self {
        Self::default()
    }

    fn is_about(act: Act) -> bool {
        act.is_of_holding() && act != Act::Extend
    }

    fn words(&self, _: &World) -> String {
        match self {
            Self::Any => "any right may be given".to_owned(),
            Self::ByItself => "only rights that the target ends by itself".to_owned(),
        }
    }
}
