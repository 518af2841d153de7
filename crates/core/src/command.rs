//! Commands: everything that can be asked of the World, whatever the door.

use std::collections::BTreeMap;

use jiff::Timestamp;

use crate::{
    AlarmId, AlarmKind, AppointmentId, Connector, ConversionId, CredentialStep, Digest, DriftId, DutyId, DutyKind,
    ElevationId, EligibilityId, GrantId, Imported, Less, Mapping, Note, Reach, Right, Said, ScopeId, Seconds,
    StandingId, StartChoice, StopId, SubjectId, SubjectKind, Survey, Terms, TermsId, Verdict, WavePlan, World,
};

/// One command. What people may give is checked against the caller's duties in `decide`.
#[derive(Debug, Clone, PartialEq)]
#[expect(missing_docs, reason = "each field is the noun of its own name")]
#[expect(clippy::large_enum_variant, reason = "commands pass through; none is kept in this form")]
pub enum Command {
    // The house itself.
    /// The first fact: the root of the estate and the first administrator.
    Found {
        installation: String,
        administrator: Said,
    },
    /// After a restore: a new epoch, in which references skip ahead and every target is searched.
    BeginEpoch {
        restored_size: u64,
        restored_root: Digest,
    },
    /// Records an event that changes no row: sign-ins, shown secrets, refusals.
    Note(Note),
    /// Credentials were made anew: by the person themselves, an administrator, or on the machine.
    SetCredentials {
        subject: SubjectId,
        step: CredentialStep,
    },
    /// Raises an alarm, once while it is unsettled.
    RaiseAlarm(AlarmKind),
    /// Settles an alarm that a person may settle.
    SettleAlarm {
        alarm: AlarmId,
    },
    /// On the machine: makes somebody administrator of everything again.
    Recover {
        subject: SubjectId,
    },
    /// Time has passed.
    Tick,

    // Stop.
    Stop {
        reach: Reach,
        word: Said,
    },
    /// One of the two voices that lift a stop.
    LiftStop {
        stop: StopId,
    },

    // People.
    AddSubject {
        kind: SubjectKind,
        name: Said,
        about: Said,
        second_of: Option<SubjectId>,
    },
    AddMember {
        group: SubjectId,
        member: SubjectId,
    },
    RemoveMember {
        group: SubjectId,
        member: SubjectId,
    },
    Suspend {
        subject: SubjectId,
    },
    Resume {
        subject: SubjectId,
    },
    SetAccount {
        subject: SubjectId,
        target: ScopeId,
        account: Said,
    },
    GiveDuty {
        subject: SubjectId,
        kind: DutyKind,
        scope: ScopeId,
    },
    EndDuty {
        duty: DutyId,
    },

    // The estate.
    AddFolder {
        parent: ScopeId,
        name: String,
    },
    AddTarget {
        parent: ScopeId,
        name: String,
        connector: Connector,
        emergency_least: u32,
        alarm_after: Seconds,
    },
    /// Looks after a target no more. What is on it stays as it is there.
    EndTarget {
        target: ScopeId,
        reason: Said,
    },
    SetTarget {
        target: ScopeId,
        emergency_least: Option<u32>,
        alarm_after: Option<Seconds>,
        /// The target that it runs on; the inner none where it runs on none that we know.
        runs_on: Option<Option<ScopeId>>,
        /// For PostgreSQL: whether grants are put on people's own logins.
        own_login: Option<bool>,
        /// What administrators say of it, in place of what was said.
        labels: Option<BTreeMap<String, String>>,
    },
    /// A survey was taken. `accepted` when a person looked at one that was held.
    RecordSurvey {
        target: ScopeId,
        digest: Digest,
        survey: Box<Survey>,
        accepted: bool,
    },
    /// A sealed emergency holder was used, as the target's own log has it.
    SealedUsed {
        target: ScopeId,
        account: Said,
        at: Timestamp,
        /// Whether only a line says so that any account there could have written.
        claimed: bool,
    },
    /// The target was searched for our marks.
    RecordSearch {
        target: ScopeId,
        marked: Vec<crate::Marked>,
    },
    /// A stray was ended and read back as gone.
    StrayEnded {
        target: ScopeId,
        name: String,
    },

    // Eligibility and terms.
    GiveEligibility {
        subject: SubjectId,
        right: Right,
        from: Option<Timestamp>,
        until: Option<Timestamp>,
        reason: Option<Said>,
    },
    /// Changes a window in place; the inner none of `until` is for good. Its holder may wish that too.
    ChangeEligibility {
        eligibility: EligibilityId,
        from: Option<Timestamp>,
        until: Option<Option<Timestamp>>,
        reason: Option<Said>,
    },
    SuspendEligibility {
        eligibility: EligibilityId,
        reason: Said,
    },
    ResumeEligibility {
        eligibility: EligibilityId,
    },
    EndEligibility {
        eligibility: EligibilityId,
    },
    /// Has somebody stand in for an absent person, for what that person may ask for.
    Cover {
        absent: SubjectId,
        stand_in: SubjectId,
        from: Option<Timestamp>,
        until: Timestamp,
        reason: Option<Said>,
    },
    AnswerAppointment {
        appointment: AppointmentId,
        verdict: Verdict,
        reason: Option<Said>,
        shown: Digest,
    },
    /// Takes a wish back, or ends a cover early.
    EndAppointment {
        appointment: AppointmentId,
    },
    /// A new rule where its id is 0; else in the place of the one that has it.
    SetTerms {
        terms: Terms,
    },
    SuspendTerms {
        terms: TermsId,
        reason: Said,
    },
    ResumeTerms {
        terms: TermsId,
    },
    EndTerms {
        terms: TermsId,
    },

    // Sources of people.
    SetSource {
        target: ScopeId,
        mapping: Mapping,
    },
    EndSource {
        target: ScopeId,
    },
    /// A source was read. `accepted` when a person looked at a reading that was held.
    RecordImport {
        target: ScopeId,
        digest: Digest,
        imported: Box<Imported>,
        accepted: bool,
    },

    // Drift.
    AdoptDrift {
        drift: DriftId,
    },
    IgnoreDrift {
        drift: DriftId,
        reason: Said,
        until: Timestamp,
    },
    PutBackDrift {
        drift: DriftId,
    },

    // Conversion.
    Convert {
        chosen: Vec<StandingId>,
        shown: Digest,
        until: Option<Timestamp>,
        plan: WavePlan,
    },
    /// Begins the next wave.
    NextWave {
        conversion: ConversionId,
    },
    UndoConversion {
        conversion: ConversionId,
    },
    StandingTaken {
        conversion: ConversionId,
        standing: StandingId,
    },
    /// Read back as there; `by_others` where somebody had put it back before we did.
    StandingRestored {
        conversion: ConversionId,
        standing: StandingId,
        by_others: bool,
    },
    StandingDelayed {
        conversion: ConversionId,
        standing: StandingId,
        trouble: String,
    },

    // Elevation.
    Ask {
        right: Right,
        duration: Option<Seconds>,
        start: Option<StartChoice>,
        reason: Option<Said>,
        ticket: Option<Said>,
        shown: Digest,
    },
    Answer {
        elevation: ElevationId,
        verdict: Verdict,
        /// With a yes: to less than was asked for.
        less: Option<Less>,
        reason: Option<Said>,
        shown: Digest,
    },
    Withdraw {
        elevation: ElevationId,
    },
    Begin {
        elevation: ElevationId,
    },
    GiveBack {
        elevation: ElevationId,
    },
    Revoke {
        elevation: ElevationId,
        word: Said,
    },
    /// The holder is about to be shown a login.
    ShowLogin {
        elevation: ElevationId,
    },

    // What the keepers saw.
    GrantSeen {
        grant: GrantId,
        there: bool,
    },
    GrantDelayed {
        grant: GrantId,
        trouble: String,
    },
    GrantGone {
        grant: GrantId,
        leftovers: Vec<(Said, Option<Timestamp>, bool)>,
    },
}

impl Command {
    /// The elevation it is about, where there is one.
    #[must_use]
    pub const fn elevation(&self) -> Option<ElevationId> {
        match self {
            Self::Answer { elevation, .. }
            | Self::Withdraw { elevation }
            | Self::Begin { elevation }
            | Self::GiveBack { elevation }
            | Self::Revoke { elevation, .. }
            | Self::ShowLogin { elevation } => Some(*elevation),
            _ => None,
        }
    }

    /// The target that is reported on by it; none where it is no report, or is about what isn't there.
    #[must_use]
    pub fn reports_on(&self, world: &World) -> Option<ScopeId> {
        match self {
            Self::RecordSurvey { target, .. }
            | Self::RecordImport { target, .. }
            | Self::SealedUsed { target, .. }
            | Self::RecordSearch { target, .. }
            | Self::StrayEnded { target, .. } => Some(*target),
            Self::GrantSeen { grant, .. } | Self::GrantDelayed { grant, .. } | Self::GrantGone { grant, .. } => {
                Some(world.grants.get(grant)?.target)
            }
            Self::StandingTaken { conversion, standing }
            | Self::StandingRestored { conversion, standing, .. }
            | Self::StandingDelayed { conversion, standing, .. } => {
                let items = &world.conversions.get(conversion)?.items;
                Some(items.iter().find(|item| item.standing.id == *standing)?.standing.target)
            }
            Self::RaiseAlarm(about) => about.target(world),
            _ => None,
        }
    }

    /// A word for the ledger's entry about a refusal.
    #[must_use]
    pub const fn word(&self) -> &'static str {
        match self {
            Self::Found { .. } => "found",
            Self::BeginEpoch { .. } => "begin-epoch",
            Self::Note(_) => "note",
            Self::SetCredentials { .. } => "set-credentials",
            Self::RaiseAlarm(_) => "raise-alarm",
            Self::SettleAlarm { .. } => "settle-alarm",
            Self::Recover { .. } => "recover",
            Self::Tick => "tick",
            Self::Stop { .. } => "stop",
            Self::LiftStop { .. } => "lift-stop",
            Self::AddSubject { .. } => "add-subject",
            Self::AddMember { .. } => "add-member",
            Self::RemoveMember { .. } => "remove-member",
            Self::Suspend { .. } => "suspend",
            Self::Resume { .. } => "resume",
            Self::SetAccount { .. } => "set-account",
            Self::GiveDuty { .. } => "give-duty",
            Self::EndDuty { .. } => "end-duty",
            Self::AddFolder { .. } => "add-folder",
            Self::AddTarget { .. } => "add-target",
            Self::SetTarget { .. } => "set-target",
            Self::EndTarget { .. } => "end-target",
            Self::RecordSurvey { .. } => "record-survey",
            Self::SealedUsed { .. } => "sealed-used",
            Self::RecordSearch { .. } => "record-search",
            Self::StrayEnded { .. } => "stray-ended",
            Self::GiveEligibility { .. } => "give-eligibility",
            Self::ChangeEligibility { .. } => "change-eligibility",
            Self::SuspendEligibility { .. } => "suspend-eligibility",
            Self::ResumeEligibility { .. } => "resume-eligibility",
            Self::EndEligibility { .. } => "end-eligibility",
            Self::Cover { .. } => "cover",
            Self::AnswerAppointment { .. } => "answer-appointment",
            Self::EndAppointment { .. } => "end-appointment",
            Self::SuspendTerms { .. } => "suspend-terms",
            Self::ResumeTerms { .. } => "resume-terms",
            Self::SetTerms { .. } => "set-terms",
            Self::EndTerms { .. } => "end-terms",
            Self::SetSource { .. } => "set-source",
            Self::EndSource { .. } => "end-source",
            Self::RecordImport { .. } => "record-import",
            Self::AdoptDrift { .. } => "adopt-drift",
            Self::IgnoreDrift { .. } => "ignore-drift",
            Self::PutBackDrift { .. } => "put-back-drift",
            Self::Convert { .. } => "convert",
            Self::NextWave { .. } => "next-wave",
            Self::UndoConversion { .. } => "undo-conversion",
            Self::StandingTaken { .. } => "standing-taken",
            Self::StandingRestored { .. } => "standing-restored",
            Self::StandingDelayed { .. } => "standing-delayed",
            Self::Ask { .. } => "ask",
            Self::Answer { .. } => "answer",
            Self::Withdraw { .. } => "withdraw",
            Self::Begin { .. } => "begin",
            Self::GiveBack { .. } => "give-back",
            Self::Revoke { .. } => "revoke",
            Self::ShowLogin { .. } => "show-login",
            Self::GrantSeen { .. } => "grant-seen",
            Self::GrantDelayed { .. } => "grant-delayed",
            Self::GrantGone { .. } => "grant-gone",
        }
    }
}
