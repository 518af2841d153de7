//! While what alone something may be held.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, each_is_satisfied, of_elevating, written_as_it_is},
};

/// More would be for nobody to keep in mind.
const MOST: usize = 4;

/// The circumstances while which alone it may be held, by name. None before there was such a setting.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct OnlyWhile(#[schemars(with = "Vec<String>")] pub BTreeSet<String>);

impl OnlyWhile {
    /// Refuses circumstances that are not there.
    ///
    /// # Errors
    /// Says which.
    pub fn ensure_is_there(&self, world: &World) -> Result<(), Refusal> {
        let missing = self.0.iter().find(|name| world.circumstances.get(name.as_str()).is_none());
        let unknown = |name| Refusal::unknown("circumstance", name, "`tempestas circumstances` lists them");
        missing.map_or(Ok(()), |name| Err(unknown(name)))
    }
}

impl Setting for OnlyWhile {
    const NAME: &'static str = "only_while";

    of_elevating!();

    written_as_it_is!();
    each_is_satisfied!();

    fn words(&self, world: &World) -> String {
        let named = self.0.iter().map(|name| match world.circumstances.get(name.as_str()) {
            Some(_) => name.clone(),
            None => format!("{name} (which is gone, and never holds)"),
        });
        let named: Vec<String> = named.collect();
        if named.is_empty() { "at any time".to_owned() } else { named.join(" and ") }
    }

    /// That each is known is checked where the rule is set.
    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        match self.0.len() {
            named if named > MOST => Err(TermsRefusal::TooManyCircumstances { named, most: MOST }.into()),
            _ => Ok(()),
        }
    }
}
