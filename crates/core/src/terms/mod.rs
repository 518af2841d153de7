//! Terms: what an act on a right demands of a given kind of asker, inherited down the estate.
//!
//! Several rules may fit one ask; `effective` says what holds.

mod effective;

use std::collections::BTreeMap;

use regex_lite::Regex;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

pub use effective::{Effective, PRECEDENCE, Trace, effective_terms, effective_under};

use crate::{
    Digest, Pause, Refusal, Right, ScopeId, StartChoice, SubjectId, TermsId, Weight, Words, World, time::Seconds,
};

/// What is done with a right.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Act {
    /// Hold it for a time.
    Elevate,
    /// Open a recorded session with it.
    OpenSession,
    /// See a secret it protects.
    SeeSecret,
    /// Be made eligible for it.
    BeMadeEligible,
}

impl Act {
    /// Whether a setting says anything about it.
    #[must_use]
    pub fn knows(self, setting: &str) -> bool {
        self != Self::BeMadeEligible || !["usual", "starts", "ticket", "lapse"].contains(&setting)
    }
}

/// Whether a reason is demanded.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum ReasonRule {
    /// Not asked for.
    Hidden,
    /// May be given.
    Optional,
    /// Must be given.
    Required {
        /// Least number of letters.
        at_least: u16,
    },
}

/// Whether a ticket is demanded.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum TicketRule {
    /// Not asked for.
    Off,
    /// May be given, and then fits the pattern.
    Optional {
        /// A regular expression for the whole reference.
        pattern: Option<String>,
    },
    /// Must be given.
    Required {
        /// A regular expression for the whole reference.
        pattern: Option<String>,
    },
}

impl TicketRule {
    pub(crate) fn rank(&self) -> u8 {
        match self {
            Self::Off => 0,
            Self::Optional { .. } => 1,
            Self::Required { .. } => 2,
        }
    }

    /// The pattern, if one is set.
    #[must_use]
    pub fn pattern(&self) -> Option<&str> {
        match self {
            Self::Off => None,
            Self::Optional { pattern } | Self::Required { pattern } => pattern.as_deref(),
        }
    }

    /// Whether `ticket` fits the whole pattern.
    #[must_use]
    pub fn fits(&self, ticket: &str) -> bool {
        self.pattern().is_none_or(|pattern| whole(pattern).is_ok_and(|expression| expression.is_match(ticket)))
    }
}

fn whole(pattern: &str) -> Result<Regex, regex_lite::Error> {
    Regex::new(&format!("^(?:{pattern})$"))
}

/// When the clock of a grant may start.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Starts {
    /// At the last yes, or at once where none is needed.
    pub at_yes: bool,
    /// At a set time, at most so far ahead.
    pub at_time_within: Option<Seconds>,
    /// When the holder begins, within so long of the last yes.
    pub begin_within: Option<Seconds>,
}

impl Starts {
    /// How the clock starts where the asker didn't say; none where it starts only at a time that they set.
    #[must_use]
    pub fn unsaid(&self) -> Option<StartChoice> {
        let on_begin = self.begin_within.map(|_| StartChoice::OnBegin);
        if self.at_yes { Some(StartChoice::AtYes) } else { on_begin }
    }
}

/// Who may answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "who")]
pub enum Approver {
    /// A person, or the members of a group.
    Subject {
        /// Which.
        id: SubjectId,
    },
    /// The administrators of the scope.
    Administrators,
}

/// Whether somebody must say yes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", tag = "is")]
pub enum Approval {
    /// Nobody need be asked.
    None,
    /// One stage.
    Stage {
        /// Who may decide.
        approvers: Vec<Approver>,
        /// How many yes settle it.
        yes: u16,
        /// How many no settle it.
        no: u16,
        /// How long before it runs out unanswered.
        within: Seconds,
    },
}

/// Whether a right may be given whose end depends on Tempestas.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum LapseRule {
    /// Any right may be given.
    Any,
    /// Only rights that the target ends by itself.
    ByItself,
}

/// Settings of a rule; what is absent comes from elsewhere.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Settings {
    /// Longest duration.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub longest: Option<Seconds>,
    /// Duration where none is asked for.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub usual: Option<Seconds>,
    /// When the clock may start.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub starts: Option<Starts>,
    /// Reason.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reason: Option<ReasonRule>,
    /// Ticket.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub ticket: Option<TicketRule>,
    /// How old the last TOTP code may be.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub assurance: Option<Seconds>,
    /// Approval.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub approval: Option<Approval>,
    /// How it must end.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub lapse: Option<LapseRule>,
}

/// Names of the settings, as pins and traces use them.
const NAMES: [&str; 8] = ["longest", "usual", "starts", "reason", "ticket", "assurance", "approval", "lapse"];

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
    /// Checks a rule before it is taken in.
    ///
    /// # Errors
    /// Says which setting can't be used, and why.
    pub fn check(&self) -> Result<(), Refusal> {
        let settings = &self.settings;
        if *settings == Settings::default() {
            return Err(Refusal::invalid("this rule sets nothing; give at least one setting"));
        }
        for (name, value) in self.labels.iter().chain(&self.attributes) {
            check_label(name, value)?;
        }
        for pin in &self.pins {
            if !NAMES.contains(&pin.as_str()) {
                return Err(Refusal::invalid(format!(
                    "`{pin}` is not a setting that can be pinned; the settings are {}",
                    NAMES.join(", ")
                )));
            }
            if !is_set(settings, pin) {
                return Err(Refusal::invalid(format!(
                    "`{pin}` is pinned but not set by this rule; set it, or leave the pin out"
                )));
            }
        }
        let longest_possible = match self.act {
            Act::BeMadeEligible => Seconds::hours(24 * 366 * 10),
            Act::Elevate | Act::OpenSession | Act::SeeSecret => Seconds::hours(24 * 31),
        };
        if let Some(name) = NAMES.iter().find(|name| !self.act.knows(name) && is_set(settings, name)) {
            return Err(Refusal::invalid(format!(
                "`{name}` says nothing about making somebody eligible; set `longest`, `reason`, `assurance` or `approval`"
            )));
        }
        for (name, value) in
            [("longest", settings.longest), ("usual", settings.usual), ("assurance", settings.assurance)]
        {
            if value.is_some_and(|span| span.0 == 0 || span > longest_possible) {
                return Err(Refusal::invalid(format!("`{name}` must lie between 1 s and {longest_possible}")));
            }
        }
        if settings.assurance.is_some_and(|age| age > Seconds::hours(12)) {
            return Err(Refusal::invalid("`assurance` may be at most 12 h: asking always needs a fresh proof"));
        }
        if let (Some(usual), Some(longest)) = (settings.usual, settings.longest)
            && usual > longest
        {
            return Err(Refusal::invalid(format!("`usual` ({usual}) is longer than `longest` ({longest})")));
        }
        if let Some(pattern) = settings.ticket.as_ref().and_then(TicketRule::pattern) {
            whole(pattern).map_err(|error| {
                Refusal::invalid(format!("the ticket pattern `{pattern}` is not a regular expression: {error}"))
            })?;
        }
        if let Some(starts) = &settings.starts
            && !starts.at_yes
            && starts.at_time_within.is_none()
            && starts.begin_within.is_none()
        {
            return Err(Refusal::invalid("`starts` allows no way to start; allow at least one"));
        }
        if let Some(Approval::Stage { approvers, yes, no, within }) = &settings.approval
            && (approvers.is_empty() || *yes == 0 || *no == 0 || within.0 == 0)
        {
            return Err(Refusal::invalid("`approval` needs at least one approver, one yes, one no and a time"));
        }
        Ok(())
    }

    /// The rule as it stands, which a change of it carries.
    #[must_use]
    pub fn digest(&self) -> Digest {
        Digest::of_json(self)
    }

    /// Whether it says anything about an act on a right by an asker.
    #[must_use]
    pub fn fits(&self, world: &World, act: Act, right: Right, asker: SubjectId) -> bool {
        let Some(role) = world.roles.get(&right.role) else { return false };
        self.paused.is_none()
            && self.act == act
            && world.is_within(right.scope, self.scope)
            && self.role.as_ref().is_none_or(|name| world.are_same(name, &role.name))
            && self.weight.is_none_or(|weight| weight == role.weight)
            && world.target_of(right.scope).is_some_and(|target| target.has(&self.labels, &self.attributes))
            && self.asker.is_none_or(|who| world.belongs_to(asker, who))
    }

    /// Sorts the most specific first.
    fn specificity(&self, world: &World) -> (usize, u8, bool, u8) {
        let role = if self.role.is_some() { 2 } else { u8::from(self.weight.is_some()) };
        let asker = match self.asker.and_then(|id| world.subjects.get(&id)) {
            Some(subject) if subject.kind == crate::SubjectKind::Group => 1,
            Some(_) => 2,
            None => 0,
        };
        (world.depth(self.scope), role, !self.labels.is_empty(), asker)
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
    Err(Refusal::invalid(format!(
        "`{name}={value}` can't be a label: a name has 1 to 40 of a-z, 0-9, `-`, `_` and `.`, a value 1 to 80 letters"
    )))
}

/// Reads `stage=production` as a name and a value.
///
/// # Errors
/// Says how a label is written.
pub fn label_from(text: &str) -> Result<(&str, &str), Refusal> {
    let halves = text.split_once('=').map(|(name, value)| (name.trim(), value.trim()));
    halves.ok_or_else(|| Refusal::invalid(format!("`{text}` is no label; write it like stage=production")))
}

fn is_set(settings: &Settings, name: &str) -> bool {
    match name {
        "longest" => settings.longest.is_some(),
        "usual" => settings.usual.is_some(),
        "starts" => settings.starts.is_some(),
        "reason" => settings.reason.is_some(),
        "ticket" => settings.ticket.is_some(),
        "assurance" => settings.assurance.is_some(),
        "approval" => settings.approval.is_some(),
        "lapse" => settings.lapse.is_some(),
        _ => false,
    }
}
