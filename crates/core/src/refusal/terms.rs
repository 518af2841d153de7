//! Why a rule of terms is not set.

use jiff::Timestamp;
use thiserror::Error;

use super::Class;
use crate::{Act, TermsId, moment, time::Seconds};

/// Why a rule of terms is not set, suspended or resumed.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum TermsRefusal {
    #[error("{id} is suspended already")]
    RulePausedAlready { id: TermsId },
    #[error("{id} is not suspended")]
    RuleNotPaused { id: TermsId },
    #[error("the asker of this rule is nobody that is known; `tempestas people` lists people and groups")]
    UnknownAsker,
    #[error("a rule from {} until {} would never be valid; let it end after it begins", moment(*from), moment(*until))]
    NeverValid { from: Timestamp, until: Timestamp },
    #[error(
        "a rule until {} would be over already, at {}; give it a later end or none, or end the rule",
        moment(*until),
        moment(*now)
    )]
    ValidityOver { until: Timestamp, now: Timestamp },
    #[error("this rule sets nothing; give at least one setting")]
    SetsNothing,
    #[error("{act} is about a place, whatever there is in it; leave role, weight, labels and attributes out")]
    OfAPlace { act: Act },
    #[error("`{pin}` is not a setting that can be pinned; the settings are {}", known.join(", "))]
    UnknownPin { pin: String, known: Vec<String> },
    #[error("`{pin}` is pinned but not set by this rule; set it, or leave the pin out")]
    PinNotSet { pin: String },
    #[error("`{setting}` says nothing about {act}; set one of {}", known.join(", "))]
    NotOfThisAct { setting: String, act: Act, known: Vec<String> },
    #[error("nothing asks what terms say about {act} yet; rules are taken about {}", known.join(", "))]
    ActNotAsked { act: Act, known: Vec<String> },
    #[error("`approval` needs at least one approver, one yes, one no and a time")]
    EmptyApproval,
    #[error("`approval` outside of hours is about holding a right, and not about {act}; name who is asked at any hour")]
    HoursOfHolding { act: Act },
    #[error("`approval` outside of no hours at all would ask nobody, ever; name the hours, or say `none`")]
    UnaskedAlways,
    #[error(
        "stage {stage} of `approval` takes {yes} yes, and {could} of the people who are there could give one: nobody would ever be let in; name others, or fewer yes"
    )]
    TooFewCould { stage: usize, yes: u16, could: usize },
    #[error(
        "the stages of `approval` take {humans} different people, since nobody answers in two of them, and there are not so many: nobody would ever be let in; name others"
    )]
    TooFewCouldTogether { humans: usize },
    #[error("`approval` has {stages} stages; it may have {most} at most")]
    TooManyStages { stages: usize, most: usize },
    #[error(
        "stage {stage} is the last, so nothing follows that it could come to; name the others, or leave `onward` out"
    )]
    NoNextStage { stage: usize },
    #[error("`yes` and `no` of a stage may be {most} at most")]
    TooManyAnswers { most: u16 },
    #[error("`assurance` of {act} may be at most {oldest}: it always needs a fresh proof")]
    ProofTooOld { act: Act, oldest: Seconds },
    #[error("`assured` names {named} assurances; it may name {most} at most")]
    TooManyAssured { named: usize, most: usize },
    #[error(
        "no one proof meets all of `assured`: they accept none in common; name others, or have one of them accept more"
    )]
    AssuredByNothing,
    #[error("`closed` names {named} calendars; it may name {most} at most")]
    TooManyCalendars { named: usize, most: usize },
    #[error("`only_while` names {named} circumstances; it may name {most} at most")]
    TooManyCircumstances { named: usize, most: usize },
    #[error("`hours` may have {weeks} weeks of {times} times each at most")]
    TooManyHours { weeks: usize, times: usize },
    #[error("a week of `hours` that never opens would let nobody through; give it times like `mon-fri 07:00-17:00`")]
    NeverOpen,
    #[error("`{zone}` is no IANA time zone; write one like `Europe/Oslo`")]
    UnknownZone { zone: String },
    #[error("`usual` ({usual}) is longer than `longest` ({longest})")]
    UsualTooLong { usual: Seconds, longest: Seconds },
    #[error("`grace` ({grace}) may be at most {most}; what takes longer is extended")]
    GraceTooLong { grace: Seconds, most: Seconds },
    #[error("`debrief` needs somebody in `by`, and somebody in `higher`")]
    DebriefByNobody,
    #[error("`within` of `debrief` is {within}; it must lie between {least} and {most}")]
    DebriefTime { within: Seconds, least: Seconds, most: Seconds },
    #[error("`glass` names {named}; those who may break it are a few, {most} at most")]
    GlassForMany { named: usize, most: usize },
    #[error("`glass` accepts no proof at all; name one in `accepts`, or leave it out for a passkey")]
    GlassByNothing,
    #[error("`{setting}` must lie between 1 s and {most}")]
    BadSpan { setting: &'static str, most: Seconds },
    #[error("`starts` allows no way to start; allow at least one")]
    NoWayToStart,
    #[error("the {what} pattern `{pattern}` is not a regular expression: {error}")]
    BadPattern { what: String, pattern: String, error: String },
    #[error("`purposes` has {purposes}; it may have {most} at most")]
    TooManyPurposes { purposes: usize, most: usize },
    #[error(
        "each of `purposes` is a text of one line of 1 to {most} letters, without backquotes and spaces around it, and there once"
    )]
    BadPurpose { most: usize },
    #[error("`references` has {references}; it may have {most} at most, and the ticket besides")]
    TooManyReferences { references: usize, most: usize },
    #[error(
        "a reference can't be named `{name}`: its name has up to {most} small letters, digits and `-`, a letter first, and `ticket` is a setting of its own"
    )]
    ReferenceName { name: String, most: usize },
    #[error("the reference `{name}` is neither optional nor required; leave it out")]
    ReferenceOff { name: String },
}

/// `t4, t5 and 3 more`.
pub(super) fn named_rules(rules: &[TermsId]) -> String {
    let mut shown: Vec<String> = rules.iter().take(3).map(TermsId::to_string).collect();
    if rules.len() > shown.len() {
        shown.push(format!("{} more", rules.len() - shown.len()));
    }
    match shown.as_slice() {
        [one] => one.clone(),
        [head @ .., last] => format!("{} and {last}", head.join(", ")),
        [] => String::new(),
    }
}

impl TermsRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::RulePausedAlready { .. } | Self::RuleNotPaused { .. } => Class::Conflict,
            Self::UnknownAsker
            | Self::SetsNothing
            | Self::NeverValid { .. }
            | Self::ValidityOver { .. }
            | Self::OfAPlace { .. }
            | Self::UnknownPin { .. }
            | Self::PinNotSet { .. }
            | Self::NotOfThisAct { .. }
            | Self::ActNotAsked { .. }
            | Self::GraceTooLong { .. }
            | Self::DebriefByNobody
            | Self::DebriefTime { .. }
            | Self::GlassForMany { .. }
            | Self::GlassByNothing
            | Self::EmptyApproval
            | Self::HoursOfHolding { .. }
            | Self::UnaskedAlways
            | Self::TooFewCould { .. }
            | Self::TooFewCouldTogether { .. }
            | Self::TooManyStages { .. }
            | Self::NoNextStage { .. }
            | Self::TooManyAnswers { .. }
            | Self::ProofTooOld { .. }
            | Self::TooManyAssured { .. }
            | Self::AssuredByNothing
            | Self::TooManyCalendars { .. }
            | Self::TooManyCircumstances { .. }
            | Self::TooManyHours { .. }
            | Self::NeverOpen
            | Self::UnknownZone { .. }
            | Self::UsualTooLong { .. }
            | Self::BadSpan { .. }
            | Self::TooManyPurposes { .. }
            | Self::BadPurpose { .. }
            | Self::TooManyReferences { .. }
            | Self::ReferenceName { .. }
            | Self::ReferenceOff { .. }
            | Self::NoWayToStart
            | Self::BadPattern { .. } => Class::Invalid,
        }
    }
}
