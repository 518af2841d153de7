//! Why an ask is refused, and what would help.

use jiff::Timestamp;
use thiserror::Error;

use super::{Class, in_stage};
use crate::{
    StopId, TermsId,
    time::{Seconds, moment},
};

/// Why somebody may not ask for a right, or not so. Names of rights, places and people stand as they are written.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum AskRefusal {
    #[error(
        "this is not what you were shown any more: the terms, the role or who may answer is different now; look again and decide anew"
    )]
    DemandChanged,
    #[error(
        "you may not ask for {right}; `tempestas eligible` lists what you may ask for, and an administrator can add to it"
    )]
    NotEligible { right: String },
    #[error("{scope} lies outside what you may ask for; your eligibility for that role reaches {reaches} and below")]
    Outside { scope: String, reaches: String },
    #[error("your eligibility for {right} is suspended since {}: {reason}", moment(*since))]
    Suspended { right: String, since: Timestamp, reason: String },
    #[error("you may ask for {right} only from {}", moment(*from))]
    NotYet { right: String, from: Timestamp },
    #[error("your eligibility for {right} has ended; ask an administrator to renew it")]
    NoLonger { right: String },
    #[error(
        "{reach} is stopped since {} by {by}: {word}; nothing may be asked for until two administrators lift {stop}",
        moment(*since)
    )]
    Stopped { reach: String, since: Timestamp, by: String, word: String, stop: StopId },
    #[error(
        "it may be held {held}, and {} is outside of that{}; {}",
        moment(*start),
        why.as_ref().map_or_else(String::new, |why| format!(" ({why})")),
        opens.map_or_else(
            || "no such time comes within a month after it".to_owned(),
            |at| format!("it opens at {}", moment(at)),
        )
    )]
    StartClosed { start: Timestamp, held: String, why: Option<String>, opens: Option<Timestamp> },
    #[error("the terms allow only rights that the target ends by itself, and {right} is not one: {says}")]
    EndsByUs { right: String, says: String },
    #[error(
        "{right} is good for one use by its terms, and its target can't say when it was used; ask an administrator to take `uses` out of them there"
    )]
    UsesUntold { right: String },
    #[error(
        "{yes} yes are needed for {right}{}, but only {free} who may answer are free to answer you (you, your other sign-ins, and whoever you made an approver within a day don't count{}); ask an administrator to name more approvers",
        in_stage(*stage),
        if *no_manager { "; nobody has said who your manager is, or not for a day yet" } else { "" }
    )]
    TooFewApprovers { right: String, stage: usize, yes: u16, free: usize, no_manager: bool },
    #[error(
        "{humans} different people are needed for the stages of {right}, since nobody answers in two of them, and those who are free to answer you are too few for that; ask an administrator to name more approvers"
    )]
    TooFewTogether { right: String, humans: usize },
    #[error(
        "within a day you, or somebody who owes you their standing, let somebody through with less (terms, a label, a group, an account); for you nothing opens without a yes until then"
    )]
    Weakened,
    #[error(
        "you set {terms} yourself, or somebody did who owes you their standing: the terms that would let you in without a yes; for you they hold from {}",
        moment(*until)
    )]
    OwnTerms { terms: TermsId, until: Timestamp },
    #[error(
        "you are not named among those who may break the glass for {right}; ask for it, or turn to its administrators"
    )]
    GlassNotYours { right: String },
    #[error("nobody has said which account on {target} is yours; ask an administrator for `tempestas people account`")]
    NoAccount { target: String },
    #[error(
        "you have {open} elevations open on that system, and {most} is the most; give one back first: `tempestas grants`"
    )]
    TooManyOpen { open: usize, most: usize },
    #[error("you asked {most} times within a minute; wait for the next")]
    TooOften { most: usize },
    #[error("you have {waiting} asks waiting, and {most} is the most; withdraw one first: `tempestas grants`")]
    TooManyWaiting { waiting: usize, most: usize },
    #[error("a duration of nothing; ask for at least a second")]
    NoDuration,
    #[error("{duration} is too long: the terms allow {longest} at most for {right}")]
    TooLong { right: String, duration: Seconds, longest: Seconds },
    #[error("say when it starts; {ways}")]
    StartUnsaid { ways: String },
    #[error("this way to start is not allowed here; {ways}")]
    StartNotAllowed { ways: String },
    #[error("a set time is not among the ways to start; {ways}")]
    NoSetTime { ways: String },
    #[error("the start {start} is past; it is {now} now")]
    StartPast { start: Timestamp, now: Timestamp },
    #[error("the start {start} is more than {within} ahead, which is as far as the terms allow")]
    StartTooFar { start: Timestamp, within: Seconds },
    #[error(
        "a reason of at least {at_least} letters is required, and yours has {letters} letters and digits; say what you are going to do"
    )]
    ReasonTooShort { letters: usize, at_least: u16 },
    #[error("no reason is asked for here; leave it out")]
    ReasonUnwanted,
    #[error("a purpose is required: `--purpose` with {purposes}")]
    NoPurpose { purposes: String },
    #[error("`{purpose}` is not among the purposes here, which are {purposes}")]
    PurposeUnlisted { purpose: String, purposes: String },
    #[error("no purpose is asked for here; leave it out")]
    PurposeUnwanted,
    #[error("a reference is required: `--reference {name}=...`{}", form.as_ref().map_or_else(String::new, |form| format!(" of the form {form}")))]
    NoReference { name: String, form: Option<String> },
    #[error("no reference `{name}` is asked for here; leave it out")]
    ReferenceUnwanted { name: String },
    #[error("the reference {name} `{reference}` does not have the form {form}")]
    ReferenceForm { name: String, reference: String, form: String },
    #[error("a ticket is required{}: `--ticket`", form.as_ref().map_or_else(String::new, |form| format!(", of the form {form}")))]
    NoTicket { form: Option<String> },
    #[error("no ticket is asked for here; leave it out")]
    TicketUnwanted,
    #[error("the ticket `{ticket}` does not have the form {form}")]
    TicketForm { ticket: String, form: String },
}

impl AskRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::DemandChanged => Class::Changed,
            Self::NotEligible { .. }
            | Self::Outside { .. }
            | Self::Suspended { .. }
            | Self::NotYet { .. }
            | Self::NoLonger { .. }
            | Self::Weakened
            | Self::GlassNotYours { .. }
            | Self::OwnTerms { .. } => Class::NotAllowed,
            Self::Stopped { .. }
            | Self::EndsByUs { .. }
            | Self::StartClosed { .. }
            | Self::UsesUntold { .. }
            | Self::TooFewApprovers { .. }
            | Self::TooFewTogether { .. }
            | Self::NoAccount { .. } => Class::Conflict,
            Self::TooManyOpen { .. } | Self::TooOften { .. } | Self::TooManyWaiting { .. } => Class::Limit,
            Self::NoDuration
            | Self::TooLong { .. }
            | Self::StartUnsaid { .. }
            | Self::StartNotAllowed { .. }
            | Self::NoSetTime { .. }
            | Self::StartPast { .. }
            | Self::StartTooFar { .. }
            | Self::ReasonTooShort { .. }
            | Self::ReasonUnwanted
            | Self::NoPurpose { .. }
            | Self::PurposeUnlisted { .. }
            | Self::PurposeUnwanted
            | Self::NoReference { .. }
            | Self::ReferenceUnwanted { .. }
            | Self::ReferenceForm { .. }
            | Self::NoTicket { .. }
            | Self::TicketUnwanted
            | Self::TicketForm { .. } => Class::Invalid,
        }
    }
}
