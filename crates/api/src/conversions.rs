//! Conversions: what one would do, how it would have fared, and how it goes on.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{
    Digest, ItemState, Seconds,
    rehearsal::{Advice, Rhythm},
};

use crate::{NewTerms, StandingView};

/// Standing rights to convert.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Chosen {
    /// References.
    pub chosen: Vec<String>,
}

/// What converting would do.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct PlanView {
    /// Right by right.
    pub items: Vec<PlanItemView>,
    /// Who is left with a critical right on each target.
    pub left: Vec<LeftView>,
    /// To be given back when applying it.
    pub digest: Digest,
}

/// One line of a plan.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct PlanItemView {
    /// The right.
    pub standing: StandingView,
    /// What is done on the target, in plain words.
    pub taken_away: String,
    /// Rights that go with it, being held through it.
    pub also_lost: Vec<String>,
    /// What the person may ask for afterwards, as a demand.
    pub may_ask: String,
    /// How often it is used, as far as its target tells.
    pub rhythm: Rhythm,
    /// Uses that were recorded.
    pub uses: u64,
    /// What that advises.
    pub advice: Advice,
    /// Why converting it is not plainly safe, in plain words; empty where it is.
    pub cautions: Vec<String>,
}

/// Who is left with a critical right on a target.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct LeftView {
    /// Path of the target, or of the part of it that loses a critical right.
    pub target: String,
    /// Accounts.
    pub accounts: Vec<String>,
    /// The least number that must stay.
    pub least: u32,
}

/// Applies a plan.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ConvertRequest {
    /// References.
    pub chosen: Vec<String>,
    /// Digest of the plan that was shown.
    pub shown: Digest,
    /// When the eligibilities end; never, where it is left out.
    #[serde(default)]
    pub until: Option<Timestamp>,
    /// What to call it.
    #[serde(default)]
    pub name: Option<String>,
    /// References of the rights that go first, by themselves.
    #[serde(default)]
    pub pilot: Vec<String>,
    /// How many rights go together after that; all, where it is left out.
    #[serde(default)]
    pub wave_size: Option<u32>,
    /// Seconds after a wave was read back whole until the next begins by itself; a person begins it, where it is left out.
    #[serde(default)]
    pub pace: Option<Seconds>,
    /// It stops by itself when more than so many of a hundred rights of a wave can't be taken away; 20, where it is left out.
    #[serde(default)]
    pub stop_percent: Option<u8>,
    /// For how many days it may be undone; 30, where it is left out.
    #[serde(default)]
    pub undo_days: Option<u16>,
}

impl ConvertRequest {
    /// All at once, with the eligibilities for good.
    #[must_use]
    pub const fn at_once(chosen: Vec<String>, shown: Digest) -> Self {
        Self {
            chosen,
            shown,
            until: None,
            name: None,
            pilot: Vec::new(),
            wave_size: None,
            pace: None,
            stop_percent: None,
            undo_days: None,
        }
    }
}

/// A conversion.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ConversionView {
    /// Reference.
    pub id: String,
    /// What it is called.
    pub name: Option<String>,
    /// Who applied it.
    pub by: String,
    /// When.
    pub at: Timestamp,
    /// When it was undone.
    pub undone_at: Option<Timestamp>,
    /// Whether everything was read back from the targets.
    pub settled: bool,
    /// How it goes on from wave to wave; none for one made before there were waves.
    pub waves: Option<WavesView>,
    /// Right by right.
    pub items: Vec<ItemView>,
}

/// How a conversion goes on from wave to wave.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct WavesView {
    /// How many there are.
    pub count: u32,
    /// How many have begun.
    pub begun: u32,
    /// When the next begins by itself; none where a person begins it, or there is none.
    pub goes_on_at: Option<Timestamp>,
    /// Whether a person may begin the next.
    pub may_go_on: bool,
    /// Why it stopped by itself.
    pub stopped: Option<String>,
    /// It stops by itself when more than so many of a hundred rights of a wave can't be taken away.
    pub stop_percent: u8,
    /// Until when it may be undone.
    pub undo_until: Timestamp,
}

/// One right of a conversion.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ItemView {
    /// Reference of the standing right.
    pub standing: String,
    /// The account.
    pub account: String,
    /// The right.
    pub right: String,
    /// Where it stands.
    pub state: ItemState,
    /// What is in the way, or was found.
    pub trouble: Option<String>,
    /// The wave it belongs to, the first being 1.
    pub wave: u32,
}

/// What to rehearse.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct RehearseRequest {
    /// References of standing rights.
    pub chosen: Vec<String>,
    /// How many days back; 90, where it is left out.
    #[serde(default)]
    pub days: Option<u16>,
    /// The time zone by whose clock it is night, by its IANA name; UTC, where it is left out.
    #[serde(default)]
    pub zone: Option<String>,
    /// A rule of terms to try besides those that hold.
    #[serde(default)]
    pub rule: Option<NewTerms>,
}

/// How a conversion would have fared, had it been made before.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct RehearsalView {
    /// From when activity was replayed.
    pub from: Timestamp,
    /// Until when.
    pub to: Timestamp,
    /// The time zone by whose clock it is night.
    pub zone: String,
    /// How many rights.
    pub rights: usize,
    /// Over everybody.
    pub all: RehearsedFigures,
    /// By person or program; whom to talk to first comes first.
    pub people: Vec<RehearsedPerson>,
    /// How many asks would have reached whom.
    pub approvers: Vec<RehearsedApprover>,
    /// Batches that would break.
    pub batches: Vec<RehearsedBatch>,
    /// How uses would have fared, by hour of the day.
    pub hours: Vec<RehearsedHour>,
    /// Rights of which nothing was recorded, and why.
    pub unseen: Vec<UnseenRight>,
    /// What it assumes, in plain sentences.
    pub assumes: Vec<String>,
}

/// Figures of a rehearsal.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct RehearsedFigures {
    /// Uses that were recorded.
    pub uses: u64,
    /// Asks there would have been.
    pub asks: u64,
    /// Asks a week.
    pub asks_a_week: f64,
    /// Asks made when nobody who may answer is usually there.
    pub unattended: u64,
    /// Of those, how many at night.
    pub at_night: u64,
    /// Uses that would have been refused.
    pub refused: u64,
    /// The longest wait, in seconds.
    pub longest_wait: Option<Seconds>,
    /// When it would have begun.
    pub longest_at: Option<Timestamp>,
}

/// How one person or program would have fared.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct RehearsedPerson {
    /// Name.
    pub who: String,
    /// Their figures.
    pub figures: RehearsedFigures,
    /// What to talk about, in plain words; none where nothing changes much for them.
    pub talk_about: Option<String>,
}

/// How many asks would have reached an approver.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct RehearsedApprover {
    /// Name.
    pub who: String,
    /// Asks.
    pub asks: u64,
    /// Asks a week.
    pub asks_a_week: f64,
}

/// A batch that would break.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct RehearsedBatch {
    /// Under whose name it runs.
    pub who: String,
    /// With which right.
    pub right: String,
    /// When, in plain words.
    pub when: String,
    /// How many uses.
    pub uses: u64,
}

/// How uses would have fared in one hour of the day.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct RehearsedHour {
    /// The hour, 0 to 23.
    pub hour: u8,
    /// At once.
    pub free: u64,
    /// After a wait, short of an hour.
    pub soon: u64,
    /// After an hour or more.
    pub late: u64,
    /// Not at all.
    pub refused: u64,
}

/// A right of which nothing was recorded.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct UnseenRight {
    /// Reference of the standing right.
    pub standing: String,
    /// Its account.
    pub account: String,
    /// The right.
    pub right: String,
    /// Whether its target tells of uses, so that it was not used; or doesn't, so that nothing is known.
    pub told: bool,
}
