//! Drift: a difference between what should be there and what a survey saw, and what was decided about it.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    ConversionId, Digest, DriftId, ScopeId, Standing, SubjectId, Weight, World,
    words::{Sentence, Worded},
};

/// What differs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "kind")]
pub enum DriftKind {
    /// A right that nobody gave through Tempestas.
    Gained,
    /// A right that is gone, and that nobody took away through Tempestas.
    Lost,
    /// A right that a conversion took away is there again.
    CameBack {
        /// The conversion.
        conversion: ConversionId,
    },
}

/// What became of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum DriftState {
    /// Nobody has decided yet.
    Open,
    /// Taken as it is.
    Adopted {
        /// By whom.
        by: SubjectId,
        /// When.
        at: Timestamp,
    },
    /// Being put back to what it was, or put back.
    PutBack {
        /// The conversion that does it.
        conversion: ConversionId,
    },
    /// Known, and not to be heard of until a date.
    Ignored {
        /// By whom.
        by: SubjectId,
        /// Why.
        reason: Digest,
        /// Until when.
        until: Timestamp,
    },
    /// It went away by itself.
    Over {
        /// When a survey saw so.
        at: Timestamp,
    },
}

/// One difference, from first sight on.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Drift {
    /// Its id.
    pub id: DriftId,
    /// The target.
    pub target: ScopeId,
    /// What differs.
    pub kind: DriftKind,
    /// The right, as it was seen or had been.
    pub standing: Standing,
    /// How much harm it can do.
    pub weight: Weight,
    /// When a survey first saw it.
    pub since: Timestamp,
    /// What became of it.
    pub state: DriftState,
}

impl Drift {
    /// Whether somebody has still to decide about it, now or when the time of being ignored is over.
    #[must_use]
    pub const fn is_pending(&self) -> bool {
        matches!(self.state, DriftState::Open | DriftState::Ignored { .. })
    }

    /// Whether an identity can now do everything there that could not before.
    #[must_use]
    pub fn is_new_power(&self) -> bool {
        self.kind != DriftKind::Lost && self.weight == Weight::Critical && self.standing.right.scope == self.target
    }

    /// Whether it is about this very right, named `handle` there and held by `account`.
    pub(crate) fn is_of(&self, world: &World, standing: &Standing, handle: Option<&str>, account: &str) -> bool {
        self.target == standing.target
            && self.standing.right == standing.right
            && self.standing.has_handle(world, handle)
            && world.is_text(self.standing.account, account)
    }

    /// The drift as one plain sentence.
    #[must_use]
    pub fn sentence(&self, world: &World) -> Sentence {
        let template = match self.kind {
            DriftKind::Gained if self.is_new_power() => {
                "`{account}` can do everything there now, by {right}, and nobody gave it through Tempestas"
            }
            DriftKind::Gained => "`{account}` holds {right}, and nobody gave it through Tempestas",
            DriftKind::Lost => "`{account}` held {right}, and somebody took it away behind Tempestas",
            DriftKind::CameBack { .. } => {
                "`{account}` holds {right} again, which {conversion} took away: something else puts it there"
            }
        };
        let conversion = match self.kind {
            DriftKind::CameBack { conversion } => Some(conversion),
            DriftKind::Gained | DriftKind::Lost => None,
        };
        let (account, right) = (&self.standing.account, &self.standing.right);
        let named: &[(&str, &dyn Worded)] = &[("account", account), ("right", right), ("conversion", &conversion)];
        Sentence::filled(world, template, named)
    }
}
