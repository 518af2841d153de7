//! Separation of duties, under a name: rights that nobody has together, how many of them one person gathers, and how many people
//! have one. Checked where a right is offered, asked for and opened; what breaks it already is found, and can be tolerated until
//! a date.

mod breach;
mod check;
mod holdings;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use breach::Breach;
pub use check::AtOnce;
pub use holdings::{Holding, How};

pub(crate) use check::{Gain, are_one_at_a_time, ensure_apart, ensure_room, has_no_room, newly_broken};

use crate::{
    Digest, EstateRefusal, Refusal, Right, ScopeId, Seconds, SeparationRefusal, SubjectId, Weight, Words, World,
};

/// How long at most what breaks one is tolerated.
pub(crate) const TOLERATED_FOR: Seconds = Seconds::hours(24 * 366);

/// Rights that a separation is about: those at a place and below, and those of what holds that place.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct RightSet {
    /// Where.
    pub scope: ScopeId,
    /// Only of roles of this name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub role: Option<Words>,
    /// Only of roles that weigh this much at least.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub weight: Option<Weight>,
}

/// What a separation sees to.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum Keeps {
    /// Nobody has a right of one side together with one of the other.
    Apart {
        /// One side.
        one: RightSet,
        /// The other.
        other: RightSet,
    },
    /// Nobody has more than so many of them.
    Few {
        /// Of which rights.
        of: RightSet,
        /// How many one person may have.
        most: u16,
    },
    /// So many people have one of them.
    Holders {
        /// Of which rights.
        of: RightSet,
        /// How many people at least.
        #[serde(default, skip_serializing_if = "is_zero")]
        least: u16,
        /// How many people at most.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        most: Option<u16>,
    },
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "so serialisation wants it")]
const fn is_zero(number: &u16) -> bool {
    *number == 0
}

/// What counts as having a right.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Counts {
    /// That one may ask for it, too.
    #[default]
    Eligible,
    /// Only that one holds it: for a time at that moment, or all the time.
    Held,
}

/// That what breaks a separation is put up with for a while.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Toleration {
    /// Whose; none where it is no one person's.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub who: Option<SubjectId>,
    /// What they have of it, and may go on having: nothing else.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub rights: Vec<Right>,
    /// Until when.
    pub until: Timestamp,
    /// Why.
    pub reason: Digest,
    /// Who said so; none where the machine did.
    pub by: Option<SubjectId>,
}

/// A separation of duties, under a name of the house's own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Separation {
    /// Its name.
    pub name: String,
    /// What it sees to.
    pub keeps: Keeps,
    /// What counts as having a right.
    pub counts: Counts,
    /// What is put up with for a while.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tolerated: Vec<Toleration>,
    /// Who set it last.
    #[serde(default)]
    pub set_by: Option<SubjectId>,
    /// When.
    #[serde(default)]
    pub set_at: Option<Timestamp>,
}

impl RightSet {
    /// Reads a set as written: `role@/path`, `weight:critical@/path` for all that weigh that much at least, or `/path` for all.
    ///
    /// # Errors
    /// Says which half isn't there.
    pub fn from_text(world: &World, text: &str) -> Result<Self, Refusal> {
        let unread = || EstateRefusal::NoRightSet { text: text.to_owned() };
        let (which, path) = match text.split_once("@/") {
            Some((which, path)) => (Some(which), format!("/{path}")),
            None if text.starts_with('/') => (None, text.to_owned()),
            None => return Err(unread().into()),
        };
        let unknown = || Refusal::unknown("place", &path, "`tempestas targets` lists what there is");
        let scope = world.scope_at(&path).ok_or_else(unknown)?.id;
        Ok(match which.map(|which| (which, which.strip_prefix("weight:"))) {
            None => Self { scope, role: None, weight: None },
            Some((_, Some(weight))) => Self { scope, role: None, weight: Some(weight.parse().map_err(|_| unread())?) },
            Some((role, None)) => Self { scope, role: Some(Words::Clear(role.to_owned())), weight: None },
        })
    }

    /// The set as written.
    #[must_use]
    pub fn text(&self, world: &World) -> String {
        let path = world.path(self.scope);
        match (&self.role, self.weight) {
            (Some(role), _) => format!("{}@{path}", world.words(role)),
            (None, Some(weight)) => format!("weight:{weight}@{path}"),
            (None, None) => path,
        }
    }

    /// Whether a right is one of them: at such a place, or of so wide a reach that it holds one.
    #[must_use]
    pub fn has(&self, world: &World, right: Right) -> bool {
        let Some(role) = world.roles.get(&right.role).filter(|role| !role.gone) else { return false };
        let is_there = world.is_within(right.scope, self.scope) || world.is_within(self.scope, right.scope);
        is_there
            && self.weight.is_none_or(|least| role.weight >= least)
            && self.role.as_ref().is_none_or(|name| world.are_same(name, &role.name))
    }

    /// Whether there is any such right: what a slip of the pen names, or a system calls otherwise by now, is kept from nobody.
    #[must_use]
    pub fn holds_any(&self, world: &World) -> bool {
        let reaches = |target: ScopeId| world.is_within(target, self.scope) || world.is_within(self.scope, target);
        let at = |target: ScopeId| if world.is_within(target, self.scope) { target } else { self.scope };
        let there = |role: &crate::Role| self.has(world, Right { role: role.id, scope: at(role.target) });
        world.roles.values().filter(|role| reaches(role.target)).any(there)
    }
}

impl Keeps {
    /// The rights that it is about.
    pub fn sets(&self) -> impl Iterator<Item = &RightSet> {
        let (first, second) = match self {
            Self::Apart { one, other } => (one, Some(other)),
            Self::Few { of, .. } | Self::Holders { of, .. } => (of, None),
        };
        std::iter::once(first).chain(second)
    }

    /// The same with the sets, each made into another.
    pub(crate) fn with(self, mut put: impl FnMut(RightSet) -> RightSet) -> Self {
        match self {
            Self::Apart { one, other } => Self::Apart { one: put(one), other: put(other) },
            Self::Few { of, most } => Self::Few { of: put(of), most },
            Self::Holders { of, least, most } => Self::Holders { of: put(of), least, most },
        }
    }
}

impl Separation {
    /// Checks one before it is taken in.
    ///
    /// # Errors
    /// Says what can't be, and what could.
    pub fn check(&self, world: &World) -> Result<(), Refusal> {
        if let Some(set) = self.keeps.sets().find(|set| !set.holds_any(world)) {
            return Err(SeparationRefusal::NoSuchRight { of: set.text(world) }.into());
        }
        match self.keeps {
            Keeps::Apart { .. } => Ok(()),
            Keeps::Few { most: 0, .. } | Keeps::Holders { most: Some(0), .. } => {
                Err(SeparationRefusal::NobodyAtAll.into())
            }
            Keeps::Few { .. } => Ok(()),
            Keeps::Holders { least: 0, most: None, .. } => Err(SeparationRefusal::AnyNumber.into()),
            Keeps::Holders { least, most: Some(most), .. } if least > most => {
                Err(SeparationRefusal::LeastOverMost { least, most }.into())
            }
            Keeps::Holders { least: 1.., .. } if self.counts == Counts::Held => {
                Err(SeparationRefusal::LeastOfHeld.into())
            }
            Keeps::Holders { .. } => Ok(()),
        }
    }

    /// What it sees to, in words.
    #[must_use]
    pub fn words(&self, world: &World) -> String {
        let has = match self.counts {
            Counts::Eligible => "may ask for, or holds,",
            Counts::Held => "at one time holds",
        };
        match &self.keeps {
            Keeps::Apart { one, other } => {
                let (one, other) = (one.text(world), other.text(world));
                format!("nobody {has} both one of {one} and one of {other}")
            }
            Keeps::Few { of, most } => format!("nobody {has} more than {most} of {}", of.text(world)),
            Keeps::Holders { of, least, most } => {
                let how_many = match (least, most) {
                    (0, Some(most)) => format!("at most {}", people(usize::from(*most))),
                    (least, None) => format!("at least {}", people(usize::from(*least))),
                    (least, Some(most)) => format!("{least} to {}", people(usize::from(*most))),
                };
                let is_one = most.unwrap_or(*least) == 1;
                let have = match (self.counts, is_one) {
                    (Counts::Eligible, true) => "may ask for, or holds,",
                    (Counts::Eligible, false) => "may ask for, or hold,",
                    (Counts::Held, true) => "at one time holds",
                    (Counts::Held, false) => "at one time hold",
                };
                format!("{how_many} {have} one of {}", of.text(world))
            }
        }
    }

    /// It as it stands, which a change of it carries.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(self)
    }

    /// Whether it may leave somebody with what the one in whose place it stands would have kept from them: it doesn't where it
    /// sees to the same, as strictly.
    pub(crate) fn may_allow_more_than(&self, before: &Self, world: &World) -> bool {
        let same = |one: &RightSet, other: &RightSet| {
            let roles = match (&one.role, &other.role) {
                (Some(one), Some(other)) => world.are_same(one, other),
                (one, other) => one.is_none() && other.is_none(),
            };
            roles && (one.scope, one.weight) == (other.scope, other.weight)
        };
        let of_the_same = self.keeps.sets().zip(before.keeps.sets()).all(|(one, other)| same(one, other));
        let as_strict = match (&self.keeps, &before.keeps) {
            (Keeps::Apart { .. }, Keeps::Apart { .. }) => true,
            (Keeps::Few { most, .. }, Keeps::Few { most: was, .. }) => most <= was,
            (Keeps::Holders { least, most, .. }, Keeps::Holders { least: was, most: was_most, .. }) => {
                least >= was && was_most.is_none_or(|was| most.is_some_and(|most| most <= was))
            }
            _ => false,
        };
        !(of_the_same && as_strict && self.counts <= before.counts)
    }

    /// What of it is tolerated at a moment, of one human or of nobody's.
    pub(crate) fn tolerates(&self, who: Option<SubjectId>, now: Timestamp) -> Option<&Toleration> {
        self.tolerated.iter().find(|one| one.who == who && one.until > now)
    }
}

/// So many people, in words.
pub(crate) fn people(many: usize) -> String {
    if many == 1 { "1 person".to_owned() } else { format!("{many} people") }
}
