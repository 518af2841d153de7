//! When the clock of a grant may start.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Seconds, Settings, StartChoice, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, written_as_it_is},
};

/// When the clock of a grant may start.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Starts {
    /// At the last yes, or at once where none is needed.
    pub at_yes: bool,
    /// At a set time, at most so far ahead.
    pub at_time_within: Option<Seconds>,
    /// When the holder begins, within so long of the last yes.
    pub begin_within: Option<Seconds>,
}

impl Starts {
    /// How the clock starts where the asker didn't say; none where it starts only at a time that they set.
    #[must_use]
    pub fn unsaid(&self) -> Option<StartChoice> {
        let on_begin = self.begin_within.map(|_| StartChoice::OnBegin);
        if self.at_yes { Some(StartChoice::AtYes) } else { on_begin }
    }

    const fn is_possible(&self) -> bool {
        self.at_yes || self.at_time_within.is_some() || self.begin_within.is_some()
    }
}

impl Default for Starts {
    fn default() -> Self {
        Self { at_yes: true, at_time_within: None, begin_within: None }
    }
}

impl Setting for Starts {
    const NAME: &'static str = "starts";

    written_as_it_is!();

    fn house_default(_: Act) -> Self {
        Self::default()
    }

    fn is_about(act: Act) -> bool {
        act.is_of_holding() && act != Act::Extend
    }

    fn stricter(below: Self, above: Self) -> Self {
        let both = |a: Option<Seconds>, b: Option<Seconds>| a.zip(b).map(|(a, b)| a.min(b));
        let merged = Self {
            at_yes: below.at_yes && above.at_yes,
            at_time_within: both(below.at_time_within, above.at_time_within),
            begin_within: both(below.begin_within, above.begin_within),
        };
        // Two rules with no way in common would leave no way at all: the one above holds.
        if merged.is_possible() { merged } else { above }
    }

    /// When it starts opens nothing that was shut.
    fn demands_less_than(&self, _: &Self) -> bool {
        false
    }

    fn words(&self, _: &World) -> String {
        let mut ways = Vec::new();
        if self.at_yes {
            ways.push("at the yes".to_owned());
        }
        ways.extend(self.at_time_within.map(|within| format!("at a set time within {within}")));
        ways.extend(self.begin_within.map(|within| format!("when the holder begins, within {within}")));
        ways.join(", or ")
    }

    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        if self.is_possible() {
            return Ok(());
        }
        Err(TermsRefusal::NoWayToStart.into())
    }
}
