//! How often what was given may be used.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, World,
    terms::setting::{Setting, greater_is_stricter, of_elevating, written_as_it_is},
};

/// How often a right may be used before it ends. As often as its holder likes where nothing says so, as before there was such a
/// setting.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum UsesRule {
    /// Until its time is over.
    #[default]
    Any,
    /// It ends when its first use is seen on the target; at its time, where there was none.
    One,
}

impl Setting for UsesRule {
    const NAME: &'static str = "uses";

    of_elevating!();

    written_as_it_is!();
    greater_is_stricter!();

    fn words(&self, _: &World) -> String {
        match self {
            Self::Any => "as often as its holder likes".to_owned(),
            Self::One => "good for one use".to_owned(),
        }
    }
}
