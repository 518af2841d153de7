//! What the doors refuse before the rules are asked: each with what it is about, and a sentence that says what to do.

use tempestas_core::Class;
use thiserror::Error;

/// Why a request isn't carried out, whatever the rules would say. Names and paths stand as they are written.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub(crate) enum EdgeRefusal {
    #[error("only an administrator, auditor or owner may see this; `tempestas me` shows your duties")]
    NoDuty,
    #[error("only an administrator may do this; `tempestas me` shows your duties")]
    NoAdministrator,
    #[error("this came from a page of another origin; open the console itself")]
    ForeignPage,
    #[error(
        "a program that was let in by a code reads and drafts; do this in the console, or sign in with `tempestas sign-in --password`"
    )]
    OnlyInConsole,
    #[error("{first}{}; `tempestas terms check` tells each", more_faults(*more))]
    BadFiles { first: String, more: usize },
    #[error("{why}")]
    BadCalendar { why: String },
    #[error("`{said}` is no network; write one like `10.20.0.0/16` or `2001:db8::/32`")]
    NoNetwork { said: String },
    #[error("programs are let in from the console alone")]
    LetInElsewhere,
    #[error(
        "the whole ledger goes only to an administrator or auditor of everything; `tempestas ledger` shows what you may see"
    )]
    WholeLedger,
    #[error("the first day is for those who look after everything")]
    NotOfEverything,
    #[error("{open} drafts wait for you in the console, and {most} is the most")]
    TooManyDrafts { open: usize, most: usize },
    #[error("a draft keeps no secret: leave it out, or do this in the console")]
    SecretDraft,
    #[error("draft {id} is {state} already")]
    DraftSettled { id: i64, state: String },
    #[error("this is not what you were shown any more: the draft; look again and decide anew")]
    DraftChanged,
    #[error(
        "the same request is being carried out, or was when the service stopped; look whether it was done before you send it with a new key"
    )]
    KeyBusy,
    #[error("somebody settled this code already")]
    CodeSettled,
    #[error("{id} is not on its target yet")]
    NotOnTarget { id: String },
    #[error(
        "this ledger has {size} facts, fewer than the {since} you saw: its tail was cut, or an older copy was put back"
    )]
    TailCut { size: u64, since: u64 },
    #[error("nothing that {path} says of people waits for anybody")]
    NoReadingHeld { path: String },
    #[error("what was held is not there any more; have it read again")]
    ReadingGone,
    #[error("the directory answered only in part, and a part is never taken in; have it read again")]
    HalfReading,
    #[error("no survey of {path} waits for a person")]
    NoSurveyHeld { path: String },
    #[error("the survey that was held is not there any more; survey again")]
    SurveyGone,
    #[error("the target answered only in part, and a half survey is never taken in; survey again")]
    HalfSurvey,
    #[error(
        "this is not what you were shown any more: the authorities have been taken a step further meanwhile; look again and decide anew"
    )]
    AuthoritiesChanged,
    #[error(
        "{} {} not been told yet; wait until they were, or leave them behind: they have to be enrolled anew then",
        hosts.join(", "),
        if hosts.len() == 1 { "has" } else { "have" }
    )]
    HostsUntold { hosts: Vec<String> },
    #[error("{name} is not a person; only people enrol")]
    NoPerson { name: String },
    #[error("{path} is not a target; `tempestas targets` lists them")]
    NoTarget { path: String },
    #[error("{path} is no host; nothing has to be placed on it")]
    NoHost { path: String },
    #[error("no certificate opens this kind of target")]
    NoCertificate,
    #[error(
        "a host is reached with a key of your own: send the line of a public key like ~/.ssh/id_ed25519.pub with this"
    )]
    NoKey,
    #[error("{why}")]
    BadKey { why: String },
    #[error("{why}")]
    BadConnection { why: String },
    #[error("give the host's name, and an account name of a-z, 0-9, `_` and `-`")]
    BadHost,
    #[error("a password has {least} letters or more, and at most {most} bytes")]
    BadPassword { least: usize, most: usize },
    #[error("this code is wrong or was used before; wait for the next one your authenticator shows")]
    WrongCode,
    #[error(
        "passkeys are bound to a name, and this service is only known by a number; set `address` in its configuration"
    )]
    NoName,
    #[error("this took too long, or the service was started anew; press the button again")]
    CeremonyOver,
    #[error("you have {most} passkeys, which is the most; drop one first")]
    TooManyPasskeys { most: usize },
    #[error("the passkey can't be used: {why}; try again, or with another authenticator")]
    BadPasskey { why: String },
    #[error("this passkey is in use here already")]
    PasskeyKnown,
    #[error("you have no passkey; give a code, or add a passkey under Settings")]
    NoPasskey,
    #[error("this passkey did not prove you; try again, or give a code")]
    PasskeyProvedNothing,
    #[error("call the passkey something, with 60 letters at most")]
    PasskeyUnnamed,
    #[error("say either `until` or `for_good`")]
    NoEnd,
    #[error("{days} days can't be looked back; give 1 to 400")]
    TooFarBack { days: i64 },
    #[error("`{name}` is no time zone; give its IANA name, like Europe/Lisbon")]
    NoZone { name: String },
    #[error("say either where to, or whose ways")]
    WaysUnsaid,
    #[error("say either `person` or `scope`; the scope `/` is everything")]
    StopUnsaid,
    #[error("more than {most} elevations were in force between {from} and {to}; give a shorter span")]
    TooManyBars { most: usize, from: jiff::Timestamp, to: jiff::Timestamp },
}

/// That other faults are there besides the first.
fn more_faults(more: usize) -> String {
    match more {
        0 => String::new(),
        1 => ", and 1 more fault".to_owned(),
        more => format!(", and {more} more faults"),
    }
}

impl EdgeRefusal {
    /// What a caller has to do about it.
    pub(crate) const fn class(&self) -> Class {
        match self {
            Self::NoDuty
            | Self::NoAdministrator
            | Self::ForeignPage
            | Self::OnlyInConsole
            | Self::LetInElsewhere
            | Self::WholeLedger
            | Self::NotOfEverything => Class::NotAllowed,
            Self::TooManyDrafts { .. } => Class::Limit,
            Self::DraftChanged | Self::AuthoritiesChanged => Class::Changed,
            Self::DraftSettled { .. }
            | Self::KeyBusy
            | Self::CodeSettled
            | Self::NotOnTarget { .. }
            | Self::TailCut { .. }
            | Self::NoReadingHeld { .. }
            | Self::ReadingGone
            | Self::HalfReading
            | Self::NoSurveyHeld { .. }
            | Self::SurveyGone
            | Self::HalfSurvey
            | Self::HostsUntold { .. } => Class::Conflict,
            _ => Class::Invalid,
        }
    }
}
