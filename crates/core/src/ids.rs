//! Ids: numbers handed out by the World, each kind its own type.

use std::{fmt, str::FromStr};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// An id of any kind, for code that allocates them.
pub trait Id: From<u64> + Into<u64> + Copy {}

/// Two ids that name a row together, such as a member of a group; written `5-17`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub struct Pair<A, B>(pub A, pub B)
where
    A: Id,
    B: Id;

impl<A: Id, B: Id> From<Pair<A, B>> for String {
    fn from(Pair(first, second): Pair<A, B>) -> Self {
        format!("{}-{}", first.into(), second.into())
    }
}

impl<A: Id, B: Id> TryFrom<String> for Pair<A, B> {
    type Error = String;

    fn try_from(text: String) -> Result<Self, String> {
        let numbers =
            text.split_once('-').and_then(|(first, second)| Some((first.parse().ok()?, second.parse().ok()?)));
        let unlike = || format!("`{text}` is not two numbers, such as `5-17`");
        numbers.map(|(first, second): (u64, u64)| Self(first.into(), second.into())).ok_or_else(unlike)
    }
}

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

        impl From<$name> for u64 {
            fn from(id: $name) -> Self {
                id.0
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
    /// Terms put in place from files.
    FilingId "b";
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
    /// Answers delegated for an absence.
    DelegationId "w";
    /// An alarm.
    AlarmId "a";
}
