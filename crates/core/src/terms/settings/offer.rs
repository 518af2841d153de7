//! Whether who isn't eligible may ask to be.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, World,
    terms::setting::{Setting, greater_is_stricter, written_as_it_is},
};

/// Whether who isn't eligible for a right sees that it is there, and may ask to be made so. Nobody may where nothing says so.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum OfferRule {
    /// They may.
    Open,
    /// They don't see it.
    #[default]
    Closed,
}

impl Setting for OfferRule {
    const NAME: &'static str = "offered";

    written_as_it_is!();
    greater_is_stricter!();

    fn house_default(_: Act) -> Self {
        Self::default()
    }

    fn is_about(act: Act) -> bool {
        act == Act::BeMadeEligible
    }

    fn words(&self, _: &World) -> String {
        match self {
            Self::Open => "whoever isn't eligible sees it, and may ask to be".to_owned(),
            Self::Closed => "nobody asks for it but who is made eligible".to_owned(),
        }
    }
}
