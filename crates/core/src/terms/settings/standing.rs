//! Whether a right may be held all the time.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, World,
    terms::setting::{Setting, greater_is_stricter, of_elevating, written_as_it_is},
};

/// Whether a right may be held all the time. It may where nothing says so, as before there was such a setting.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum StandingRule {
    /// It may be.
    #[default]
    Allowed,
    /// It is asked for each time; one that is held all the time stands against the terms.
    Never,
}

impl Setting for StandingRule {
    const NAME: &'static str = "standing";

    of_elevating!();

    written_as_it_is!();
    greater_is_stricter!();

    fn words(&self, _: &World) -> String {
        match self {
            Self::Allowed => "may be held all the time".to_owned(),
            Self::Never => "never held all the time".to_owned(),
        }
    }
}
