//! Why an assurance is not set, or not met.

use thiserror::Error;

use super::{Class, terms::named_rules};
use crate::{TermsId, time::Seconds};

/// Why an assurance is not set, ended, or met.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum AssuranceRefusal {
    #[error(
        "an assurance that accepts no proof would let nobody through; name at least one of `totp-code` and `passkey`"
    )]
    AcceptsNothing,
    #[error("a proof's age must lie between 1 s and {most}")]
    BadAge { most: Seconds },
    #[error("an assurance may name {most} networks at most; name wider ones")]
    TooManyNetworks { most: usize },
    #[error("`{said}` is an address in a network and not a network; {meant} may be meant")]
    NotANetwork { said: String, meant: String },
    #[error("there are {most} assurances already; end one that no rule wants any more")]
    TooMany { most: usize },
    #[error("`{group}` is no group; a person is put into one, so that it is seen who is let through")]
    NotAGroup { group: String },
    #[error("{} want `{name}`; have them want something else first", named_rules(rules))]
    Wanted { name: String, rules: Vec<TermsId> },
    #[error("the terms want `{name}`, which is gone; ask an administrator to name another there")]
    Gone { name: String },
    #[error(
        "you would lock yourself out: administering would then take what you lack at this moment ({lack}); do it from where, and by what, will be accepted, or have it only watched first"
    )]
    LocksOut { lack: String },
}

impl AssuranceRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::AcceptsNothing | Self::BadAge { .. } | Self::NotANetwork { .. } | Self::NotAGroup { .. } => {
                Class::Invalid
            }
            Self::TooManyNetworks { .. } | Self::TooMany { .. } => Class::Limit,
            Self::Wanted { .. } | Self::Gone { .. } | Self::LocksOut { .. } => Class::Conflict,
        }
    }
}
