//! Appointments: making somebody eligible, wishes for it, cover for an absence.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{AppointmentState, Digest, Seconds, Verdict, Weight};

use crate::{ElevationView, EligibilityView, StageView};

/// Who suspended something, and why.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct PauseView {
    /// Who.
    pub by: Option<String>,
    /// When.
    pub at: Timestamp,
    /// Why.
    pub reason: String,
}

/// Suspends an eligibility or a rule of terms.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct SuspendRequest {
    /// Why.
    pub reason: String,
}

/// Changes a window in place; what is left out stays.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct ChangeWindow {
    /// From when.
    pub from: Option<Timestamp>,
    /// Until when.
    pub until: Option<Timestamp>,
    /// Whether it is to have no end.
    pub for_good: bool,
    /// Why.
    pub reason: Option<String>,
}

/// Has somebody stand in for an absent person.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewCover {
    /// Who will be absent.
    pub absent: String,
    /// Who stands in.
    pub stand_in: String,
    /// From when; now, where it is left out.
    #[serde(default)]
    pub from: Option<Timestamp>,
    /// Until when.
    pub until: Timestamp,
    /// Why.
    #[serde(default)]
    pub reason: Option<String>,
}

/// Making one subject eligible for some rights.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AppointmentView {
    /// Reference.
    pub id: String,
    /// Who wished it.
    pub by: Option<String>,
    /// When.
    pub at: Timestamp,
    /// Who may ask, once it is made.
    pub who: String,
    /// For what.
    pub rights: Vec<String>,
    /// From when.
    pub from: Timestamp,
    /// Until when; none for good.
    pub until: Option<Timestamp>,
    /// Why.
    pub reason: Option<String>,
    /// For whom they stand in.
    pub covers: Option<String>,
    /// Where it stands.
    pub state: AppointmentState,
    /// In one plain sentence.
    pub sentence: String,
    /// Who has to say yes, stage by stage; empty where nobody has to.
    pub stages: Vec<StageView>,
    /// Whether it waits for the caller's answer.
    pub for_me: bool,
    /// What an answer has to carry.
    pub digest: Digest,
}

/// An appointment with the account of what was done by it.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct AppointmentStory {
    /// It.
    pub appointment: AppointmentView,
    /// Every elevation that rests on it, the latest first.
    pub elevations: Vec<ElevationView>,
}

/// What is looked for among what is offered.
#[derive(Debug, Clone, Default, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
pub struct OfferQuery {
    /// Words, each of which stands in the right or in what it lets one do.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub q: String,
}

/// A right that the caller is not eligible for, and may ask to be.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct OfferView {
    /// The right, as wide as it is offered.
    pub right: String,
    /// How much harm it can do.
    pub weight: Weight,
    /// What it lets one do, as its system says.
    pub lets: String,
    /// For how long at most, in seconds.
    pub longest: Option<Seconds>,
    /// How many letters and digits a reason has at least, where one is wanted.
    pub reason: Option<u16>,
    /// Who says yes, stage by stage.
    pub asked: Vec<Vec<String>>,
    /// Why nobody could say yes at present, where nobody could.
    pub trouble: Option<String>,
}

/// Asks to be made eligible.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct NewWish {
    /// For what: something that is offered, or less of it.
    #[schemars(regex(pattern = r"^[\s\S]+@/"))]
    pub right: String,
    /// That a group of one's own is; oneself, where it is left out.
    #[serde(default)]
    pub group: Option<String>,
    /// Until when.
    pub until: Timestamp,
    /// Why.
    #[serde(default)]
    pub reason: Option<String>,
}

/// What came of making somebody eligible, or of changing a window.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct EligibilityReply {
    /// The act, with whom it waits for; none where nothing was lengthened.
    pub appointment: Option<AppointmentView>,
    /// What there is now; none while a yes is wanted.
    pub eligibility: Option<EligibilityView>,
}

/// Answers a wish.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct AppointmentVerdict {
    /// Yes or no.
    pub verdict: Verdict,
    /// Why; always with a no.
    #[serde(default)]
    pub reason: Option<String>,
    /// Digest of what was looked at.
    pub shown: Digest,
}
