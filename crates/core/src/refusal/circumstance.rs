//! Why a circumstance is not set, and what may not be held for want of one.

use thiserror::Error;

use super::{Class, terms::named_rules};
use crate::TermsId;

/// Why a circumstance is not set or ended, or why something may not be held for want of one.
#[derive(Debug, Clone, PartialEq, Eq, Error, strum::IntoStaticStr, strum::VariantNames)]
#[strum(serialize_all = "kebab-case")]
#[expect(missing_docs, reason = "each says what it is in a sentence of its own")]
pub enum CircumstanceRefusal {
    #[error(
        "it may be held only while `{name}` holds{}, which it does not, or nobody could be asked; once it does, ask again",
        of.as_ref().map_or_else(String::new, |of| format!(" of {of}")),
    )]
    NotSo { name: String, of: Option<String> },
    #[error(
        "it may be held only while `{name}` holds of a {reference}; say which (`--reference {reference}=…`, or `--ticket`)"
    )]
    OfNoReference { name: String, reference: String },
    #[error(
        "it may be held only while `{name}` holds of a {reference}, and the terms let nobody say which; ask an administrator to have them want a {reference}"
    )]
    Unaskable { name: String, reference: String },
    #[error(
        "it may be held only while `{name}` holds, which is gone; ask an administrator to take it out of the terms"
    )]
    CircumstanceGone { name: String },
    #[error(
        "an address without query, where in its answer to look, and what stands there, are of {most} letters each at most, and something stands there"
    )]
    BadQuestion { most: usize },
    #[error(
        "`{pointer}` does not say where in an answer to look; write it like /state, or leave it empty for the whole answer"
    )]
    BadPointer { pointer: String },
    #[error(
        "in `{address}` one whole part of the path may be a reference's name in braces, like https://desk.example/visits/{{visit}}, and nothing else"
    )]
    BadPlace { address: String },
    #[error("there are {most} circumstances already; end one that no rule wants any more")]
    CircumstancesFull { most: usize },
    #[error("rules want `{name}` ({}); have them want another first, or none", named_rules(rules))]
    OnlyWhileWanted { name: String, rules: Vec<TermsId> },
}

impl CircumstanceRefusal {
    pub(super) const fn class(&self) -> Class {
        match self {
            Self::NotSo { .. }
            | Self::Unaskable { .. }
            | Self::CircumstanceGone { .. }
            | Self::OnlyWhileWanted { .. } => Class::Conflict,
            Self::CircumstancesFull { .. } => Class::Limit,
            Self::OfNoReference { .. } | Self::BadQuestion { .. } | Self::BadPointer { .. } | Self::BadPlace { .. } => {
                Class::Invalid
            }
        }
    }
}
