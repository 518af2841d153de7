//! Promises, under a name: sentences about power that must hold whatever terms, groups and labels say. Each is of a closed set of
//! forms, and held against everybody and every right that it is about; what breaks one is told by its shortest example.

mod breach;
mod power;
mod touch;
mod verdict;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use breach::{BrokenBy, PromiseBreach};
pub(crate) use touch::Touch;

use crate::{Digest, PromiseRefusal, Refusal, RightSet, Seconds, SubjectId, World, separation::people};

/// What is promised of rights. Whoever is named is so by id, or on the wire by name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is", deny_unknown_fields)]
#[schemars(rename = "PromisedBody")]
pub enum Promised<W = SubjectId> {
    /// Nobody holds one without so many yes from others.
    Answered {
        /// How many.
        yes: u16,
    },
    /// Nobody holds one for longer at a time.
    Brief {
        /// How long at most, in seconds.
        longest: Seconds,
    },
    /// Nobody begins to hold one without meeting an assurance.
    Assured {
        /// Its name.
        assurance: String,
    },
    /// Whoever asks for one, so many people could answer in each stage.
    Answerable {
        /// How many.
        people: u16,
    },
    /// Nobody holds one all the time.
    NeverStanding,
    /// Nobody but some may ask for one, or hold it.
    Only {
        /// The person, or the group of those, who may.
        to: W,
    },
}

impl<W> Promised<W> {
    /// The same, with whoever it names in another form.
    ///
    /// # Errors
    /// Those of `as_who`.
    pub fn naming<V, E>(self, as_who: impl FnOnce(W) -> Result<V, E>) -> Result<Promised<V>, E> {
        Ok(match self {
            Self::Answered { yes } => Promised::Answered { yes },
            Self::Brief { longest } => Promised::Brief { longest },
            Self::Assured { assurance } => Promised::Assured { assurance },
            Self::Answerable { people } => Promised::Answerable { people },
            Self::NeverStanding => Promised::NeverStanding,
            Self::Only { to } => Promised::Only { to: as_who(to)? },
        })
    }
}

/// A promise, under a name of the house's own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Promise {
    /// Its name.
    pub name: String,
    /// The rights that it is about.
    pub of: RightSet,
    /// Only of this person, or of the members of this group.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<SubjectId>,
    /// What is promised of them.
    pub promised: Promised,
    /// Who set it last.
    #[serde(default)]
    pub set_by: Option<SubjectId>,
    /// When.
    #[serde(default)]
    pub set_at: Option<Timestamp>,
}

impl Promise {
    /// Checks one before it is taken in.
    ///
    /// # Errors
    /// Says what can't be promised, and what could.
    pub fn check(&self, world: &World) -> Result<(), Refusal> {
        if self.of.role.is_some() && !self.of.holds_any(world) {
            return Err(PromiseRefusal::NoSuchRole { of: self.of.text(world) }.into());
        }
        let only = match &self.promised {
            Promised::Only { to } => Some(*to),
            _ => None,
        };
        if let Some(id) = self.by.into_iter().chain(only).find(|id| !world.subjects.contains_key(id)) {
            return Err(Refusal::unknown("person or group", id, "`tempestas people` lists them"));
        }
        match &self.promised {
            Promised::Answered { yes: 0 }
            | Promised::Answerable { people: 0 }
            | Promised::Brief { longest: Seconds(0) } => Err(PromiseRefusal::PromisesNothing.into()),
            Promised::Assured { assurance } => match world.assurances.get(assurance) {
                None => Err(Refusal::unknown("assurance", assurance, "`tempestas assurances` lists them")),
                Some(known) if known.watch_only => {
                    Err(PromiseRefusal::OnlyWatches { assurance: assurance.clone() }.into())
                }
                Some(_) => Ok(()),
            },
            _ => Ok(()),
        }
    }

    /// It in words.
    #[must_use]
    pub fn words(&self, world: &World) -> String {
        let of = self.of.text(world);
        let by = self.by.map(|by| format!(" of {}", world.subject_name(by))).unwrap_or_default();
        match &self.promised {
            Promised::Answered { yes: 1 } => format!("nobody{by} holds one of {of} without a yes from somebody else"),
            Promised::Answered { yes } => format!("nobody{by} holds one of {of} without {yes} yes from others"),
            Promised::Brief { longest } => format!("nobody{by} holds one of {of} for longer than {longest} at a time"),
            Promised::Assured { assurance } => {
                format!("nobody{by} begins to hold one of {of} without the assurance {assurance}")
            }
            Promised::Answerable { people: many } => {
                format!("whoever{by} asks for one of {of}, {} at least could answer", people(usize::from(*many)))
            }
            Promised::NeverStanding => format!("nobody{by} holds one of {of} all the time"),
            Promised::Only { to } => {
                format!("nobody{by} but {} may ask for, or holds, one of {of}", world.subject_name(*to))
            }
        }
    }

    /// It as it stands, which a change of it carries.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(self)
    }
}
