//! Why a name or a text is not taken.

use thiserror::Error;

use super::Class;

/// Why a name or a text is not taken; `what` says of what it is one.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum TextRefusal {
    #[error(
        "`{name}` can't be the name of {} {what}; use 2 to 64 of a-z, 0-9, `.`, `_` and `-`, with a letter or digit at either end",
        if what.starts_with(['a', 'e', 'i', 'o']) { "an" } else { "a" }
    )]
    BadName { what: String, name: String },
    #[error("`{name}` means something else here; choose another name for a {what}")]
    TakenByUs { what: String, name: String },
    #[error("the {what} has {letters} letters; at most {most} are kept, so say it shorter")]
    TextTooLong { what: String, letters: usize, most: usize },
    #[error("the {what} has characters in it that are invisible, or turn or steer what is shown; use plain text")]
    Deceptive { what: String },
    #[error("the {what} goes over lines; say it in one")]
    OverLines { what: String },
}

impl TextRefusal {
    pub(super) const fn class(&self) -> Class {
        Class::Invalid
    }
}
