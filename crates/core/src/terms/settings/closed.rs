//! By which calendars nothing is held.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, each_is_satisfied, of_elevating, written_as_it_is},
};

/// More would be for nobody to keep in mind.
const MOST: usize = 8;

/// The calendars in whose entries nothing is held, by name. None before there was such a setting.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Closed(#[schemars(with = "Vec<String>")] pub BTreeSet<String>);

impl Closed {
    /// Refuses calendars that are not there.
    ///
    /// # Errors
    /// Says which.
    pub fn ensure_is_there(&self, world: &World) -> Result<(), Refusal> {
        let missing = self.0.iter().find(|name| world.calendars.get(name.as_str()).is_none());
        missing.map_or(Ok(()), |name| Err(Refusal::unknown("calendar", name, "`tempestas calendars` lists them")))
    }
}

impl Setting for Closed {
    const NAME: &'static str = "closed";

    of_elevating!();

    written_as_it_is!();
    each_is_satisfied!();

    fn words(&self, world: &World) -> String {
        let named = self.0.iter().map(|name| match world.calendars.get(name.as_str()) {
            Some(_) => name.clone(),
            None => format!("{name} (which is gone, and closes nothing)"),
        });
        let named: Vec<String> = named.collect();
        if named.is_empty() { "by no calendar".to_owned() } else { format!("during {}", named.join(" or ")) }
    }

    /// That each is known is checked where the rule is set.
    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        match self.0.len() {
            named if named > MOST => Err(TermsRefusal::TooManyCalendars { named, most: MOST }.into()),
            _ => Ok(()),
        }
    }
}
