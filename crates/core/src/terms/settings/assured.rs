//! Which assurances whoever acts must meet.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, each_is_satisfied, written_as_it_is},
};

/// More would be for nobody to keep in mind.
const MOST: usize = 4;

/// The assurances that must be met, by name, each of them. None before there was such a setting.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Assured(pub BTreeSet<String>);

impl Setting for Assured {
    const NAME: &'static str = "assured";

    written_as_it_is!();
    each_is_satisfied!();

    fn house_default(_: Act) -> Self {
        Self::default()
    }

    fn words(&self, world: &World) -> String {
        let named = self.0.iter().map(|name| match world.assurances.get(name) {
            Some(it) if it.watch_only => format!("{name} ({}; only watched as yet)", it.takes()),
            Some(it) => format!("{name} ({})", it.takes()),
            None => format!("{name} (which is gone)"),
        });
        let named: Vec<String> = named.collect();
        if named.is_empty() { "by none in particular".to_owned() } else { named.join("; and ") }
    }

    /// That each is known is checked where the rule is set.
    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        match self.0.len() {
            named if named > MOST => Err(TermsRefusal::TooManyAssured { named, most: MOST }.into()),
            _ => Ok(()),
        }
    }
}
