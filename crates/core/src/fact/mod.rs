//! Facts: what happened, with the rows as they stood after. Fat, versioned, and naming people by id.

mod words;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Actor, AlarmId, AlarmKind, AppointmentId, AppointmentState, ConversionId, Door, DriftId, DutyId, DutyKind,
    ElevationId, EligibilityId, End, GrantId, Key, Reach, Right, Row, ScopeId, Seconds, StandingId, StartChoice,
    StopId, SubjectId, TermsId, Verdict,
    text::{Digest, Words},
};

/// The version that new facts are written in. Old ones are never edited; each has one upcast to this.
pub const FACT_VERSION: u16 = 1;

/// One thing that happened.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Fact {
    /// Version of this form.
    pub v: u16,
    /// When; never earlier than the fact before.
    pub at: Timestamp,
    /// Who.
    pub by: Actor,
    /// Network address, as a salted digest.
    #[serde(skip_serializing_if = "Option::is_none", default)]
    pub from: Option<Digest>,
    /// The way it came in.
    pub door: Door,
    /// What happened.
    pub what: What,
    /// Rows as they stand after.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub put: Vec<Row>,
    /// Rows that are gone after.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub cut: Vec<Key>,
}

impl Fact {
    /// The exact bytes that the ledger hashes.
    ///
    /// # Errors
    /// When a row can't be written as JSON, which no row in use does.
    pub fn to_bytes(&self) -> Result<Vec<u8>, serde_json::Error> {
        serde_json::to_vec(self)
    }

    /// Reads a fact, of this version or an older one.
    ///
    /// # Errors
    /// Says what can't be read, or that a newer program wrote it.
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, String> {
        #[derive(Deserialize)]
        struct Version {
            v: u16,
        }
        let Version { v } = serde_json::from_slice(bytes).map_err(|error| error.to_string())?;
        match v {
            FACT_VERSION => serde_json::from_slice(bytes).map_err(|error| error.to_string()),
            v => Err(format!("fact of version {v}; this program reads up to {FACT_VERSION}")),
        }
    }
}

/// What happened, in the least that a reader needs.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", tag = "kind")]
#[expect(missing_docs, reason = "the sentence of each stands in `What::sentence`")]
pub enum What {
    Founded { installation: String },
    EpochBegun { epoch: u32, restored_size: u64, restored_root: Digest },
    KeyRotated { key: String },
    AuthoritiesChanged { step: String },
    SubjectAdded { subject: SubjectId },
    MemberAdded { group: SubjectId, member: SubjectId },
    MemberRemoved { group: SubjectId, member: SubjectId },
    Suspended { subject: SubjectId },
    Resumed { subject: SubjectId },
    AccountSet { subject: SubjectId, target: ScopeId },
    DutyGiven { duty: DutyId, subject: SubjectId, duty_kind: DutyKind, scope: ScopeId },
    DutyEnded { duty: DutyId, subject: SubjectId, duty_kind: DutyKind, scope: ScopeId },
    EnrolmentIssued { subject: SubjectId },
    CredentialsSet { subject: SubjectId },
    Recovered { subject: SubjectId },
    SignedIn { subject: SubjectId },
    SignInFailed { subject: SubjectId },
    NameUnknown {},
    ProofFailed { subject: SubjectId },
    Exported { export: Export },
    Proved { subject: SubjectId },
    SignInEnded { subject: SubjectId },
    PasskeyAdded { subject: SubjectId },
    PasskeyDropped { subject: SubjectId },
    DeviceLetIn { subject: SubjectId, program: Words },
    DeviceRefused { subject: SubjectId },
    Refused { command: String, code: String, elevation: Option<ElevationId> },
    RefusalsDropped { subject: SubjectId, count: u32 },
    FolderAdded { scope: ScopeId },
    TargetAdded { scope: ScopeId },
    TargetSet { scope: ScopeId },
    TargetEnded { scope: ScopeId, reason: Digest },
    SurveyAsked { target: ScopeId },
    Surveyed { target: ScopeId, digest: Digest, appeared: u32, vanished: u32, changed: u32 },
    SurveyHeld { target: ScopeId, digest: Digest, why: String },
    Searched { target: ScopeId, strays: u32 },
    StrayEnded { target: ScopeId, name: String },
    EligibilityGiven { eligibility: EligibilityId, subject: SubjectId, right: Right },
    EligibilityEnded { eligibility: EligibilityId, subject: SubjectId, right: Right },
    EligibilitySuspended { eligibility: EligibilityId, subject: SubjectId, right: Right },
    EligibilityResumed { eligibility: EligibilityId, subject: SubjectId, right: Right },
    AppointmentWished { appointment: AppointmentId, subject: SubjectId, rights: u32 },
    AppointmentAnswered { appointment: AppointmentId, verdict: Verdict },
    AppointmentEnded { appointment: AppointmentId, state: AppointmentState },
    CoverBegun { appointment: AppointmentId, absent: SubjectId, subject: SubjectId, rights: u32 },
    TermsSet { terms: TermsId, scope: ScopeId },
    TermsSuspended { terms: TermsId, scope: ScopeId },
    TermsResumed { terms: TermsId, scope: ScopeId },
    TermsEnded { terms: TermsId, scope: ScopeId },
    SourceSet { target: ScopeId },
    SourceEnded { target: ScopeId },
    Imported { target: ScopeId, digest: Digest, added: u32, changed: u32, left: u32 },
    ImportHeld { target: ScopeId, digest: Digest, why: Words },
    DriftSeen { drift: DriftId, target: ScopeId },
    DriftAdopted { drift: DriftId },
    DriftIgnored { drift: DriftId, until: Timestamp },
    DriftPutBack { drift: DriftId, conversion: ConversionId },
    DriftOver { drift: DriftId },
    Converted { conversion: ConversionId, rights: u32 },
    ConversionUndone { conversion: ConversionId },
    WaveBegun { conversion: ConversionId, wave: u32, rights: u32 },
    WaveStopped { conversion: ConversionId, failing: u32, of: u32 },
    StandingTaken { conversion: ConversionId, standing: StandingId, target: ScopeId },
    StandingRestored { conversion: ConversionId, standing: StandingId, target: ScopeId },
    StandingDelayed { conversion: ConversionId, standing: StandingId, target: ScopeId, trouble: String },
    Asked { elevation: ElevationId, right: Right },
    Answered { elevation: ElevationId, verdict: Verdict },
    Settled { elevation: ElevationId, verdict: Verdict },
    Readied { elevation: ElevationId, begins: Option<Timestamp>, begin_by: Option<Timestamp> },
    SentBack { elevation: ElevationId, why: String },
    Opening { elevation: ElevationId, grant: GrantId, until: Timestamp },
    Verified { elevation: ElevationId, grant: GrantId },
    Delayed { elevation: ElevationId, trouble: Option<String> },
    LoginShown { elevation: ElevationId, replaced: bool },
    Closing { elevation: ElevationId, end: End },
    Ended { elevation: ElevationId, end: End, leftovers: u32 },
    AlarmRaised { alarm: AlarmId, about: AlarmKind },
    AlarmSettled { alarm: AlarmId },
    Stopped { stop: StopId, reach: Reach, ended: u32 },
    LiftAsked { stop: StopId, reach: Reach },
    StopLifted { stop: StopId, reach: Reach },
    Narrowed { elevation: ElevationId, right: Right, duration: Seconds, start: StartChoice },
}

/// What somebody took away as a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Export {
    /// The record as CSV, as far as they see it.
    Record,
    /// The whole ledger.
    Ledger,
    /// One entry with its proof.
    Proof,
}

/// A list that facts change. Live messages carry nothing more of a fact than this.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Topic {
    /// Asks, answers, grants.
    Elevations,
    /// Standing rights and conversions.
    Standing,
    /// People, groups, duties, eligibilities.
    People,
    /// Scopes, targets, surveys.
    Estate,
    /// Rules of terms.
    Terms,
    /// Alarms.
    Alarms,
    /// Stops.
    Stops,
    /// Nothing but the record itself.
    Record,
}

/// What a fact concerns, for filters and for Sight.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct About {
    /// An elevation.
    pub elevation: Option<ElevationId>,
    /// A subject.
    pub subject: Option<SubjectId>,
    /// A scope.
    pub scope: Option<ScopeId>,
}

impl What {
    /// The kind as a word, as filters take it.
    #[must_use]
    pub fn kind(&self) -> String {
        serde_json::to_value(self)
            .ok()
            .and_then(|value| value.get("kind").and_then(|kind| kind.as_str().map(str::to_owned)))
            .unwrap_or_default()
    }

    /// The list that it changed, for those who look at it.
    #[must_use]
    pub const fn topic(&self) -> Topic {
        match self {
            Self::Asked { .. }
            | Self::Answered { .. }
            | Self::Narrowed { .. }
            | Self::Settled { .. }
            | Self::Readied { .. }
            | Self::SentBack { .. }
            | Self::Opening { .. }
            | Self::Verified { .. }
            | Self::Delayed { .. }
            | Self::LoginShown { .. }
            | Self::Closing { .. }
            | Self::Ended { .. } => Topic::Elevations,
            Self::Surveyed { .. }
            | Self::SurveyHeld { .. }
            | Self::Converted { .. }
            | Self::ConversionUndone { .. }
            | Self::WaveBegun { .. }
            | Self::WaveStopped { .. }
            | Self::DriftSeen { .. }
            | Self::DriftAdopted { .. }
            | Self::DriftIgnored { .. }
            | Self::DriftPutBack { .. }
            | Self::DriftOver { .. }
            | Self::StandingTaken { .. }
            | Self::StandingRestored { .. }
            | Self::StandingDelayed { .. } => Topic::Standing,
            Self::SourceSet { .. }
            | Self::SourceEnded { .. }
            | Self::Imported { .. }
            | Self::ImportHeld { .. }
            | Self::SubjectAdded { .. }
            | Self::MemberAdded { .. }
            | Self::MemberRemoved { .. }
            | Self::Suspended { .. }
            | Self::Resumed { .. }
            | Self::AccountSet { .. }
            | Self::DutyGiven { .. }
            | Self::DutyEnded { .. }
            | Self::EligibilityGiven { .. }
            | Self::EligibilitySuspended { .. }
            | Self::EligibilityResumed { .. }
            | Self::AppointmentWished { .. }
            | Self::AppointmentAnswered { .. }
            | Self::AppointmentEnded { .. }
            | Self::CoverBegun { .. }
            | Self::EligibilityEnded { .. } => Topic::People,
            Self::Founded { .. }
            | Self::EpochBegun { .. }
            | Self::KeyRotated { .. }
            | Self::AuthoritiesChanged { .. }
            | Self::FolderAdded { .. }
            | Self::TargetAdded { .. }
            | Self::TargetSet { .. }
            | Self::TargetEnded { .. }
            | Self::SurveyAsked { .. }
            | Self::Searched { .. }
            | Self::StrayEnded { .. } => Topic::Estate,
            Self::TermsSet { .. }
            | Self::TermsSuspended { .. }
            | Self::TermsResumed { .. }
            | Self::TermsEnded { .. } => Topic::Terms,
            Self::AlarmRaised { .. } | Self::AlarmSettled { .. } => Topic::Alarms,
            Self::Stopped { .. } | Self::LiftAsked { .. } | Self::StopLifted { .. } => Topic::Stops,
            Self::EnrolmentIssued { .. }
            | Self::CredentialsSet { .. }
            | Self::Recovered { .. }
            | Self::SignedIn { .. }
            | Self::SignInFailed { .. }
            | Self::NameUnknown {}
            | Self::ProofFailed { .. }
            | Self::Exported { .. }
            | Self::Proved { .. }
            | Self::SignInEnded { .. }
            | Self::PasskeyAdded { .. }
            | Self::PasskeyDropped { .. }
            | Self::DeviceLetIn { .. }
            | Self::DeviceRefused { .. }
            | Self::Refused { .. }
            | Self::RefusalsDropped { .. } => Topic::Record,
        }
    }

    /// What it concerns.
    #[must_use]
    pub fn about(&self) -> About {
        let mut about = About::default();
        match self {
            Self::SubjectAdded { subject }
            | Self::Suspended { subject }
            | Self::Resumed { subject }
            | Self::EnrolmentIssued { subject }
            | Self::CredentialsSet { subject }
            | Self::Recovered { subject }
            | Self::SignedIn { subject }
            | Self::SignInFailed { subject }
            | Self::ProofFailed { subject }
            | Self::Proved { subject }
            | Self::SignInEnded { subject }
            | Self::PasskeyAdded { subject }
            | Self::PasskeyDropped { subject }
            | Self::AppointmentWished { subject, .. }
            | Self::CoverBegun { subject, .. }
            | Self::DeviceLetIn { subject, .. }
            | Self::DeviceRefused { subject }
            | Self::RefusalsDropped { subject, .. } => about.subject = Some(*subject),
            Self::MemberAdded { member, .. } | Self::MemberRemoved { member, .. } => {
                about.subject = Some(*member);
            }
            Self::AccountSet { subject, target: scope }
            | Self::DutyGiven { subject, scope, .. }
            | Self::DutyEnded { subject, scope, .. } => {
                (about.subject, about.scope) = (Some(*subject), Some(*scope));
            }
            Self::EligibilityGiven { subject, right, .. }
            | Self::EligibilitySuspended { subject, right, .. }
            | Self::EligibilityResumed { subject, right, .. }
            | Self::EligibilityEnded { subject, right, .. } => {
                (about.subject, about.scope) = (Some(*subject), Some(right.scope));
            }
            Self::FolderAdded { scope }
            | Self::TargetAdded { scope }
            | Self::TargetSet { scope }
            | Self::TargetEnded { scope, .. }
            | Self::TermsSet { scope, .. }
            | Self::TermsSuspended { scope, .. }
            | Self::TermsResumed { scope, .. }
            | Self::TermsEnded { scope, .. } => about.scope = Some(*scope),
            Self::SurveyAsked { target }
            | Self::Surveyed { target, .. }
            | Self::SurveyHeld { target, .. }
            | Self::Searched { target, .. }
            | Self::StrayEnded { target, .. }
            | Self::DriftSeen { target, .. }
            | Self::SourceSet { target }
            | Self::SourceEnded { target }
            | Self::Imported { target, .. }
            | Self::ImportHeld { target, .. }
            | Self::StandingTaken { target, .. }
            | Self::StandingRestored { target, .. }
            | Self::StandingDelayed { target, .. } => about.scope = Some(*target),
            Self::Asked { elevation, right } => {
                (about.elevation, about.scope) = (Some(*elevation), Some(right.scope));
            }
            Self::Answered { elevation, .. }
            | Self::Settled { elevation, .. }
            | Self::Readied { elevation, .. }
            | Self::SentBack { elevation, .. }
            | Self::Opening { elevation, .. }
            | Self::Verified { elevation, .. }
            | Self::Delayed { elevation, .. }
            | Self::LoginShown { elevation, .. }
            | Self::Closing { elevation, .. }
            | Self::Ended { elevation, .. } => about.elevation = Some(*elevation),
            Self::Narrowed { elevation, right, .. } => {
                (about.elevation, about.scope) = (Some(*elevation), Some(right.scope));
            }
            Self::Stopped { reach, .. } | Self::LiftAsked { reach, .. } | Self::StopLifted { reach, .. } => match reach
            {
                Reach::Person(person) => about.subject = Some(*person),
                Reach::Scope(scope) => about.scope = Some(*scope),
            },
            Self::Refused { elevation, .. } => about.elevation = *elevation,
            Self::Founded { .. }
            | Self::EpochBegun { .. }
            | Self::KeyRotated { .. }
            | Self::AuthoritiesChanged { .. }
            | Self::NameUnknown {}
            | Self::Exported { .. }
            | Self::Converted { .. }
            | Self::ConversionUndone { .. }
            | Self::WaveBegun { .. }
            | Self::WaveStopped { .. }
            | Self::DriftAdopted { .. }
            | Self::DriftIgnored { .. }
            | Self::DriftPutBack { .. }
            | Self::DriftOver { .. }
            | Self::AppointmentAnswered { .. }
            | Self::AppointmentEnded { .. }
            | Self::AlarmRaised { .. }
            | Self::AlarmSettled { .. } => {}
        }
        about
    }
}
