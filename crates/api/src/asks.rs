//! Asking, and asking to go on.

use std::collections::{BTreeMap, BTreeSet};

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{Digest, Lapse, ProofMethod, ReasonRule, ReferenceRule, Seconds, StartChoice, Starts, Weight};

/// What an asker has to bring beside a proof of themselves, and may.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Wants {
    /// Purposes of which one is named; none where the list is empty.
    pub purposes: Vec<String>,
    /// Whether a reason is given in words of one's own, and of how many letters at least.
    pub reason: ReasonRule,
    /// Whether a ticket is given, and of which form.
    pub ticket: ReferenceRule,
    /// Further references by name: whether each is given, and of which form.
    pub references: BTreeMap<String, ReferenceRule>,
}

/// What an asker brings beside a proof of themselves.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct Brings {
    /// Which of the purposes that the terms list.
    pub purpose: Option<String>,
    /// Why, in words of one's own.
    pub reason: Option<String>,
    /// Ticket.
    pub ticket: Option<String>,
    /// Further references, by the names that the terms give them.
    pub references: BTreeMap<String, String>,
}

impl Brings {
    /// Brings what was brought before, as far as it is wanted and nothing else is brought in its place.
    pub fn fill(&mut self, before: Self, wants: &Wants) {
        let Self { purpose, reason, ticket, references } = before;
        let purpose = purpose.filter(|purpose| wants.purposes.contains(purpose));
        let reason = reason.filter(|_| wants.reason != ReasonRule::Hidden);
        let ticket = ticket.filter(|_| wants.ticket != ReferenceRule::Off);
        self.purpose = self.purpose.take().or(purpose);
        self.reason = self.reason.take().or(reason);
        self.ticket = self.ticket.take().or(ticket);
        for (name, reference) in references.into_iter().filter(|(name, _)| wants.references.contains_key(name)) {
            self.references.entry(name).or_insert(reference);
        }
    }

    /// With a reason alone.
    pub fn reason(reason: impl Into<String>) -> Self {
        Self { reason: Some(reason.into()), ..Self::default() }
    }
}

/// What to ask for, to be shown the demand first.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct PreviewRequest {
    /// The right, `role@/path`.
    #[schemars(regex(pattern = r"^[\s\S]+@/"))]
    pub right: String,
    /// For how long, in seconds; the usual time where it is left out.
    #[serde(default)]
    pub duration: Option<Seconds>,
    /// When the clock starts; where it is left out, at the yes if the terms allow it, or else when the holder begins.
    #[serde(default)]
    pub start: Option<StartChoice>,
    /// Whether the caller breaks the glass for it: one of the few whom the terms name, with nobody asked.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub glass: bool,
}

/// Everything an ask will need.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct DemandView {
    /// The right.
    pub right: String,
    /// What the role lets one do.
    pub says: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// The whole demand as one plain sentence.
    pub sentence: String,
    /// For how long it would be, in seconds.
    pub duration: Seconds,
    /// Longest that the terms allow, in seconds.
    pub longest: Seconds,
    /// Usual time, in seconds.
    pub usual: Seconds,
    /// How the clock may start.
    pub starts: Starts,
    /// How old the caller's proof may be, in seconds.
    pub proof_within: Seconds,
    /// Which proofs are accepted; any where none is named.
    #[serde(default)]
    pub proof_accepts: BTreeSet<ProofMethod>,
    /// What the caller has to bring beside a proof, and may.
    pub wants: Wants,
    /// Scopes below the one asked for, which are less.
    pub narrower: Vec<String>,
    /// Who would be asked, stage by stage; empty where nobody is.
    pub stages: Vec<StageAskedView>,
    /// Whether the glass would be broken for it.
    #[serde(default)]
    pub glass: bool,
    /// How it ends on the target.
    pub ends: Lapse,
    /// To be given back with the ask.
    pub digest: Digest,
}

/// An ask.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AskRequest {
    /// The right, `role@/path`.
    #[schemars(regex(pattern = r"^[\s\S]+@/"))]
    pub right: String,
    /// For how long, in seconds; the usual time where it is left out.
    #[serde(default)]
    pub duration: Option<Seconds>,
    /// When the clock starts; where it is left out, at the yes if the terms allow it, or else when the holder begins.
    #[serde(default)]
    pub start: Option<StartChoice>,
    /// Whether the caller breaks the glass for it: one of the few whom the terms name, with nobody asked.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub glass: bool,
    /// What the asker brings.
    #[serde(default)]
    pub brings: Brings,
    /// Digest of the demand that was shown.
    pub shown: Digest,
}

/// How much longer to go on with an elevation, to be shown the demand first.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ExtensionPreview {
    /// How much longer, in seconds; the usual time where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub more: Option<Seconds>,
}

/// Everything that going on with an elevation will need.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ExtensionDemand {
    /// The whole demand as one plain sentence.
    pub sentence: String,
    /// How much longer, in seconds.
    pub more: Seconds,
    /// Until when it would go on.
    pub until: Timestamp,
    /// The latest end there could be.
    pub latest: Timestamp,
    /// Longest that it goes on at a time, in seconds.
    pub longest: Seconds,
    /// How old the caller's proof may be, in seconds.
    pub proof_within: Seconds,
    /// What the caller has to bring beside a proof, and may.
    pub wants: Wants,
    /// Who would be asked, stage by stage; empty where nobody is.
    pub stages: Vec<StageAskedView>,
    /// To be given back with the ask.
    pub digest: Digest,
}

/// An ask to go on with an elevation.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ExtensionRequest {
    /// How much longer, in seconds; the usual time where it is left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub more: Option<Seconds>,
    /// What the asker brings.
    #[serde(default)]
    pub brings: Brings,
    /// Digest of the demand that was shown.
    pub shown: Digest,
}

/// What was asked for at first, where an approver said yes to less.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AskedView {
    /// The right.
    pub right: String,
    /// For how long, in seconds.
    pub duration: Seconds,
    /// When the clock was to start.
    pub start: StartChoice,
}

/// Who would be asked in one stage.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct StageAskedView {
    /// Who may answer.
    pub approvers: Vec<String>,
    /// How many yes settle it.
    pub yes: u16,
    /// How long it waits, in seconds.
    pub within: Seconds,
    /// Who is asked as well then; nobody where it runs out.
    pub onward: Vec<String>,
    /// Who is named, and away.
    pub away: Vec<AwayView>,
}

/// That somebody is away, and who is asked in their place.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AwayView {
    /// Who is away.
    pub who: String,
    /// Who is asked.
    pub delegate: String,
    /// Until when they are away.
    pub until: Timestamp,
}

#[cfg(test)]
mod tests {
    use super::*;

    fn brought() -> Brings {
        Brings {
            purpose: Some("patching".to_owned()),
            reason: Some("the crane again".to_owned()),
            ticket: Some("CHG-2024".to_owned()),
            references: [("visit", "V-1"), ("order", "O-1")]
                .map(|(name, said)| (name.to_owned(), said.to_owned()))
                .into(),
        }
    }

    #[test]
    fn what_was_brought_before_is_brought_again_as_far_as_it_is_wanted_and_nothing_else_is_said() {
        let off = Wants {
            purposes: vec!["an incident".to_owned()],
            reason: ReasonRule::Hidden,
            ticket: ReferenceRule::Off,
            references: BTreeMap::new(),
        };
        let mut brings = Brings::default();
        brings.fill(brought(), &off);
        assert_eq!(brings, Brings::default(), "nothing of it is wanted any more");
        let wanted = Wants {
            purposes: vec!["patching".to_owned()],
            reason: ReasonRule::Optional,
            ticket: ReferenceRule::Optional { pattern: None },
            references: [("visit".to_owned(), ReferenceRule::Required { pattern: None })].into(),
        };
        let mut brings = Brings::reason("another one");
        brings.fill(brought(), &wanted);
        let references = [("visit".to_owned(), "V-1".to_owned())].into();
        assert_eq!(brings, Brings { reason: Some("another one".to_owned()), references, ..brought() });
    }
}
