//! Stops: everything live ended at once, and new asks barred, for a person or a scope, until two people lift it.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{ElevationId, Right, ScopeId, StopId, SubjectId, World, text::Digest, time::Seconds};

/// How long the first voice for lifting a stop waits for the second.
pub const LIFT_LASTS: Seconds = Seconds::hours(1);

/// What a stop reaches.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Reach {
    /// One human, under every name they have.
    Person(SubjectId),
    /// A scope and all below; the root is everything.
    Scope(ScopeId),
}

/// One stop.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Stop {
    /// Its id.
    pub id: StopId,
    /// What it reaches.
    pub reach: Reach,
    /// Who said stop.
    pub by: SubjectId,
    /// When.
    pub at: Timestamp,
    /// Why.
    pub word: Digest,
    /// Elevations it ended, at whatever point they stood.
    pub ended: Vec<ElevationId>,
    /// The first of the two voices for lifting it, and when it was heard.
    pub lift: Option<(SubjectId, Timestamp)>,
    /// When it was lifted.
    pub lifted_at: Option<Timestamp>,
}

impl Stop {
    /// The first voice for lifting, while it still waits for the second.
    #[must_use]
    pub fn open_lift(&self, now: Timestamp) -> Option<SubjectId> {
        self.lift.filter(|(_, at)| crate::later(*at, LIFT_LASTS) > now).map(|(by, _)| by)
    }

    /// Whether it reaches this holder of this right. A right held above a stopped scope reaches down into it.
    #[must_use]
    pub fn reaches(&self, world: &World, holder: SubjectId, right: Right) -> bool {
        match self.reach {
            Reach::Person(person) => world.human(person) == world.human(holder),
            Reach::Scope(scope) => world.is_within(right.scope, scope) || world.is_within(scope, right.scope),
        }
    }
}

impl World {
    /// The stop in force that reaches this holder of this right.
    #[must_use]
    pub fn stop_on(&self, holder: SubjectId, right: Right) -> Option<&Stop> {
        self.stops.values().find(|stop| stop.lifted_at.is_none() && stop.reaches(self, holder, right))
    }

    /// What a stop reaches, in words.
    #[must_use]
    pub fn reach_name(&self, reach: Reach) -> String {
        match reach {
            Reach::Person(person) => self.subject_name(person),
            Reach::Scope(scope) if Some(scope) == self.root => "everything".to_owned(),
            Reach::Scope(scope) => self.path(scope),
        }
    }
}
