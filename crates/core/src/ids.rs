//! Ids: numbers handed out by the World, each kind its own type.

use std::{fmt, str::FromStr};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// An id of any kind, for code that allocates them.
pub trait Id: From<u64> {}

macro_rules! ids {
    ($($(#[$doc:meta])* $name:ident $mark:literal;)*) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema)]
        #[serde(transparent)]
        pub struct $name(pub u64);

        impl Id for $name {}

        impl $name {
            /// The letter that references begin with.
            pub const MARK: &str = $mark;
        }

        impl From<u64> for $name {
            fn from(number: u64) -> Self {
                Self(number)
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                write!(f, concat!($mark, "{}"), self.0)
            }
        }

        impl FromStr for $name {
            type Err = String;

            fn from_str(text: &str) -> Result<Self, String> {
                let digits = match text.get(..$mark.len()) {
                    Some(mark) if mark.eq_ignore_ascii_case($mark) => &text[$mark.len()..],
                    _ => text,
                };
                digits.parse().map(Self).map_err(|_| {
                    format!(concat!("`{}` is not a reference; it reads like `", $mark, "1042`"), text)
                })
            }
        }
    )*};
}

ids! {
    /// A person, group or program.
    SubjectId "p";
    /// A node of the estate.
    ScopeId "s";
    /// A role that a target offers.
    RoleId "r";
    /// A standing right found by a survey.
    StandingId "h";
    /// An eligibility.
    EligibilityId "y";
    /// Making somebody eligible.
    AppointmentId "A";
    /// A rule of terms.
    TermsId "t";
    /// A stop.
    StopId "x";
    /// An elevation; shown as `E1042`.
    ElevationId "E";
    /// One right in force on one target for its time.
    GrantId "g";
    /// A conversion of standing rights.
    ConversionId "C";
    /// A drift.
    DriftId "f";
    /// A duty within Tempestas.
    DutyId "d";
    /// An alarm.
    AlarmId "a";
}
