//! What the console's pages gather: now, a person, the first day, search, charts.

use jiff::{Timestamp, civil::Date};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Topic, Weight};

use crate::{ConversionView, DutyView, EligibilityView, LedgerEntry, StandingView, SubjectView};

/// A span of time to look at.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SpanQuery {
    /// From when; six hours back where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<Timestamp>,
    /// Until when; six hours ahead where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub to: Option<Timestamp>,
}

/// What is in force, was, and will be.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct NowReply {
    /// The service's clock.
    pub now: Timestamp,
    /// Every elevation in sight that touches the span.
    pub bars: Vec<Bar>,
    /// How many are live.
    pub live: usize,
    /// How many asks wait for the caller.
    pub waiting_for_me: usize,
    /// How many grants should have ended and are not read back as gone.
    pub overdue: usize,
    /// How many begin at a set time, or when their holder does.
    pub scheduled: usize,
    /// Standing rights in sight; none for callers without a duty.
    pub standing: Option<usize>,
    /// Standing rights of the whole house on the first day that [`DayView`]s tell of; none for those who see a part.
    pub standing_before: Option<StandingOn>,
}

/// How many rights stood on a day.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct StandingOn {
    /// The day (UTC).
    #[schemars(with = "String")]
    pub day: Date,
    /// How many, at its end.
    pub standing: u32,
}

/// One elevation on the line of time.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct Bar {
    /// Reference.
    pub id: String,
    /// Who.
    pub who: String,
    /// The role's name.
    pub role: String,
    /// Path of the scope.
    pub scope: String,
    /// Path of the target.
    pub target: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// As in [`crate::ElevationView::state`].
    pub state: String,
    /// When it began or will begin; when it was asked, while it waits.
    pub from: Timestamp,
    /// When it ends, ended, or would end.
    pub to: Timestamp,
    /// Whether its end is past and not read back yet.
    pub overdue: bool,
    /// Whether it waits for the caller's answer.
    pub for_me: bool,
    /// Whether it is the caller's own.
    pub mine: bool,
    /// Why.
    pub reason: Option<String>,
    /// How many leftovers were found at its end.
    pub leftovers: usize,
}

/// Everything about one person, group or program.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct PersonPage {
    /// Who.
    pub subject: SubjectView,
    /// Groups they belong to, each with the way there.
    pub groups: Vec<GroupWay>,
    /// Duties, their own and their groups'.
    pub duties: Vec<DutyView>,
    /// Held all the time.
    pub standing: Vec<StandingView>,
    /// May be asked for, through themselves or a group.
    pub eligible: Vec<EligibilityView>,
    /// Elevations, newest first, the open ones before the ended; 200 at most.
    pub elevations: Vec<Bar>,
    /// What they did or what was done to them lately, newest first.
    pub entries: Vec<LedgerEntry>,
    /// When they last signed in.
    pub signed_in_at: Option<Timestamp>,
}

/// Membership, and how it comes about.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct GroupWay {
    /// The group.
    pub group: String,
    /// Groups on the way to it, nearest first.
    pub by: Vec<String>,
}

/// The first day, step by step.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct FirstDayReply {
    /// The steps, in order.
    pub steps: Vec<FirstDayStep>,
    /// Whether all are done.
    pub done: bool,
    /// Standing rights worth converting first, the worst before.
    pub worst: Vec<StandingView>,
    /// Conversions so far.
    pub conversions: Vec<ConversionView>,
}

/// One step of the first day.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct FirstDayStep {
    /// `second-keeper`, `connect`, `look`, `hand-on` or `convert`.
    pub step: String,
    /// What it will do, as one sentence.
    pub says: String,
    /// What stands so far, as one sentence.
    pub stands: String,
    /// Whether it is done.
    pub done: bool,
}

/// A word to look for.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SearchQuery {
    /// Part of a name, path or reference.
    pub q: String,
}

/// One thing found.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct Hit {
    /// `person`, `group`, `program`, `scope`, `right` (that the caller may ask for) or `elevation`.
    pub kind: String,
    /// Its name, path or reference.
    pub name: String,
    /// A few words about it.
    pub says: String,
}

/// How many days to count.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct DaysQuery {
    /// How many days back; 90 where it is left out, 400 at most.
    #[schemars(range(min = 1, max = 400))]
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub days: Option<u32>,
}

/// Elevations of one day (UTC), and the standing rights at its end.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct DayView {
    /// The day.
    #[schemars(with = "String")]
    pub day: Date,
    /// Asked.
    pub asked: u32,
    /// Put on their target.
    pub opened: u32,
    /// Most that were in force at one moment.
    pub most_at_once: u32,
    /// Standing rights at its end, where they were counted that day or before.
    pub standing: Option<u32>,
}

/// A live message.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct Event {
    /// Lists that changed.
    pub topics: Vec<Topic>,
    /// Number of facts by then.
    pub seq: u64,
}
