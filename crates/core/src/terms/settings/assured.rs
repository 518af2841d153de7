//! Which assurances whoever acts must meet.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, ProofMethod, Refusal, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, each_is_satisfied, written_as_it_is},
};

/// More would be for nobody to keep in mind.
const MOST: usize = 4;

/// The assurances that must be met, by name, each of them. None before there was such a setting.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Assured(#[schemars(with = "Vec<String>")] pub BTreeSet<String>);

impl Assured {
    /// Refuses assurances that are not there, or that no one proof meets together. What only watches is in nobody's way.
    ///
    /// # Errors
    /// Says which, or that they have nothing in common.
    pub fn ensure_can_be_met(&self, world: &World) -> Result<(), Refusal> {
        let mut accepted: Option<BTreeSet<ProofMethod>> = None;
        for name in &self.0 {
            let unknown = || Refusal::unknown("assurance", name, "`tempestas assurances` lists them");
            let assurance = world.assurances.get(name).ok_or_else(unknown)?;
            if assurance.watch_only {
                continue;
            }
            let both = accepted.map_or_else(|| assurance.accepts.clone(), |accepted| &accepted & &assurance.accepts);
            if both.is_empty() {
                return Err(TermsRefusal::AssuredByNothing.into());
            }
            accepted = Some(both);
        }
        Ok(())
    }
}

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
