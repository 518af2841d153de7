//! Why an assurance is not set, or not met.

use thiserror::Error;

use super::Class;
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
    #[error("{} want `{name}`; have them want something else first", named(rules))]
    Wanted { name: String, rules: Vec<TermsId> },
    #[error("the terms want `{name}`, which is gone; ask an administrator to name another there")]
    Gone { name: String },
    #[error(
        "you would lock yourself out: administering would then take what you lack at this moment ({lack}); do it from where, and by what, will be accepted, or have it only watched first"
    )]
    LocksOut { lack: String },
}

/// `t4, t5 and 3 more`.
fn named(rules: &[TermsId]) -> String {
    let mut shown: Vec<String> = rules.iter().take(3).map(TermsId::to_string).collect();
    if rules.len() > shown.len() {
        shown.push(format!("{} more", rules.len() - shown.len()));
    }
    match shown.as_slice() {
        [one] => one.clone(),
        [head @ .., last] => format!("{} and {last}", head.join(", ")),
        [] => String::new(),
    }
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
