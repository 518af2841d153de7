//! How old the proof of whoever acts may be.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::check_span;
use crate::{
    Act, Refusal, Seconds, Settings, SubjectId, TermsRefusal, World,
    assurance::FOR_A_STEP,
    terms::setting::{Setting, written_as_span},
};

/// Asking always needs a proof of the same working day.
const OLDEST: Seconds = Seconds::hours(12);

/// How old the last proof of oneself may be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct ProofMaxAge(pub Seconds);

impl Default for ProofMaxAge {
    fn default() -> Self {
        Self(Seconds::minutes(10))
    }
}

impl Setting for ProofMaxAge {
    const NAME: &'static str = "assurance";

    written_as_span!();

    fn house_default(act: Act) -> Self {
        match act {
            Act::BeMadeEligible => Self(Seconds::minutes(15)),
            Act::Answer | Act::Administer => Self(FOR_A_STEP),
            _ => Self::default(),
        }
    }

    fn stricter(below: Self, above: Self) -> Self {
        below.min(above)
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        self > before
    }

    fn words(&self, _: &World) -> String {
        format!("a passkey or TOTP code no older than {}", self.0)
    }

    fn check(&self, act: Act, _: &Settings) -> Result<(), Refusal> {
        check_span(Self::NAME, self.0, act)?;
        let oldest = if act.is_a_step() { FOR_A_STEP } else { OLDEST };
        if self.0 > oldest {
            return Err(TermsRefusal::ProofTooOld { act, oldest }.into());
        }
        Ok(())
    }
}
