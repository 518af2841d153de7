//! The purposes of which an ask names one.

use std::collections::BTreeSet;

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Refusal, Settings, SubjectId, TermsRefusal, World,
    terms::setting::{Setting, written_as_it_is},
    text::is_deceptive,
};

/// Most purposes of one list.
const MOST: usize = 30;
/// Most letters of one.
const LETTERS_MOST: usize = 60;

/// The purposes of which an ask names one, in the order in which they are shown; none is named where the list is empty, as
/// before there was such a setting. Whether words of the asker's own come beside it is [`ReasonRule`](super::ReasonRule)'s.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Purposes(pub Vec<String>);

impl Purposes {
    /// What an asker has to bring, where they have to.
    pub(crate) fn need(&self) -> Option<String> {
        (!self.0.is_empty()).then(|| format!("a purpose ({})", self.in_words()))
    }

    /// `patching, an incident or handover`.
    pub(crate) fn in_words(&self) -> String {
        match self.0.as_slice() {
            [] => "none".to_owned(),
            [one] => one.clone(),
            [head @ .., last] => format!("{} or {last}", head.join(", ")),
        }
    }
}

impl Setting for Purposes {
    const NAME: &'static str = "purposes";

    written_as_it_is!();

    fn house_default(_: Act) -> Self {
        Self::default()
    }

    fn is_about(act: Act) -> bool {
        act.is_of_holding()
    }

    /// Those of both lists; where they have none in common, those above.
    fn stricter(below: Self, above: Self) -> Self {
        if above.0.is_empty() {
            return below;
        }
        let both: Vec<String> = below.0.into_iter().filter(|one| above.0.contains(one)).collect();
        if both.is_empty() { above } else { Self(both) }
    }

    /// Where they have none in common, those that are set stay.
    fn tightened_by_report(set: Self, reported: Self) -> Self {
        Self::stricter(reported, set)
    }

    fn demands_less_than(&self, before: &Self) -> bool {
        !before.0.is_empty() && (self.0.is_empty() || self.0.iter().any(|one| !before.0.contains(one)))
    }

    fn words(&self, _: &World) -> String {
        if self.0.is_empty() { "none to choose from".to_owned() } else { format!("one of {}", self.in_words()) }
    }

    /// None at all can be set, where a rule above lists some.
    fn check(&self, _: Act, _: &Settings) -> Result<(), Refusal> {
        if self.0.len() > MOST {
            return Err(TermsRefusal::TooManyPurposes { purposes: self.0.len(), most: MOST }.into());
        }
        let mut seen = BTreeSet::new();
        for purpose in &self.0 {
            let letters = purpose.chars().count();
            let can_be_said = (1..=LETTERS_MOST).contains(&letters)
                && purpose.trim() == purpose
                && !purpose.chars().any(|c| is_deceptive(c) || c == '`');
            if !can_be_said || !seen.insert(purpose) {
                return Err(TermsRefusal::BadPurpose { most: LETTERS_MOST }.into());
            }
        }
        Ok(())
    }
}
