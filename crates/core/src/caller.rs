//! Who gives a command, through which channel, how surely, and with which time and random bytes.

use std::collections::BTreeSet;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{Said, ScopeId, SubjectId, text::Digest};

/// Who did something.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Actor {
    /// A person or program that signed in.
    Subject(SubjectId),
    /// A keeper of the service itself, reporting what it saw on a target, or the passing of time.
    Keeper,
    /// Somebody with a shell on the machine that the service runs on.
    Machine,
    /// Somebody who proved nothing: a sign-in that failed.
    Nobody,
}

/// The way a command came in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Channel {
    /// The HTTP interface.
    Api,
    /// A keeper.
    Keeper,
    /// A command of `tempestasd` on the machine.
    Machine,
}

/// How somebody proved that it is they.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Serialize,
    Deserialize,
    JsonSchema,
    strum::IntoStaticStr,
    strum::EnumString,
    strum::VariantArray,
)]
#[serde(rename_all = "kebab-case")]
#[strum(serialize_all = "kebab-case")]
pub enum ProofMethod {
    /// By a code of their authenticator (TOTP, RFC 6238), beside a password or in a sign-in that had one.
    TotpCode,
    /// By a passkey that verified them (WebAuthn Level 2).
    Passkey,
}

/// How sure a proof makes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ProofLevel {
    /// Somebody has two things of theirs, either of which they could be tricked out of.
    TwoFactors,
    /// Nobody can be tricked into giving it to another.
    PhishingResistant,
}

impl ProofMethod {
    /// In words.
    #[must_use]
    pub const fn words(self) -> &'static str {
        match self {
            Self::TotpCode => "a TOTP code",
            Self::Passkey => "a passkey",
        }
    }

    /// `a passkey`, `a passkey or TOTP code`: any of these, or of all where none is named.
    #[must_use]
    pub fn any_of(these: &BTreeSet<Self>) -> &'static str {
        match these.first().filter(|_| these.len() == 1) {
            Some(one) => one.words(),
            None => "a passkey or TOTP code",
        }
    }

    /// How sure it makes.
    #[must_use]
    pub const fn level(self) -> ProofLevel {
        match self {
            Self::TotpCode => ProofLevel::TwoFactors,
            Self::Passkey => ProofLevel::PhishingResistant,
        }
    }
}

/// When somebody proved that it is they, and how.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Proof {
    /// When.
    pub at: Timestamp,
    /// How.
    pub method: ProofMethod,
}

/// A caller as the way in proved them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Caller {
    /// Who.
    pub actor: Actor,
    /// How they last proved themselves.
    pub proof: Option<Proof>,
    /// Their network address.
    pub from: Option<Said>,
    /// The way they came in.
    pub channel: Channel,
    /// The target that it keeps, where it is a keeper of one.
    pub keeps: Option<ScopeId>,
}

impl Caller {
    /// The service itself, of which time and its own state are to be told.
    #[must_use]
    pub const fn service() -> Self {
        Self { actor: Actor::Keeper, proof: None, from: None, channel: Channel::Keeper, keeps: None }
    }

    /// The keeper of a target, who reports what it sees there.
    #[must_use]
    pub fn keeper_of(target: ScopeId) -> Self {
        Self { keeps: Some(target), ..Self::service() }
    }

    /// An operator on the machine.
    #[must_use]
    pub fn machine() -> Self {
        Self { actor: Actor::Machine, channel: Channel::Machine, ..Self::service() }
    }

    /// Somebody at an address who proved nothing.
    #[must_use]
    pub const fn nobody(from: Said) -> Self {
        Self { actor: Actor::Nobody, proof: None, from: Some(from), channel: Channel::Api, keeps: None }
    }

    /// The person or program, if that is what it is.
    #[must_use]
    pub const fn subject(&self) -> Option<SubjectId> {
        match self.actor {
            Actor::Subject(id) => Some(id),
            Actor::Keeper | Actor::Machine | Actor::Nobody => None,
        }
    }
}

/// What a caller looked at before they change it in place.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LookedAt {
    /// That there was nothing.
    Nothing,
    /// What has this digest.
    This(Digest),
}

/// Everything that a decision takes from outside the World.
#[derive(Debug, Clone)]
pub struct Context {
    /// The present time, never earlier than the last fact's.
    pub now: Timestamp,
    /// Who asks.
    pub caller: Caller,
    /// Fresh random bytes, for salts and unguessable names.
    pub chance: [u8; 32],
    /// What the caller looked at: what is changed in place is refused where it is something else by now. None where
    /// nobody looked.
    pub looked_at: Option<LookedAt>,
}

impl Context {
    /// The n-th 16 random bytes drawn from this context's chance.
    #[must_use]
    pub fn draw(&self, n: u64) -> [u8; 16] {
        let digest = Digest::of(&[&self.chance, &n.to_be_bytes()]);
        let mut bytes = [0; 16];
        bytes.copy_from_slice(digest.0.get(..16).unwrap_or(&[0; 16]));
        bytes
    }
}
