//! Whether a ticket is demanded, and of which form.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::ReferenceRule;
use crate::{
    Act, Refusal, Settings, SubjectId, World,
    terms::setting::{Setting, written_as_it_is},
};

/// Whether a ticket is demanded.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct TicketRule(pub ReferenceRule);

impl Setting for TicketRule {
    const NAME: &'static str = "ticket";

    written_as_it_is!();

    fn house_default(_: Act) -> Self {
        Self::default()
    }

    fn is_about(act: Act) -> bool {
        act.is_of_holding()
    }

    fn stricter(below: Self, above: Self) -> Self {
        Self(ReferenceRule::stricter(below.0, above.0))
    }

    /// Another form that a report asks for doesn't take the place of the one that is set.
    fn tightened_by_report(set: Self, reported: Self) -> Self {
        Self::stricter(reported, set)
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        self.0.demands_less_than(&before.0)
    }

    fn words(&self, _: &World) -> String {
        self.0.words()
    }

    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        self.0.check("ticket")
    }
}
