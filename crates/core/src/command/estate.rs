//! What is done about the estate: folders, targets, stops.

use std::collections::BTreeMap;

use jiff::Timestamp;

use crate::{Connector, Digest, Reach, Said, ScopeId, Seconds, StopId, Survey};

/// A command about folders and targets.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum EstateCommand {
    /// Adds a folder.
    AddFolder {
        /// Below what.
        parent: ScopeId,
        /// Its name there.
        name: String,
    },
    /// Takes a target in.
    AddTarget {
        /// Below what.
        parent: ScopeId,
        /// Its name there.
        name: String,
        /// How it is reached.
        connector: Connector,
        /// How many sealed emergency holders it is to keep, at least.
        emergency_least: u32,
        /// How late an end on it may be before that is an alarm.
        alarm_after: Seconds,
    },
    /// Looks after a target no more. What is on it stays as it is there.
    EndTarget {
        /// The target.
        target: ScopeId,
        /// Why.
        reason: Said,
    },
    /// Changes a target in place; what is none stays.
    SetTarget {
        /// The target.
        target: ScopeId,
        /// How many sealed emergency holders it is to keep, at least.
        emergency_least: Option<u32>,
        /// How late an end on it may be before that is an alarm.
        alarm_after: Option<Seconds>,
        /// The target that it runs on; the inner none where it runs on none that we know.
        runs_on: Option<Option<ScopeId>>,
        /// For PostgreSQL: whether grants are put on people's own logins.
        own_login: Option<bool>,
        /// What administrators say of it, in place of what was said.
        labels: Option<BTreeMap<String, String>>,
    },
    /// Says that the last use of a sealed emergency holder was its trial.
    SealTried {
        /// The target.
        target: ScopeId,
        /// The account.
        account: Said,
        /// By when it is to be tried again; after the usual time where nothing is said.
        next: Option<Timestamp>,
    },
    /// Takes in a survey that was held, after somebody looked at it.
    #[strum(serialize = "record-survey")]
    AcceptSurvey {
        /// The target.
        target: ScopeId,
        /// The survey's digest.
        digest: Digest,
        /// The survey.
        survey: Box<Survey>,
    },
}

/// A command about stops.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum StopCommand {
    /// Ends what is open, and bars new asks.
    #[strum(serialize = "stop")]
    Order {
        /// Where, or for whom.
        reach: Reach,
        /// What those it reaches will read.
        word: Said,
    },
    /// One of the two voices that lift a stop.
    #[strum(serialize = "lift-stop")]
    Lift {
        /// Which.
        stop: StopId,
    },
}
