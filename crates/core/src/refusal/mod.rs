//! Refusals: what was wrong, with the value, and what to do next.
//!
//! What is refused carries its facts, and is told apart by variant; its sentence is made in one place.

mod answering;
mod asking;
mod assurance;
mod calendar;
mod caller;
mod circumstance;
mod converting;
mod debriefing;
mod delegating;
mod eligibility;
mod estate;
mod extending;
mod filing;
mod holding;
mod people;
mod promise;
mod separation;
mod stopping;
mod terms;
mod text;

use std::collections::BTreeSet;

use thiserror::Error;

pub use {
    answering::AnswerRefusal, asking::AskRefusal, assurance::AssuranceRefusal, calendar::CalendarRefusal,
    caller::CallerRefusal, circumstance::CircumstanceRefusal, converting::ConversionRefusal,
    debriefing::DebriefRefusal, delegating::DelegationRefusal, eligibility::EligibilityRefusal, estate::EstateRefusal,
    extending::ExtendRefusal, filing::FilingRefusal, holding::HoldRefusal, people::PeopleRefusal,
    promise::PromiseRefusal, separation::SeparationRefusal, stopping::StopRefusal, terms::TermsRefusal,
    text::TextRefusal,
};

use crate::{
    Proof, ProofMethod,
    time::{Seconds, moment},
};

/// What a caller has to do about a refusal, roughly.
#[derive(Debug, Clone, Copy, PartialEq, Eq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Class {
    /// The caller may not do this.
    NotAllowed,
    /// What was named isn't there, or isn't in the caller's sight.
    Unknown,
    /// A value can't be used.
    Invalid,
    /// The present state doesn't allow it.
    Conflict,
    /// What the caller looked at has changed since.
    Changed,
    /// What is to be changed in place is not what the caller looked at.
    Stale,
    /// A limit was reached.
    Limit,
    /// A fresher proof of the person is needed.
    StepUp,
}

/// Why a command was not carried out. Each reads as one sentence that helps.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum Refusal {
    /// An ask.
    #[error(transparent)]
    Ask(#[from] AskRefusal),
    /// An answer.
    #[error(transparent)]
    Answer(#[from] AnswerRefusal),
    /// Going on with an elevation, or ending it.
    #[error(transparent)]
    Hold(#[from] HoldRefusal),
    /// Going on with one beyond its end.
    #[error(transparent)]
    Extend(#[from] ExtendRefusal),
    /// A debrief.
    #[error(transparent)]
    Debrief(#[from] DebriefRefusal),
    /// A stop.
    #[error(transparent)]
    Stop(#[from] StopRefusal),
    /// A conversion, or what is decided about drift.
    #[error(transparent)]
    Conversion(#[from] ConversionRefusal),
    /// An eligibility, a wish for one, or a cover.
    #[error(transparent)]
    Eligibility(#[from] EligibilityRefusal),
    /// Answers delegated for an absence.
    #[error(transparent)]
    Delegation(#[from] DelegationRefusal),
    /// People, groups, accounts, duties, and where they come from.
    #[error(transparent)]
    People(#[from] PeopleRefusal),
    /// The estate, and what it shows.
    #[error(transparent)]
    Estate(#[from] EstateRefusal),
    /// A rule of terms.
    #[error(transparent)]
    Terms(#[from] TermsRefusal),
    /// An assurance.
    #[error(transparent)]
    Assurance(#[from] AssuranceRefusal),
    /// A calendar.
    #[error(transparent)]
    Calendar(#[from] CalendarRefusal),
    /// A circumstance.
    #[error(transparent)]
    Circumstance(#[from] CircumstanceRefusal),
    /// Terms as files say them.
    #[error(transparent)]
    Filing(#[from] FilingRefusal),
    /// A promise.
    #[error(transparent)]
    Promise(#[from] PromiseRefusal),
    /// A separation.
    #[error(transparent)]
    Separation(#[from] SeparationRefusal),
    /// A name or a text.
    #[error(transparent)]
    Text(#[from] TextRefusal),
    /// Who calls, whatever it is about.
    #[error(transparent)]
    Caller(#[from] CallerRefusal),
    /// What was named isn't there, or isn't in the caller's sight.
    #[error("there is no {what} `{name}` that you can see; {remedy}")]
    Unknown {
        /// The kind of thing.
        what: &'static str,
        /// As the caller wrote it.
        name: String,
        /// Where to look.
        remedy: String,
    },
    /// A fresher proof of the person is needed.
    #[error(
        "this needs {} proven within the last {max_age}{}; {}",
        ProofMethod::any_of(accepts),
        assurance.as_ref().map_or_else(String::new, |name| format!(" ({name})")),
        last.map_or_else(
            || "none was given in this sign-in".to_owned(),
            |proof| format!("the last was {} at {}", proof.method.words(), moment(proof.at)),
        )
    )]
    StepUp {
        /// How old the proof may be.
        max_age: Seconds,
        /// The last one that was given.
        last: Option<Proof>,
        /// Which proofs are accepted; any where none is named.
        accepts: BTreeSet<ProofMethod>,
        /// The assurance that wants it, where one does.
        assurance: Option<String>,
    },
}

impl Refusal {
    /// What a caller has to do about it.
    #[must_use]
    pub const fn class(&self) -> Class {
        match self {
            Self::Ask(why) => why.class(),
            Self::Answer(why) => why.class(),
            Self::Hold(why) => why.class(),
            Self::Extend(why) => why.class(),
            Self::Debrief(why) => why.class(),
            Self::Stop(why) => why.class(),
            Self::Conversion(why) => why.class(),
            Self::Eligibility(why) => why.class(),
            Self::Delegation(why) => why.class(),
            Self::People(why) => why.class(),
            Self::Estate(why) => why.class(),
            Self::Terms(why) => why.class(),
            Self::Assurance(why) => why.class(),
            Self::Calendar(why) => why.class(),
            Self::Circumstance(why) => why.class(),
            Self::Filing(why) => why.class(),
            Self::Promise(why) => why.class(),
            Self::Separation(why) => why.class(),
            Self::Text(why) => why.class(),
            Self::Caller(why) => why.class(),
            Self::Unknown { .. } => Class::Unknown,
            Self::StepUp { .. } => Class::StepUp,
        }
    }

    /// Its class as a word, for programs.
    #[must_use]
    pub fn code(&self) -> &'static str {
        self.class().into()
    }

    /// Its cause as a word, for programs; none where its class says it all.
    #[must_use]
    pub fn cause(&self) -> Option<&'static str> {
        match self {
            Self::Ask(why) => Some(why.into()),
            Self::Answer(why) => Some(why.into()),
            Self::Hold(why) => Some(why.into()),
            Self::Extend(why) => Some(why.into()),
            Self::Debrief(why) => Some(why.into()),
            Self::Stop(why) => Some(why.into()),
            Self::Conversion(why) => Some(why.into()),
            Self::Eligibility(why) => Some(why.into()),
            Self::Delegation(why) => Some(why.into()),
            Self::People(why) => Some(why.into()),
            Self::Estate(why) => Some(why.into()),
            Self::Terms(why) => Some(why.into()),
            Self::Assurance(why) => Some(why.into()),
            Self::Calendar(why) => Some(why.into()),
            Self::Circumstance(why) => Some(why.into()),
            Self::Filing(why) => Some(why.into()),
            Self::Promise(why) => Some(why.into()),
            Self::Separation(why) => Some(why.into()),
            Self::Text(why) => Some(why.into()),
            Self::Caller(why) => Some(why.into()),
            Self::Unknown { .. } | Self::StepUp { .. } => None,
        }
    }

    pub(crate) fn unknown(what: &'static str, name: impl ToString, remedy: &str) -> Self {
        Self::Unknown { what, name: name.to_string(), remedy: remedy.to_owned() }
    }
}

/// Which stage, where it isn't the first: of an ask with one stage nothing is said.
fn in_stage(stage: usize) -> String {
    if stage > 1 { format!(" in stage {stage}") } else { String::new() }
}
