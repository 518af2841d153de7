//! What files say: a rule, an assurance, a separation or a promise.

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Assurance, Digest, Key, Promise, RightSet, Row, Separation, Terms, TermsId, World};

/// One thing that files say.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[expect(clippy::large_enum_variant, reason = "most of them are rules, which are the large ones")]
pub enum Clause {
    /// A rule of terms.
    Rule(Terms),
    /// How sure one must be of people.
    Assurance(Assurance),
    /// What nobody has together.
    Separation(Separation),
    /// What holds whatever else is said.
    Promise(Promise),
}

/// Of which kind it is.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize, JsonSchema, strum::Display,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum ClauseKind {
    /// A rule of terms.
    Rule,
    /// An assurance.
    Assurance,
    /// A separation of duties.
    Separation,
    /// A promise.
    Promise,
}

impl Clause {
    /// Its kind.
    #[must_use]
    pub const fn kind(&self) -> ClauseKind {
        match self {
            Self::Rule(_) => ClauseKind::Rule,
            Self::Assurance(_) => ClauseKind::Assurance,
            Self::Separation(_) => ClauseKind::Separation,
            Self::Promise(_) => ClauseKind::Promise,
        }
    }

    /// What it is found by in the World.
    #[must_use]
    pub fn key(&self) -> Key {
        self.clone().into_row().key()
    }

    /// What is found by a key, if that is a clause and there.
    #[must_use]
    pub fn at(world: &World, key: &Key) -> Option<Self> {
        match key.kind {
            crate::Kind::Terms => {
                let id = key.id.parse().ok()?;
                world.terms.get(&TermsId(id)).cloned().map(Self::Rule)
            }
            crate::Kind::Assurance => world.assurances.get(&key.id).cloned().map(Self::Assurance),
            crate::Kind::Separation => world.separations.get(&key.id).cloned().map(Self::Separation),
            crate::Kind::Promise => world.promises.get(&key.id).cloned().map(Self::Promise),
            _ => None,
        }
    }

    /// As a row of the World.
    #[must_use]
    pub(crate) fn into_row(self) -> Row {
        match self {
            Self::Rule(rule) => Row::Terms(rule),
            Self::Assurance(assurance) => Row::Assurance(assurance),
            Self::Separation(separation) => Row::Separation(separation),
            Self::Promise(promise) => Row::Promise(promise),
        }
    }

    /// What it says, without who said so and what became of it since.
    #[must_use]
    pub(crate) fn bare(&self) -> Self {
        match self {
            Self::Rule(rule) => {
                let asleep = (None, None, None);
                let (set_by, set_at, dormant) = asleep;
                Self::Rule(Terms { id: TermsId(0), set_by, set_at, dormant, paused: None, ..rule.clone() })
            }
            Self::Assurance(assurance) => {
                Self::Assurance(Assurance { set_by: None, set_at: None, ..assurance.clone() })
            }
            Self::Separation(separation) => {
                Self::Separation(Separation { set_by: None, set_at: None, tolerated: Vec::new(), ..separation.clone() })
            }
            Self::Promise(promise) => Self::Promise(Promise { set_by: None, set_at: None, ..promise.clone() }),
        }
    }

    /// The same, with what roles are called as people read it.
    #[must_use]
    pub(crate) fn read(&self, world: &World) -> Self {
        let role = |role: crate::Words| crate::Words::Clear(world.words(&role).to_owned());
        let set = |set: RightSet| RightSet { role: set.role.map(role), ..set };
        match self.bare() {
            Self::Rule(rule) => Self::Rule(Terms { role: rule.role.map(role), ..rule }),
            Self::Separation(it) => Self::Separation(Separation { keeps: it.keeps.with(set), ..it }),
            Self::Promise(it) => Self::Promise(Promise { of: set(it.of), ..it }),
            assurance @ Self::Assurance(_) => assurance,
        }
    }

    /// Whether another says the same.
    #[must_use]
    pub fn says_the_same(&self, other: &Self, world: &World) -> bool {
        self.read(world) == other.read(world)
    }

    /// Of what it says, as it stands.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(&self.bare())
    }
}
