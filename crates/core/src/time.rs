//! Spans of time, in whole seconds.

use std::fmt;

use jiff::{SignedDuration, Timestamp};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A span in whole seconds; shown as people say it (`2 h`, `90 min`, `45 s`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
#[serde(transparent)]
pub struct Seconds(pub u32);

impl Seconds {
    /// A span of whole minutes.
    #[must_use]
    pub const fn minutes(minutes: u32) -> Self {
        Self(minutes.saturating_mul(60))
    }

    /// A span of whole hours.
    #[must_use]
    pub const fn hours(hours: u32) -> Self {
        Self(hours.saturating_mul(3600))
    }

    /// The span as a duration.
    #[must_use]
    pub fn duration(self) -> SignedDuration {
        SignedDuration::from_secs(i64::from(self.0))
    }
}

impl fmt::Display for Seconds {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let (days, hours, minutes, seconds) = (self.0 / 86_400, self.0 / 3600 % 24, self.0 / 60 % 60, self.0 % 60);
        let mut parts = Vec::new();
        for (count, unit) in [(days, "d"), (hours, "h"), (minutes, "min"), (seconds, "s")] {
            if count > 0 {
                parts.push(format!("{count} {unit}"));
            }
        }
        f.write_str(&if parts.is_empty() { "0 s".to_owned() } else { parts.join(" ") })
    }
}

/// `span` after `at`; the end of time where that can't be represented.
#[must_use]
pub fn later(at: Timestamp, span: Seconds) -> Timestamp {
    at.checked_add(span.duration()).unwrap_or(Timestamp::MAX)
}

/// A moment as sentences have it: `2026-11-23 18:00 UTC`.
#[must_use]
pub(crate) fn moment(at: Timestamp) -> String {
    at.strftime("%F %R UTC").to_string()
}
