//! Facts: what happened, with the rows as they stood after. Fat, versioned, and naming people by id.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Actor, AlarmId, AlarmKind, ConversionId, Door, DriftId, DutyId, DutyKind, ElevationId, EligibilityId, End, GrantId,
    Key, Reach, Right, Row, ScopeId, Seconds, StandingId, StartChoice, StopId, SubjectId, TermsId, Verdict, World,
    text::Digest,
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
    Proved { subject: SubjectId },
    SignInEnded { subject: SubjectId },
    PasskeyAdded { subject: SubjectId },
    PasskeyDropped { subject: SubjectId },
    DeviceLetIn { subject: SubjectId, program: String },
    DeviceRefused { subject: SubjectId },
    Refused { command: String, code: String, elevation: Option<ElevationId> },
    RefusalsDropped { subject: SubjectId, count: u32 },
    FolderAdded { scope: ScopeId },
    TargetAdded { scope: ScopeId },
    TargetSet { scope: ScopeId },
    SurveyAsked { target: ScopeId },
    Surveyed { target: ScopeId, digest: Digest, appeared: u32, vanished: u32, changed: u32 },
    SurveyHeld { target: ScopeId, digest: Digest, why: String },
    Searched { target: ScopeId, strays: u32 },
    StrayEnded { target: ScopeId, name: String },
    EligibilityGiven { eligibility: EligibilityId, subject: SubjectId, right: Right },
    EligibilityEnded { eligibility: EligibilityId, subject: SubjectId, right: Right },
    TermsSet { terms: TermsId, scope: ScopeId },
    TermsEnded { terms: TermsId, scope: ScopeId },
    SourceSet { target: ScopeId },
    SourceEnded { target: ScopeId },
    Imported { target: ScopeId, digest: Digest, added: u32, changed: u32, left: u32 },
    ImportHeld { target: ScopeId, digest: Digest, why: String },
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
            | Self::EligibilityEnded { .. } => Topic::People,
            Self::Founded { .. }
            | Self::EpochBegun { .. }
            | Self::KeyRotated { .. }
            | Self::FolderAdded { .. }
            | Self::TargetAdded { .. }
            | Self::TargetSet { .. }
            | Self::SurveyAsked { .. }
            | Self::Searched { .. }
            | Self::StrayEnded { .. } => Topic::Estate,
            Self::TermsSet { .. } | Self::TermsEnded { .. } => Topic::Terms,
            Self::AlarmRaised { .. } | Self::AlarmSettled { .. } => Topic::Alarms,
            Self::Stopped { .. } | Self::LiftAsked { .. } | Self::StopLifted { .. } => Topic::Stops,
            Self::EnrolmentIssued { .. }
            | Self::CredentialsSet { .. }
            | Self::Recovered { .. }
            | Self::SignedIn { .. }
            | Self::SignInFailed { .. }
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
            | Self::Proved { subject }
            | Self::SignInEnded { subject }
            | Self::PasskeyAdded { subject }
            | Self::PasskeyDropped { subject }
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
            Self::EligibilityGiven { subject, right, .. } | Self::EligibilityEnded { subject, right, .. } => {
                (about.subject, about.scope) = (Some(*subject), Some(right.scope));
            }
            Self::FolderAdded { scope }
            | Self::TargetAdded { scope }
            | Self::TargetSet { scope }
            | Self::TermsSet { scope, .. }
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
            | Self::Converted { .. }
            | Self::ConversionUndone { .. }
            | Self::WaveBegun { .. }
            | Self::WaveStopped { .. }
            | Self::DriftAdopted { .. }
            | Self::DriftIgnored { .. }
            | Self::DriftPutBack { .. }
            | Self::DriftOver { .. }
            | Self::AlarmRaised { .. }
            | Self::AlarmSettled { .. } => {}
        }
        about
    }

    /// What happened, as one plain sentence without its subject.
    #[must_use]
    pub fn sentence(&self, world: &World) -> String {
        let who = |id: &SubjectId| world.subject_name(*id);
        let verdict = |verdict: &Verdict| match verdict {
            Verdict::Yes => "yes",
            Verdict::No => "no",
        };
        match self {
            Self::Founded { installation } => format!("founded this installation, {installation}"),
            Self::EpochBegun { epoch, restored_size, .. } => {
                format!("began epoch {epoch} from a backup of {restored_size} facts")
            }
            Self::KeyRotated { key } => format!("changed the master key to {key}"),
            Self::SubjectAdded { subject } => format!("added {}", who(subject)),
            Self::MemberAdded { group, member } => format!("put {} into {}", who(member), who(group)),
            Self::MemberRemoved { group, member } => format!("took {} out of {}", who(member), who(group)),
            Self::Suspended { subject } => format!("suspended {}", who(subject)),
            Self::Resumed { subject } => format!("resumed {}", who(subject)),
            Self::AccountSet { subject, target } => {
                format!("named {}'s account on {}", who(subject), world.path(*target))
            }
            Self::DutyGiven { subject, duty_kind, scope, .. } => {
                format!("made {} {duty_kind:?} at {}", who(subject), world.path(*scope)).to_lowercase()
            }
            Self::DutyEnded { subject, duty_kind, scope, .. } => {
                format!("ended {}'s duty {duty_kind:?} at {}", who(subject), world.path(*scope)).to_lowercase()
            }
            Self::EnrolmentIssued { subject } => format!("issued an enrolment secret for {}", who(subject)),
            Self::CredentialsSet { subject } => format!("set password and TOTP of {}", who(subject)),
            Self::Recovered { subject } => format!("recovered the sign-in of {} on the machine", who(subject)),
            Self::SignedIn { subject } => format!("signed in as {}", who(subject)),
            Self::SignInFailed { subject } => format!("failed to sign in as {}", who(subject)),
            Self::Proved { subject } => format!("gave a fresh proof for {}", who(subject)),
            Self::PasskeyAdded { subject } => format!("added a passkey for {}", who(subject)),
            Self::PasskeyDropped { subject } => format!("dropped a passkey of {}", who(subject)),
            Self::DeviceLetIn { subject, program } => {
                format!("let {program} in for {}, to read and draft", who(subject))
            }
            Self::DeviceRefused { subject } => format!("refused to let a program in for {}", who(subject)),
            Self::SignInEnded { subject } => format!("ended a sign-in of {}", who(subject)),
            Self::Refused { command, code, elevation } => {
                let about = elevation.map_or_else(String::new, |id| format!(" {id}"));
                format!("was refused: {command}{about} ({code})")
            }
            Self::RefusalsDropped { count, .. } => format!("was refused {count} more times within a minute"),
            Self::FolderAdded { scope } => format!("added the folder {}", world.path(*scope)),
            Self::TargetAdded { scope } => format!("added the target {}", world.path(*scope)),
            Self::TargetSet { scope } => format!("changed the settings of {}", world.path(*scope)),
            Self::SurveyAsked { target } => format!("asked for a survey of {}", world.path(*target)),
            Self::Surveyed { target, appeared, vanished, changed, .. } => format!(
                "surveyed {}: {appeared} standing rights new, {vanished} gone, {changed} changed",
                world.path(*target)
            ),
            Self::SurveyHeld { target, why, .. } => format!("held a survey of {}: {why}", world.path(*target)),
            Self::Searched { target, strays } => {
                format!("searched {} for our marks, {strays} unexplained", world.path(*target))
            }
            Self::StrayEnded { target, name } => format!("ended the unexplained {name} on {}", world.path(*target)),
            Self::EligibilityGiven { subject, right, .. } => {
                format!("made {} eligible for {}", who(subject), world.right_name(*right))
            }
            Self::EligibilityEnded { subject, right, .. } => {
                format!("ended {}'s eligibility for {}", who(subject), world.right_name(*right))
            }
            Self::TermsSet { terms, scope } => format!("set terms {terms} at {}", world.path(*scope)),
            Self::TermsEnded { terms, scope } => format!("ended terms {terms} at {}", world.path(*scope)),
            Self::Converted { conversion, rights } => {
                format!("began conversion {conversion} of {rights} standing rights")
            }
            Self::ConversionUndone { conversion } => format!("began to undo conversion {conversion}"),
            Self::SourceSet { target } => format!("has people and groups come from {}", world.path(*target)),
            Self::SourceEnded { target } => format!("has nobody come from {} any more", world.path(*target)),
            Self::Imported { target, added, changed, left, .. } => format!(
                "took people and groups in from {}: {added} new, {changed} changed, {left} left",
                world.path(*target)
            ),
            Self::ImportHeld { target, why, .. } => format!("held what {} says of people: {why}", world.path(*target)),
            Self::DriftSeen { drift, .. } => match world.drifts.get(drift) {
                Some(known) => format!("noticed {drift}: {}", known.sentence(world)),
                None => format!("noticed {drift}"),
            },
            Self::DriftAdopted { drift } => format!("adopted {drift} as it is"),
            Self::DriftIgnored { drift, until } => {
                format!("will hear nothing of {drift} until {}", until.strftime("%F %R UTC"))
            }
            Self::DriftPutBack { drift, conversion } => format!("has {drift} put back, by {conversion}"),
            Self::DriftOver { drift } => format!("saw that {drift} is over by itself"),
            Self::WaveBegun { conversion, wave, rights } => {
                format!("began wave {} of {conversion}, {rights} standing rights", wave + 1)
            }
            Self::WaveStopped { conversion, failing, of } => {
                format!("stopped {conversion}: {failing} of the {of} rights of its wave can't be taken away")
            }
            Self::StandingTaken { conversion, standing, target } => {
                format!("took {standing} away on {} ({conversion}), read back", world.path(*target))
            }
            Self::StandingRestored { conversion, standing, target } => {
                format!("put {standing} back on {} ({conversion}), read back", world.path(*target))
            }
            Self::StandingDelayed { conversion, standing, trouble, .. } => {
                format!("{standing} of {conversion} waits: {trouble}")
            }
            Self::Asked { elevation, right } => format!("asked {elevation} for {}", world.right_name(*right)),
            Self::Answered { elevation, verdict: said } => format!("answered {elevation} with {}", verdict(said)),
            Self::Settled { elevation, verdict: said } => format!("settled {elevation}: {}", verdict(said)),
            Self::Readied { elevation, begins: Some(time), .. } => {
                format!("set {elevation} to begin at {}", time.strftime("%F %T UTC"))
            }
            Self::Readied { elevation, begin_by, .. } => {
                let by = begin_by.map_or_else(String::new, |by| format!(" until {}", by.strftime("%F %T UTC")));
                format!("made {elevation} ready, to be begun{by}")
            }
            Self::SentBack { elevation, why } => format!("sent {elevation} back to its approvers: {why}"),
            Self::Opening { elevation, until, .. } => {
                format!("began to open {elevation}, until {}", until.strftime("%F %T UTC"))
            }
            Self::Verified { elevation, .. } => format!("read {elevation} back from its target: live"),
            Self::Delayed { elevation, trouble: Some(trouble) } => format!("{elevation} waits: {trouble}"),
            Self::Delayed { elevation, trouble: None } => format!("{elevation} waits no longer"),
            Self::LoginShown { elevation, replaced } => {
                format!("showed the login of {elevation}{}", if *replaced { ", replacing the one before" } else { "" })
            }
            Self::Closing { elevation, end } => {
                format!("began to end {elevation} ({})", crate::Phase::Ended(*end))
            }
            Self::Ended { elevation, end, leftovers } => {
                let found = match leftovers {
                    0 => String::new(),
                    1 => ", with 1 leftover".to_owned(),
                    many => format!(", with {many} leftovers"),
                };
                format!("ended {elevation} ({}){found}", crate::Phase::Ended(*end))
            }
            Self::AlarmRaised { alarm, about } => format!("raised alarm {alarm}: {}", about.sentence(world)),
            Self::AlarmSettled { alarm } => format!("settled alarm {alarm}"),
            Self::Stopped { reach, ended, .. } => {
                let what = if *ended == 1 { "elevation" } else { "elevations" };
                format!("stopped {}, ending {ended} {what} and barring new asks", world.reach_name(*reach))
            }
            Self::LiftAsked { reach, .. } => {
                format!("was the first of two to lift the stop on {}", world.reach_name(*reach))
            }
            Self::StopLifted { reach, .. } => format!("lifted the stop on {}", world.reach_name(*reach)),
            Self::Narrowed { elevation, right, duration, start } => {
                let starts = match start {
                    StartChoice::At { time } => format!(", from {time}"),
                    StartChoice::AtYes | StartChoice::OnBegin => String::new(),
                };
                format!("narrowed {elevation} to {} for {duration}{starts}", world.right_name(*right))
            }
        }
    }
}

impl AlarmKind {
    /// The alarm as one plain sentence.
    #[must_use]
    pub fn sentence(&self, world: &World) -> String {
        let elevation = |grant: &GrantId| {
            world.grants.get(grant).map_or_else(
                || grant.to_string(),
                |grant| format!("{} ({})", grant.elevation, world.right_name(grant.right)),
            )
        };
        match self {
            Self::TakeLate { grant } => {
                format!("{} should have ended and is not read back as gone; it is tried until it is", elevation(grant))
            }
            Self::Missing { grant } => {
                format!(
                    "{} should be live and was not found on its target; somebody took it away behind our back",
                    elevation(grant)
                )
            }
            Self::LoginKept { grant } => format!(
                "the login of {} can't be dropped, since objects hang on it; it is left without sign-in, powers and members: \
                 hand the objects to somebody, drop it, and settle this",
                elevation(grant)
            ),
            Self::Stray { target } => {
                format!(
                    "something on {} bears our mark and no grant explains it; it is being ended",
                    world.path(*target)
                )
            }
            Self::SurveyHeld { target } => format!(
                "a survey of {} would change too much and waits for a person: `tempestas targets accept {}`",
                world.path(*target),
                world.path(*target)
            ),
            Self::ImportHeld { target } => format!(
                "what {} says of people waits for somebody to look, because too many would be gone: `tempestas people source accept {}`",
                world.path(*target),
                world.path(*target)
            ),
            Self::NewPower { drift } => match world.drifts.get(drift) {
                Some(known) => format!("on {}: {}", world.path(known.target), known.sentence(world)),
                None => format!("{drift}: an identity can do everything that could not before"),
            },
            Self::ConversionStopped { conversion } => {
                let why = world.conversions.get(conversion).and_then(|one| one.waves.as_ref()?.stopped.clone());
                format!(
                    "{conversion} stopped by itself: {}; look at it, then have it go on or undo it",
                    why.unwrap_or_else(|| "too many rights could not be taken away".to_owned())
                )
            }
            Self::ClockStep { seconds } => format!(
                "this machine's clock stepped by {seconds} s; nothing is opened until an administrator has looked and settles this alarm"
            ),
            Self::Recovered { person } => {
                format!("somebody with a shell on the machine recovered the sign-in of {}", world.subject_name(*person))
            }
            Self::Skew { target, seconds } => {
                format!("the clock of {} is {seconds} s away from ours; nothing is given there", world.path(*target))
            }
        }
    }
}
