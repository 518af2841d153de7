//! Alarms: what a person must know about, where it belongs, and who says that it was seen to.

mod words;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    AlarmId, ConversionId, DriftId, ElevationId, GrantId, Right, ScopeId, Sight, SubjectId, World, text::Digest,
};

/// What an alarm is about.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema, strum::IntoStaticStr)]
#[serde(rename_all = "kebab-case", tag = "kind")]
#[strum(serialize_all = "kebab-case")]
pub enum AlarmKind {
    /// A right could not be taken away in time.
    TakeLate {
        /// The grant that should have ended.
        grant: GrantId,
    },
    /// A right that should be there was not, when read back.
    Missing {
        /// The grant.
        grant: GrantId,
    },
    /// The login of an ended grant can't be dropped; it is left without sign-in, powers and members.
    LoginKept {
        /// The grant.
        grant: GrantId,
    },
    /// Something with our mark that no grant explains.
    Stray {
        /// The target.
        target: ScopeId,
    },
    /// A survey waits for a person because it would change too much.
    SurveyHeld {
        /// The target.
        target: ScopeId,
    },
    /// A reading of people and groups waits for a person because too many would be gone.
    ImportHeld {
        /// The target.
        target: ScopeId,
    },
    /// The machine's clock stepped; nothing is opened until an administrator looked.
    ClockStep {
        /// By how many seconds.
        seconds: i64,
    },
    /// An identity that can do everything on a target, and could not before.
    NewPower {
        /// The drift.
        drift: DriftId,
    },
    /// A conversion stopped by itself, because too many rights could not be taken away.
    ConversionStopped {
        /// Which.
        conversion: ConversionId,
    },
    /// A sealed emergency holder was used.
    SealedUsed {
        /// The target.
        target: ScopeId,
        /// The account.
        account: Digest,
        /// When last, by the target's own log.
        at: Timestamp,
        /// Whether that is only what a line says that any account there could have written.
        #[serde(default, skip_serializing_if = "std::ops::Not::not")]
        claimed: bool,
    },
    /// A sealed emergency holder was not tried by its date.
    SealUntried {
        /// The target.
        target: ScopeId,
        /// The account.
        account: Digest,
    },
    /// A target's log grew by more than is read at once: the use of a sealed emergency holder may be hidden in it.
    LogUnread {
        /// The target.
        target: ScopeId,
        /// Bytes that were not read.
        bytes: u64,
    },
    /// What is in the database is not what the ledger says.
    LedgerDiffers {
        /// In how many places.
        places: u32,
    },
    /// One of a few broke the glass: it settles once somebody else has looked at what was done.
    GlassBroken {
        /// The elevation.
        elevation: ElevationId,
        /// What for.
        right: Right,
        /// Who.
        holder: SubjectId,
    },
    /// Nobody looked in time at what was done.
    DebriefLate {
        /// The elevation.
        elevation: ElevationId,
        /// What it was for.
        right: Right,
    },
    /// Somebody looked at what was done, and it was not in order.
    NotInOrder {
        /// The elevation.
        elevation: ElevationId,
        /// What it was for.
        right: Right,
        /// Who held it.
        holder: SubjectId,
    },
    /// A promise is broken by what came from outside, or was done at once.
    PromiseBroken {
        /// Its name.
        promise: String,
    },
    /// Something was in the way of a grant's end, or of seeing what it left.
    EndHindered {
        /// The grant.
        grant: GrantId,
    },
    /// Whoever was given their standing within a day handed on as much, or set terms in favour of whoever gave it.
    HandedOn {
        /// Who gave.
        by: SubjectId,
        /// Who handed on.
        hand: SubjectId,
    },
    /// Somebody used `recover` on the machine.
    Recovered {
        /// For whom.
        person: SubjectId,
    },
    /// A clock of a target is too far from ours.
    Skew {
        /// The target.
        target: ScopeId,
        /// By how many seconds.
        seconds: i64,
    },
}

impl AlarmKind {
    /// The target whose keeper sees it; none where the service itself does.
    #[must_use]
    pub fn target(&self, world: &World) -> Option<ScopeId> {
        match self {
            Self::Stray { target }
            | Self::SurveyHeld { target }
            | Self::ImportHeld { target }
            | Self::SealedUsed { target, .. }
            | Self::SealUntried { target, .. }
            | Self::LogUnread { target, .. }
            | Self::Skew { target, .. } => Some(*target),
            Self::NewPower { drift } => Some(world.drifts.get(drift)?.target),
            Self::TakeLate { grant }
            | Self::Missing { grant }
            | Self::LoginKept { grant }
            | Self::EndHindered { grant } => Some(world.grants.get(grant)?.target),
            Self::ClockStep { .. }
            | Self::ConversionStopped { .. }
            | Self::LedgerDiffers { .. }
            | Self::HandedOn { .. }
            | Self::Recovered { .. }
            | Self::GlassBroken { .. }
            | Self::DebriefLate { .. }
            | Self::NotInOrder { .. }
            | Self::PromiseBroken { .. } => None,
        }
    }

    /// The right under which was done what it is about.
    pub(crate) const fn right(&self) -> Option<Right> {
        match self {
            Self::GlassBroken { right, .. } | Self::DebriefLate { right, .. } | Self::NotInOrder { right, .. } => {
                Some(*right)
            }
            _ => None,
        }
    }

    /// The grant that it names.
    #[must_use]
    pub(crate) const fn grant(&self) -> Option<GrantId> {
        match self {
            Self::TakeLate { grant }
            | Self::Missing { grant }
            | Self::LoginKept { grant }
            | Self::EndHindered { grant } => Some(*grant),
            Self::Stray { .. }
            | Self::SurveyHeld { .. }
            | Self::ImportHeld { .. }
            | Self::ClockStep { .. }
            | Self::NewPower { .. }
            | Self::ConversionStopped { .. }
            | Self::SealedUsed { .. }
            | Self::SealUntried { .. }
            | Self::LogUnread { .. }
            | Self::LedgerDiffers { .. }
            | Self::HandedOn { .. }
            | Self::Recovered { .. }
            | Self::GlassBroken { .. }
            | Self::DebriefLate { .. }
            | Self::NotInOrder { .. }
            | Self::PromiseBroken { .. }
            | Self::Skew { .. } => None,
        }
    }
}

/// Something a person must know about.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Alarm {
    /// Its id.
    pub id: AlarmId,
    /// What about.
    pub about: AlarmKind,
    /// Since when.
    pub since: Timestamp,
    /// When it was settled.
    pub settled: Option<Timestamp>,
}

impl AlarmKind {
    /// The scope whose administrators settle it; none where it settles by itself, once its cause is gone.
    #[must_use]
    pub fn settled_at(&self, world: &World) -> Option<ScopeId> {
        match self {
            Self::ClockStep { .. }
            | Self::Recovered { .. }
            | Self::Missing { .. }
            | Self::LedgerDiffers { .. }
            | Self::EndHindered { .. }
            | Self::LoginKept { .. }
            | Self::HandedOn { .. } => world.root,
            Self::SealedUsed { target, .. } | Self::LogUnread { target, .. } => Some(*target),
            Self::NotInOrder { right, .. } => Some(right.scope),
            Self::GlassBroken { .. }
            | Self::DebriefLate { .. }
            | Self::SealUntried { .. }
            | Self::TakeLate { .. }
            | Self::Stray { .. }
            | Self::SurveyHeld { .. }
            | Self::ImportHeld { .. }
            | Self::NewPower { .. }
            | Self::ConversionStopped { .. }
            | Self::PromiseBroken { .. }
            | Self::Skew { .. } => None,
        }
    }

    /// Whether it is about `person`, under whatever name: then somebody else settles it.
    #[must_use]
    pub fn is_about(&self, world: &World, person: SubjectId) -> bool {
        match self {
            Self::HandedOn { by, hand } => [*by, *hand].iter().any(|one| world.human(*one) == world.human(person)),
            Self::NotInOrder { holder, .. } => world.human(*holder) == world.human(person),
            _ => false,
        }
    }
}

impl World {
    /// Whether somebody must look at the clock before anything is opened.
    #[must_use]
    pub fn clock_is_held(&self) -> bool {
        self.open_alarm(|about| matches!(about, AlarmKind::ClockStep { .. })).is_some()
    }

    /// The unsettled alarm that `fits`.
    pub fn open_alarm(&self, fits: impl Fn(&AlarmKind) -> bool) -> Option<&Alarm> {
        self.alarms.values().find(|alarm| alarm.settled.is_none() && fits(&alarm.about))
    }

    /// The scope that an alarm concerns; none where it concerns the whole house.
    #[must_use]
    pub fn alarm_scope(&self, about: &AlarmKind) -> Option<ScopeId> {
        match (about, about.grant()) {
            (AlarmKind::ConversionStopped { conversion }, _) => {
                self.items_of(*conversion).next().map(|item| item.standing.target)
            }
            (_, Some(grant)) => self.grants.get(&grant).map(|grant| grant.right.scope),
            (_, None) => about.right().map(|right| right.scope).or_else(|| about.target(self)),
        }
    }

    /// Whether `person` may say that an alarm was seen to.
    #[must_use]
    pub fn may_settle(&self, alarm: &Alarm, person: SubjectId) -> bool {
        let scope = alarm.about.settled_at(self).filter(|_| alarm.settled.is_none());
        let looks_after = scope.is_some_and(|scope| Sight::is_administrator(self, person, scope));
        looks_after && !alarm.about.is_about(self, person)
    }
}
