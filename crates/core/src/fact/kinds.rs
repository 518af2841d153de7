//! Every kind of fact, by noun: what it carries, what it is about, and what it says.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use super::{About, Export, Topic};
use crate::{
    AlarmId, AlarmKind, AppointmentId, AppointmentState, ConversionId, DelegationId, DriftId, DutyId, DutyKind,
    ElevationId, EligibilityId, End, FilingId, Finding, GrantId, HeldBecause, Lack, Reach, Right, ScopeId, Seconds,
    SentBackBecause, StandingId, StartChoice, StopId, SubjectId, TermsId, Verdict, World,
    text::{Digest, Words},
    words::{Sentence, Worded},
};

/// What a field of a fact adds to what the fact is about.
trait Concerns {
    fn concern(&self, about: &mut About);
}

impl Concerns for ElevationId {
    fn concern(&self, about: &mut About) {
        about.elevation = Some(*self);
    }
}

impl Concerns for SubjectId {
    fn concern(&self, about: &mut About) {
        about.subject = Some(*self);
    }
}

impl Concerns for ScopeId {
    fn concern(&self, about: &mut About) {
        about.scope = Some(*self);
    }
}

impl Concerns for Right {
    fn concern(&self, about: &mut About) {
        self.scope.concern(about);
    }
}

impl Concerns for Reach {
    fn concern(&self, about: &mut About) {
        match self {
            Self::Person(person) => person.concern(about),
            Self::Scope(scope) => scope.concern(about),
        }
    }
}

impl<T: Concerns> Concerns for Option<T> {
    fn concern(&self, about: &mut About) {
        self.iter().for_each(|it| it.concern(about));
    }
}

macro_rules! facts {
    ($($topic:ident {$(
        $kind:ident { $($field:ident: $type:ty),* $(,)? } about [$($about:ident)*]
            $(where |$world:ident| $($also:ident = $value:expr),+;)? $says:expr;
    )*})*) => {
        /// What happened, in the least that a reader needs.
        #[derive(Debug, Clone, PartialEq, Serialize, Deserialize, JsonSchema, strum::IntoStaticStr, strum::VariantNames)]
        #[serde(rename_all = "kebab-case", rename_all_fields = "kebab-case", tag = "kind")]
        #[strum(serialize_all = "kebab-case")]
        #[expect(missing_docs, reason = "the table says what each is in a sentence of its own")]
        pub enum What {
            $($($kind { $($field: $type),* },)*)*
        }

        impl What {
            /// The list that it changed, for those who look at it.
            #[must_use]
            pub const fn topic(&self) -> Topic {
                match self { $($(Self::$kind { .. } => Topic::$topic,)*)* }
            }

            /// What it concerns.
            #[must_use]
            #[expect(unused_variables, reason = "not every field is what its fact is about")]
            pub fn about(&self) -> About {
                let mut about = About::default();
                match self { $($(Self::$kind { $($field),* } => { $($about.concern(&mut about);)* })*)* }
                about
            }

            /// What happened, as one plain sentence without its subject.
            #[must_use]
            pub fn sentence(&self, world: &World) -> Sentence {
                match self {
                    $($(Self::$kind { $($field),* } => {
                        $(let $world = world; $(let $also = $value;)+)?
                        let named: &[(&str, &dyn Worded)] = &[
                            $((stringify!($field), $field as &dyn Worded),)*
                            $($((stringify!($also), &$also as &dyn Worded),)+)?
                        ];
                        Sentence::filled(world, $says, named)
                    })*)*
                }
            }
        }
    };
}

facts! {
    Estate {
        Founded { installation: String } about [] "founded this installation, {installation}";
        EpochBegun { epoch: u32, restored_size: u64, restored_root: Digest } about []
            "began epoch {epoch} from a backup of {restored_size} facts";
        KeyRotated { key: String } about [] "changed the master key to {key}";
        AuthoritiesChanged { step: String } about [] "took the SSH authorities a step further: {step}";
        FolderAdded { scope: ScopeId } about [scope] "added the folder {scope}";
        TargetAdded { scope: ScopeId } about [scope] "added the target {scope}";
        TargetSet { scope: ScopeId } about [scope] "changed the settings of {scope}";
        SealTried { target: ScopeId, account: Digest, due: Timestamp } about [target]
            "saw `{account}`, a sealed emergency holder of {target}, tried; it is to be tried again by {due}";
        TargetEnded { scope: ScopeId, reason: Digest } about [scope]
            "let {scope} go, which is looked after no more: {reason}";
        SurveyAsked { target: ScopeId } about [target] "asked for a survey of {target}";
        Searched { target: ScopeId, strays: u32 } about [target]
            "searched {target} for our marks, {strays} unexplained";
        StrayEnded { target: ScopeId, name: String } about [target] "ended the unexplained {name} on {target}";
    }
    People {
        SubjectAdded { subject: SubjectId } about [subject] "added {subject}";
        MemberAdded { group: SubjectId, member: SubjectId } about [member] "put {member} into {group}";
        MemberRemoved { group: SubjectId, member: SubjectId } about [member] "took {member} out of {group}";
        Suspended { subject: SubjectId } about [subject] "suspended {subject}";
        Resumed { subject: SubjectId } about [subject] "resumed {subject}";
        AccountSet { subject: SubjectId, target: ScopeId } about [subject target]
            "named {subject}'s account on {target}";
        ManagerNamed { subject: SubjectId, manager: Option<SubjectId> } about [subject]
            if manager.is_some() { "named {manager} {subject}'s manager" } else { "left {subject} without a manager" };
        DutyGiven { duty: DutyId, subject: SubjectId, duty_kind: DutyKind, scope: ScopeId } about [subject scope]
            "made {subject} {duty_kind} at {scope}";
        DutyEnded { duty: DutyId, subject: SubjectId, duty_kind: DutyKind, scope: ScopeId } about [subject scope]
            "ended {subject}'s duty {duty_kind} at {scope}";
        EligibilityGiven { eligibility: EligibilityId, subject: SubjectId, right: Right } about [subject right]
            "made {subject} eligible for {right}";
        EligibilityEnded { eligibility: EligibilityId, subject: SubjectId, right: Right } about [subject right]
            "ended {subject}'s eligibility for {right}";
        EligibilitySuspended { eligibility: EligibilityId, subject: SubjectId, right: Right } about [subject right]
            "suspended {subject}'s eligibility for {right}";
        EligibilityResumed { eligibility: EligibilityId, subject: SubjectId, right: Right } about [subject right]
            "resumed {subject}'s eligibility for {right}";
        AppointmentWished { appointment: AppointmentId, subject: SubjectId, rights: u32 } about [subject]
            "wished that {subject} be eligible for {rights} rights ({appointment})";
        AppointmentAnswered { appointment: AppointmentId, verdict: Verdict } about []
            "said {verdict} to {appointment}";
        AppointmentStageBegun { appointment: AppointmentId, stage: u32 } about []
            "brought {appointment} to its stage {stage}";
        AppointmentStageLate { appointment: AppointmentId, stage: u32 } about []
            "had others asked about {appointment} as well, which waited for its time in stage {stage}";
        AppointmentEnded { appointment: AppointmentId, state: AppointmentState } about []
            "{appointment} ended: {state}";
        CoverBegun { appointment: AppointmentId, absent: SubjectId, subject: SubjectId, rights: u32 } about [subject]
            "has {subject} stand in for {absent}, for {rights} rights ({appointment})";
        Delegated {
            delegation: DelegationId, absent: SubjectId, delegate: SubjectId, from: Timestamp, until: Timestamp
        } about [absent] "has {delegate} answer for {absent} from {from} until {until} ({delegation})";
        DelegationEnded { delegation: DelegationId, absent: SubjectId } about [absent]
            "has nobody answer for {absent} any more ({delegation})";
        SourceSet { target: ScopeId } about [target] "has people and groups come from {target}";
        SourceEnded { target: ScopeId } about [target] "has nobody come from {target} any more";
        Imported { target: ScopeId, digest: Digest, added: u32, changed: u32, left: u32 } about [target]
            "took people and groups in from {target}: {added} new, {changed} changed, {left} left";
        ImportHeld { target: ScopeId, digest: Digest, why: Words } about [target]
            "held what {target} says of people: {why}";
    }
    Record {
        EnrolmentIssued { subject: SubjectId } about [subject] "issued an enrolment secret for {subject}";
        CredentialsSet { subject: SubjectId } about [subject] "set password and TOTP of {subject}";
        Recovered { subject: SubjectId } about [subject] "recovered the sign-in of {subject} on the machine";
        SignedIn { subject: SubjectId } about [subject] "signed in as {subject}";
        SignInFailed { subject: SubjectId } about [subject] "failed to sign in as {subject}";
        NameUnknown {} about [] "gave a name at sign-in that nobody here has";
        ProofFailed { subject: SubjectId } about [subject] "failed to give a fresh proof for {subject}";
        Exported { export: Export } about [] match export {
            Export::Record => "took the record away as a file",
            Export::Ledger => "took the whole ledger away as a file",
            Export::Proof => "took an entry away with its proof",
        };
        Proved { subject: SubjectId } about [subject] "gave a fresh proof for {subject}";
        SignInEnded { subject: SubjectId } about [subject] "ended a sign-in of {subject}";
        PasskeyAdded { subject: SubjectId } about [subject] "added a passkey for {subject}";
        PasskeyDropped { subject: SubjectId } about [subject] "dropped a passkey of {subject}";
        DeviceLetIn { subject: SubjectId, program: Words } about [subject]
            "let {program} in for {subject}, to read and draft";
        DeviceRefused { subject: SubjectId } about [subject] "refused to let a program in for {subject}";
        Refused { command: String, code: String, elevation: Option<ElevationId> } about [elevation]
            if elevation.is_some() { "was refused: {command} {elevation} ({code})" } else { "was refused: {command} ({code})" };
        RefusalsDropped { subject: SubjectId, count: u32 } about [subject]
            "was refused {count} more times within a minute";
    }
    Terms {
        TermsSet { terms: TermsId, scope: ScopeId } about [scope] "set terms {terms} at {scope}";
        TermsSuspended { terms: TermsId, scope: ScopeId } about [scope] "suspended terms {terms} at {scope}";
        TermsResumed { terms: TermsId, scope: ScopeId } about [scope] "resumed terms {terms} at {scope}";
        TermsEnded { terms: TermsId, scope: ScopeId } about [scope] "ended terms {terms} at {scope}";
        TermsBegan { terms: TermsId, scope: ScopeId } about [scope] "let terms {terms} at {scope} begin, as was set";
        TermsOver { terms: TermsId, scope: ScopeId } about [scope] "let terms {terms} at {scope} run out, as was set";
        FilesPut { filing: FilingId, scope: ScopeId, set: u32, ended: u32 } about [scope]
            "put terms at {scope} in place from files: {set} set, {ended} ended ({filing})";
        FilingUndone { filing: FilingId, undone: FilingId, scope: ScopeId } about [scope]
            "undid {undone}, terms at {scope} put in place from files ({filing})";
        AssuranceSet { assurance: String } about [] "set the assurance {assurance}";
        AssuranceEnded { assurance: String } about [] "ended the assurance {assurance}";
        CalendarSet { calendar: String } about [] "set the calendar {calendar}";
        CalendarEnded { calendar: String } about [] "ended the calendar {calendar}";
        CircumstanceSet { circumstance: String } about [] "set the circumstance {circumstance}";
        CircumstanceEnded { circumstance: String } about [] "ended the circumstance {circumstance}";
        CircumstanceHeard { circumstance: String, of: Option<Digest>, holds: bool } about []
            where |world| whose = of.map_or_else(String::new, |of| format!(" of {}", world.text(of)));
            if *holds { "heard that {circumstance} holds{whose}" } else { "heard that {circumstance} does not hold{whose}" };
        PromiseSet { promise: String } about [] "set the promise {promise}";
        PromiseEnded { promise: String } about [] "ended the promise {promise}";
        SeparationSet { separation: String } about [] "set the separation {separation}";
        SeparationEnded { separation: String } about [] "ended the separation {separation}";
        BreachTolerated { separation: String, subject: Option<SubjectId>, until: Timestamp, reason: Digest } about [subject]
            if subject.is_some() {
                "tolerates until {until} that {subject} breaks the separation {separation}: {reason}"
            } else {
                "tolerates until {until} what breaks the separation {separation}: {reason}"
            };
        TolerationEnded { separation: String, subject: Option<SubjectId> } about [subject]
            if subject.is_some() {
                "no longer tolerates that {subject} breaks the separation {separation}"
            } else {
                "no longer tolerates what breaks the separation {separation}"
            };
        LetThrough { assurance: String, subject: SubjectId, lack: Lack } about [subject]
            "let {subject} through, whom {assurance} would have refused for lacking {lack}, and only watches as yet";
    }
    Standing {
        Surveyed { target: ScopeId, digest: Digest, appeared: u32, vanished: u32, changed: u32 } about [target]
            "surveyed {target}: {appeared} standing rights new, {vanished} gone, {changed} changed";
        SurveyHeld { target: ScopeId, digest: Digest, why: HeldBecause } about [target] "held a survey of {target}: {why}";
        DriftSeen { drift: DriftId, target: ScopeId } about [target]
            where |world| what = world.drifts.get(drift).map(|known| known.sentence(world));
            if what.is_some() { "noticed {drift}: {what}" } else { "noticed {drift}" };
        DriftAdopted { drift: DriftId } about [] "adopted {drift} as it is";
        DriftIgnored { drift: DriftId, until: Timestamp } about [] "will hear nothing of {drift} until {until}";
        DriftPutBack { drift: DriftId, conversion: ConversionId } about [] "has {drift} put back, by {conversion}";
        DriftOver { drift: DriftId } about [] "saw that {drift} is over by itself";
        Converted { conversion: ConversionId, rights: u32 } about []
            "began conversion {conversion} of {rights} standing rights";
        ConversionUndone { conversion: ConversionId } about [] "began to undo conversion {conversion}";
        WaveBegun { conversion: ConversionId, wave: u32, rights: u32 } about []
            where |_world| number = wave + 1;
            "began wave {number} of {conversion}, {rights} standing rights";
        WaveStopped { conversion: ConversionId, failing: u32, of: u32 } about []
            "stopped {conversion}: {failing} of the {of} rights of its wave can't be taken away";
        StandingTaken { conversion: ConversionId, standing: StandingId, target: ScopeId } about [target]
            "took {standing} away on {target} ({conversion}), read back";
        StandingRestored { conversion: ConversionId, standing: StandingId, target: ScopeId } about [target]
            "put {standing} back on {target} ({conversion}), read back";
        StandingDelayed { conversion: ConversionId, standing: StandingId, target: ScopeId, trouble: String }
            about [target] "{standing} of {conversion} waits: {trouble}";
    }
    Elevations {
        Asked { elevation: ElevationId, right: Right } about [elevation right] "asked {elevation} for {right}";
        GlassBroken { elevation: ElevationId, right: Right } about [elevation right]
            "broke the glass for {right}, by {elevation}";
        NobodyAsked { elevation: ElevationId, terms: Option<TermsId> } about [elevation]
            if terms.is_some() {
                "needed nobody's yes for {elevation}, by terms {terms}"
            } else {
                "needed nobody's yes for {elevation}"
            };
        Answered { elevation: ElevationId, verdict: Verdict } about [elevation] "answered {elevation} with {verdict}";
        Narrowed { elevation: ElevationId, right: Right, duration: Seconds, start: StartChoice }
            about [elevation right]
            where |_world| begins = match start {
                StartChoice::At { time } => Some(*time),
                StartChoice::AtYes | StartChoice::OnBegin => None,
            };
            if begins.is_some() {
                "narrowed {elevation} to {right} for {duration}, from {begins}"
            } else {
                "narrowed {elevation} to {right} for {duration}"
            };
        StageBegun { elevation: ElevationId, stage: u32 } about [elevation] "brought {elevation} to its stage {stage}";
        StageLate { elevation: ElevationId, stage: u32 } about [elevation]
            "had others asked about {elevation} as well, which waited for its time in stage {stage}";
        Settled { elevation: ElevationId, verdict: Verdict } about [elevation] "settled {elevation}: {verdict}";
        Readied { elevation: ElevationId, begins: Option<Timestamp>, begin_by: Option<Timestamp> } about [elevation]
            match (begins, begin_by) {
                (Some(_), _) => "set {elevation} to begin at {begins}",
                (None, Some(_)) => "made {elevation} ready, to be begun until {begin_by}",
                (None, None) => "made {elevation} ready, to be begun",
            };
        SentBack { elevation: ElevationId, why: SentBackBecause } about [elevation]
            "sent {elevation} back to its approvers: {why}";
        Opening { elevation: ElevationId, grant: GrantId, until: Timestamp } about [elevation]
            "began to open {elevation}, until {until}";
        Verified { elevation: ElevationId, grant: GrantId } about [elevation]
            "read {elevation} back from its target: live";
        Delayed { elevation: ElevationId, trouble: Option<String> } about [elevation]
            if trouble.is_some() { "{elevation} waits: {trouble}" } else { "{elevation} waits no longer" };
        LoginShown { elevation: ElevationId, replaced: bool } about [elevation]
            if *replaced {
                "showed the login of {elevation}, replacing the one before"
            } else {
                "showed the login of {elevation}"
            };
        ExtensionAsked { elevation: ElevationId, until: Timestamp } about [elevation]
            "asked to go on with {elevation} until {until}";
        ExtensionOver { elevation: ElevationId, end: End, why: Option<String> } about [elevation]
            if why.is_some() {
                "saw nothing come of going on with {elevation} ({end}): {why}"
            } else {
                "saw nothing come of going on with {elevation} ({end})"
            };
        GraceTaken { elevation: ElevationId, until: Timestamp } about [elevation]
            "took the grace of {elevation}, until {until}";
        EndMoving { elevation: ElevationId, grant: GrantId, until: Timestamp } about [elevation]
            "has the end of {elevation} moved to {until} on its target";
        Extended { elevation: ElevationId, until: Timestamp } about [elevation]
            "read {elevation} back from its target with its end at {until}";
        Closing { elevation: ElevationId, end: End } about [elevation] "began to end {elevation} ({end})";
        Ended { elevation: ElevationId, end: End, leftovers: u32 } about [elevation] match leftovers {
            0 => "ended {elevation} ({end})",
            1 => "ended {elevation} ({end}), with 1 leftover",
            _ => "ended {elevation} ({end}), with {leftovers} leftovers",
        };
        DebriefAsked { elevation: ElevationId, until: Timestamp } about [elevation]
            "wants somebody to look at what was done under {elevation}, until {until}";
        DebriefLate { elevation: ElevationId } about [elevation]
            "saw nobody look in time at what was done under {elevation}: it went higher";
        Debriefed { elevation: ElevationId, finding: Finding } about [elevation]
            "looked at what was done under {elevation}: {finding}";
    }
    Alarms {
        AlarmRaised { alarm: AlarmId, about: AlarmKind } about [] "raised alarm {alarm}: {about}";
        AlarmSettled { alarm: AlarmId } about [] "settled alarm {alarm}";
    }
    Stops {
        Stopped { stop: StopId, reach: Reach, ended: u32 } about [reach]
            if *ended == 1 {
                "stopped {reach}, ending {ended} elevation and barring new asks"
            } else {
                "stopped {reach}, ending {ended} elevations and barring new asks"
            };
        LiftAsked { stop: StopId, reach: Reach } about [reach] "was the first of two to lift the stop on {reach}";
        StopLifted { stop: StopId, reach: Reach } about [reach] "lifted the stop on {reach}";
    }
}
