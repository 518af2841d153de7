//! Terms: what an act on a right demands of a given kind of asker, inherited down the estate.
//!
//! Several rules may fit one ask; `effective` says what holds.

mod effective;
mod setting;
mod settings;
mod validity;

use std::{collections::BTreeMap, fmt};

use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use strum::VariantArray as _;

pub use effective::{PRECEDENCE, Trace, effective_at, effective_at_under, effective_terms, effective_under};
pub use setting::{Effective, Setting, Settings, WrittenSettings};
pub use settings::{
    Approval, Approver, Assured, Closed, DebriefRule, DebriefTerms, Extensions, Glass, Grace, Hours, LapseRule,
    Longest, NextStage, OfferRule, OnlyWhile, Onward, OpenTime, ProofMaxAge, Purposes, ReasonRule, ReferenceRule,
    References, StageTerms, StandingRule, Starts, TicketRule, UsesRule, Usual, Week, WrittenApproval, WrittenDebrief,
    WrittenGlass, WrittenOnward, WrittenStage,
};
pub(crate) use validity::moments;
pub use validity::{Dormant, Validity};

use crate::{
    Digest, EstateRefusal, Pause, Refusal, ScopeId, SubjectId, TermsId, TermsRefusal, Weight, Words, World,
    time::Seconds,
};
use setting::NAMES;

/// What is done with a right.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize, JsonSchema, strum::VariantArray,
)]
#[serde(rename_all = "kebab-case")]
pub enum Act {
    /// Hold it for a time.
    Elevate,
    /// Go on holding it beyond its end.
    Extend,
    /// Open a recorded session with it.
    OpenSession,
    /// See a secret it protects.
    SeeSecret,
    /// Be made eligible for it.
    BeMadeEligible,
    /// Answer whoever asks for it, or would be made eligible.
    Answer,
    /// Administer a place: change who may do what there, and by which terms. It is about a place and no right.
    Administer,
}

impl Act {
    /// The longest that a span may be that is set for it.
    const fn longest_possible(self) -> Seconds {
        match self {
            Self::BeMadeEligible => Seconds::hours(24 * 366 * 10),
            _ => Seconds::hours(24 * 31),
        }
    }

    /// Whether anything asks what terms say about it. A rule about what nothing asks about would be kept to no effect.
    const fn is_asked(self) -> bool {
        !matches!(self, Self::OpenSession | Self::SeeSecret)
    }

    /// Whether it is holding a right, or going on with that; else it is something that is done about rights.
    #[must_use]
    pub const fn is_of_holding(self) -> bool {
        !matches!(self, Self::BeMadeEligible | Self::Answer | Self::Administer)
    }

    /// Whether it is one step, done at once by whoever proves who they are.
    #[must_use]
    pub const fn is_a_step(self) -> bool {
        matches!(self, Self::Answer | Self::Administer)
    }

    /// The act whose rules hold for this one where its own say nothing.
    #[must_use]
    pub const fn follows(self) -> Option<Self> {
        match self {
            Self::Extend => Some(Self::Elevate),
            _ => None,
        }
    }

    /// The acts that a rule about this one says something about: itself, and those that follow it.
    pub fn reaches(self) -> impl Iterator<Item = Self> {
        Self::VARIANTS.iter().copied().filter(move |act| *act == self || act.follows() == Some(self))
    }
}

impl fmt::Display for Act {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Elevate => "elevating",
            Self::Extend => "extending",
            Self::OpenSession => "opening a session",
            Self::SeeSecret => "seeing a secret",
            Self::BeMadeEligible => "making somebody eligible",
            Self::Answer => "answering",
            Self::Administer => "administering",
        })
    }
}

/// A rule: to whom, to what and where its settings apply.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Terms {
    /// Its id; left out when it is made.
    pub id: TermsId,
    /// The act.
    pub act: Act,
    /// Where, and below.
    pub scope: ScopeId,
    /// Only for roles of this name.
    pub role: Option<Words>,
    /// Only for roles of this weight.
    pub weight: Option<Weight>,
    /// Only for this person, or members of this group.
    pub asker: Option<SubjectId>,
    /// Only on targets that administrators labelled so.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub labels: BTreeMap<String, String>,
    /// Only on targets that say so of themselves. Then it only tightens what other rules, or the house, set.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub attributes: BTreeMap<String, String>,
    /// What it sets.
    pub settings: Settings,
    /// Settings that may not be relaxed below.
    pub pins: Vec<String>,
    /// While it is valid.
    #[serde(default, skip_serializing_if = "Validity::is_always")]
    pub valid: Validity,
    /// Set while it isn't: then it fits nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub dormant: Option<Dormant>,
    /// Who set it last.
    #[serde(default)]
    pub set_by: Option<SubjectId>,
    /// When.
    #[serde(default)]
    pub set_at: Option<jiff::Timestamp>,
    /// Set while it is suspended: then it fits nothing.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub paused: Option<Pause>,
}

impl Terms {
    /// A new rule about everything at a place, for everybody, always: what it is narrowed to is for whoever makes it to say.
    #[must_use]
    pub fn new(scope: ScopeId, act: Act, settings: Settings) -> Self {
        Self {
            id: TermsId(0),
            act,
            scope,
            role: None,
            weight: None,
            asker: None,
            labels: BTreeMap::new(),
            attributes: BTreeMap::new(),
            settings,
            pins: Vec::new(),
            valid: Validity::default(),
            dormant: None,
            set_by: None,
            set_at: None,
            paused: None,
        }
    }

    /// Whether it holds at present: neither suspended, nor before or after its time.
    #[must_use]
    pub const fn is_in_force(&self) -> bool {
        self.paused.is_none() && self.dormant.is_none()
    }

    /// Checks a rule before it is taken in.
    ///
    /// # Errors
    /// Says which setting can't be used, and why.
    pub fn check(&self) -> Result<(), Refusal> {
        let settings = &self.settings;
        if !self.act.is_asked() {
            let known = Act::VARIANTS.iter().filter(|act| act.is_asked()).map(Act::to_string).collect();
            return Err(TermsRefusal::ActNotAsked { act: self.act, known }.into());
        }
        let names_a_right = self.role.is_some() || self.weight.is_some();
        if self.act == Act::Administer && (names_a_right || !self.labels.is_empty() || !self.attributes.is_empty()) {
            return Err(TermsRefusal::OfAPlace { act: self.act }.into());
        }
        if *settings == Settings::default() {
            return Err(TermsRefusal::SetsNothing.into());
        }
        for (name, value) in self.labels.iter().chain(&self.attributes) {
            check_label(name, value)?;
        }
        for pin in &self.pins {
            if !NAMES.contains(&pin.as_str()) {
                let known = NAMES.iter().map(|name| (*name).to_owned()).collect();
                return Err(TermsRefusal::UnknownPin { pin: pin.clone(), known }.into());
            }
            if !settings.is_set(pin) {
                return Err(TermsRefusal::PinNotSet { pin: pin.clone() }.into());
            }
        }
        if let Some(name) = NAMES.iter().find(|name| !self.act.knows(name) && settings.is_set(name)) {
            let known: Vec<String> =
                NAMES.iter().filter(|name| self.act.knows(name)).map(|name| format!("`{name}`")).collect();
            return Err(TermsRefusal::NotOfThisAct { setting: (*name).to_owned(), act: self.act, known }.into());
        }
        settings.first_refused(self.act).map_or(Ok(()), |(_, why)| Err(why))
    }

    /// Whether another rule is about just the same: of two that set something otherwise, none wins by being more specific.
    #[must_use]
    pub fn is_about_the_same(&self, other: &Self, world: &World) -> bool {
        let roles = match (&self.role, &other.role) {
            (Some(one), Some(other)) => world.are_same(one, other),
            (one, other) => one.is_none() && other.is_none(),
        };
        roles
            && (self.act, self.scope, self.weight, self.asker) == (other.act, other.scope, other.weight, other.asker)
            && (&self.labels, &self.attributes) == (&other.labels, &other.attributes)
    }

    /// The rule as it stands, which a change of it carries.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(self)
    }
}

impl Settings {
    /// Everybody whom they name to answer an ask, or to look at what was done.
    pub(crate) fn answered_by(&self) -> impl Iterator<Item = &Approver> {
        let stages = self.approval.iter().flat_map(Approval::in_turn).flat_map(|(stage, next)| stage.named(next));
        let debrief = self.debrief.iter().filter_map(DebriefRule::wanted);
        stages.chain(debrief.flat_map(|terms| terms.by.iter().chain(&terms.higher)))
    }
}

impl Terms {
    /// Refuses what it names that is not there, or that nobody could meet or give.
    ///
    /// # Errors
    /// Says which.
    pub fn ensure_named_is_there(&self, world: &World) -> Result<(), Refusal> {
        let Settings { assured, closed, only_while, approval, glass, .. } = &self.settings;
        let few = glass.iter().flat_map(|glass| &glass.by).copied();
        for id in few.chain(self.settings.answered_by().filter_map(Approver::subject)) {
            if !world.subjects.contains_key(&id) {
                return Err(Refusal::unknown("person or group", id, "`tempestas people` lists them"));
            }
        }
        assured.as_ref().map_or(Ok(()), |assured| assured.ensure_can_be_met(world))?;
        closed.as_ref().map_or(Ok(()), |closed| closed.ensure_is_there(world))?;
        only_while.as_ref().map_or(Ok(()), |only_while| only_while.ensure_is_there(world))?;
        // What goes by what systems say of themselves only takes from those whom other rules name.
        let approval = approval.as_ref().filter(|_| self.attributes.is_empty());
        approval.map_or(Ok(()), |approval| approval.ensure_can_be_given(world, self.scope))
    }
}

/// Checks the name and the value of a label, or of an attribute that a rule goes by.
///
/// # Errors
/// Says which can't be used.
pub(crate) fn check_label(name: &str, value: &str) -> Result<(), Refusal> {
    let is_name = (1..=40).contains(&name.len())
        && name.bytes().all(|byte| byte.is_ascii_lowercase() || byte.is_ascii_digit() || b"-_.".contains(&byte));
    let is_value = (1..=80).contains(&value.chars().count()) && !value.chars().any(char::is_control);
    if is_name && is_value {
        return Ok(());
    }
    Err(EstateRefusal::BadLabel { name: name.to_owned(), value: value.to_owned() }.into())
}

/// Reads `stage=production` as a name and a value.
///
/// # Errors
/// Says how a label is written.
pub fn label_from(text: &str) -> Result<(&str, &str), Refusal> {
    let halves = text.split_once('=').map(|(name, value)| (name.trim(), value.trim()));
    halves.ok_or_else(|| EstateRefusal::NoLabel { text: text.to_owned() }.into())
}
