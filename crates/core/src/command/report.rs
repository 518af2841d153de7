//! What keepers saw on their targets. Nobody else says any of it.

use jiff::Timestamp;

use crate::{
    AlarmKind, ConversionId, Digest, GrantId, Imported, Marked, Pair, Said, ScopeId, StandingId, Survey, World,
};

/// A report of a keeper on its own target, or of the service about itself.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum Report {
    /// A survey was taken.
    #[strum(serialize = "record-survey")]
    Surveyed {
        /// The target.
        target: ScopeId,
        /// The survey's digest.
        digest: Digest,
        /// The survey.
        survey: Box<Survey>,
    },
    /// A source of people was read.
    #[strum(serialize = "record-import")]
    Imported {
        /// The directory.
        target: ScopeId,
        /// The reading's digest.
        digest: Digest,
        /// The reading.
        imported: Box<Imported>,
    },
    /// The target was searched for our marks.
    #[strum(serialize = "record-search")]
    Searched {
        /// The target.
        target: ScopeId,
        /// What bears one.
        marked: Vec<Marked>,
    },
    /// A stray was ended and read back as gone.
    StrayEnded {
        /// The target.
        target: ScopeId,
        /// Its name there.
        name: String,
    },
    /// A sealed emergency holder was used, as the target's own log has it.
    SealedUsed {
        /// The target.
        target: ScopeId,
        /// The holder's account there.
        account: Said,
        /// When.
        at: Timestamp,
        /// Whether only a line says so that any account there could have written.
        claimed: bool,
    },
    /// The target's clock agrees with ours again.
    ClockAgrees {
        /// The target.
        target: ScopeId,
    },
    /// A grant was read back.
    GrantSeen {
        /// Which.
        grant: GrantId,
        /// Whether it is there.
        there: bool,
    },
    /// A grant was put there, and read back.
    GrantGiven {
        /// Which.
        grant: GrantId,
        /// The target's own time just before.
        at: Timestamp,
    },
    /// A grant was read back with the end that it was to be moved to.
    GrantMoved {
        /// Which.
        grant: GrantId,
        /// Its end there.
        until: Timestamp,
    },
    /// A grant that is good for one use was used.
    GrantUsed {
        /// Which.
        grant: GrantId,
        /// When, by the target's clock.
        at: Timestamp,
    },
    /// Giving or taking a grant did not succeed yet.
    GrantDelayed {
        /// Which.
        grant: GrantId,
        /// What was in the way.
        trouble: String,
    },
    /// A grant was read back as gone.
    GrantGone {
        /// Which.
        grant: GrantId,
        /// What was kept past its end: what and where, when that came to be, and whether we ended it.
        leftovers: Vec<(Said, Option<Timestamp>, bool)>,
    },
    /// A standing right was taken away, and read back as gone.
    StandingTaken {
        /// By which conversion.
        conversion: ConversionId,
        /// Which.
        standing: StandingId,
    },
    /// It was read back as there again.
    StandingRestored {
        /// By which conversion.
        conversion: ConversionId,
        /// Which.
        standing: StandingId,
        /// Whether somebody had put it back before we did.
        by_others: bool,
    },
    /// Taking it away, or putting it back, did not succeed yet.
    StandingDelayed {
        /// By which conversion.
        conversion: ConversionId,
        /// Which.
        standing: StandingId,
        /// What was in the way.
        trouble: String,
    },
    /// What another system says of a circumstance, or that it could not be asked: then it doesn't hold.
    #[strum(serialize = "record-heard")]
    Heard {
        /// Which.
        circumstance: String,
        /// Of which reference, where it is about one.
        of: Option<Said>,
        /// Whether it holds.
        holds: bool,
    },
    /// Something that a person must know about; raised once while it is unsettled.
    #[strum(serialize = "raise-alarm")]
    Alarm(AlarmKind),
}

impl Report {
    /// The target that it is about; none where it is about the service itself, or about what isn't there.
    #[must_use]
    pub fn target(&self, world: &World) -> Option<ScopeId> {
        match self {
            Self::Surveyed { target, .. }
            | Self::Imported { target, .. }
            | Self::Searched { target, .. }
            | Self::StrayEnded { target, .. }
            | Self::SealedUsed { target, .. }
            | Self::ClockAgrees { target } => Some(*target),
            Self::GrantSeen { grant, .. }
            | Self::GrantGiven { grant, .. }
            | Self::GrantMoved { grant, .. }
            | Self::GrantUsed { grant, .. }
            | Self::GrantDelayed { grant, .. }
            | Self::GrantGone { grant, .. } => Some(world.grants.get(grant)?.target),
            Self::StandingTaken { conversion, standing }
            | Self::StandingRestored { conversion, standing, .. }
            | Self::StandingDelayed { conversion, standing, .. } => {
                Some(world.items.get(&Pair(*conversion, *standing))?.standing.target)
            }
            Self::Heard { .. } => None,
            Self::Alarm(about) => about.target(world),
        }
    }
}
