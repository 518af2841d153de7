//! Facts and alarms in words.

use super::{Export, What};
use crate::{AlarmKind, GrantId, StartChoice, SubjectId, Verdict, World, moment};

impl What {
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
            Self::AuthoritiesChanged { step } => format!("took the SSH authorities a step further: {step}"),
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
            Self::NameUnknown {} => "gave a name at sign-in that nobody here has".to_owned(),
            Self::ProofFailed { subject } => format!("failed to give a fresh proof for {}", who(subject)),
            Self::Exported { export } => match export {
                Export::Record => "took the record away as a file",
                Export::Ledger => "took the whole ledger away as a file",
                Export::Proof => "took an entry away with its proof",
            }
            .to_owned(),
            Self::Proved { subject } => format!("gave a fresh proof for {}", who(subject)),
            Self::PasskeyAdded { subject } => format!("added a passkey for {}", who(subject)),
            Self::PasskeyDropped { subject } => format!("dropped a passkey of {}", who(subject)),
            Self::DeviceLetIn { subject, program } => {
                format!("let {} in for {}, to read and draft", world.words(program), who(subject))
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
            Self::TargetEnded { scope, reason } => {
                format!("let {} go, which is looked after no more: {}", world.path(*scope), world.text(*reason))
            }
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
            Self::EligibilitySuspended { subject, right, .. } => {
                format!("suspended {}'s eligibility for {}", who(subject), world.right_name(*right))
            }
            Self::EligibilityResumed { subject, right, .. } => {
                format!("resumed {}'s eligibility for {}", who(subject), world.right_name(*right))
            }
            Self::AppointmentWished { appointment, subject, rights } => {
                format!("wished that {} be eligible for {rights} rights ({appointment})", who(subject))
            }
            Self::AppointmentAnswered { appointment, verdict: said } => {
                format!("said {} to {appointment}", verdict(said))
            }
            Self::AppointmentEnded { appointment, state } => format!("{appointment} ended: {}", state.word()),
            Self::CoverBegun { appointment, absent, subject, rights } => {
                format!("has {} stand in for {}, for {rights} rights ({appointment})", who(subject), who(absent))
            }
            Self::TermsSuspended { terms, scope } => format!("suspended terms {terms} at {}", world.path(*scope)),
            Self::TermsResumed { terms, scope } => format!("resumed terms {terms} at {}", world.path(*scope)),
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
            Self::ImportHeld { target, why, .. } => {
                format!("held what {} says of people: {}", world.path(*target), world.words(why))
            }
            Self::DriftSeen { drift, .. } => match world.drifts.get(drift) {
                Some(known) => format!("noticed {drift}: {}", known.sentence(world)),
                None => format!("noticed {drift}"),
            },
            Self::DriftAdopted { drift } => format!("adopted {drift} as it is"),
            Self::DriftIgnored { drift, until } => {
                format!("will hear nothing of {drift} until {}", moment(*until))
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
            Self::SealedUsed { target, account, at, claimed } => format!(
                "`{}`, a sealed emergency holder of {}, was used at {}{}: ask who broke the seal and why, then settle this",
                world.text(*account),
                world.path(*target),
                moment(*at),
                if *claimed { ", as a line of the log there says that any account could have written" } else { "" }
            ),
            Self::LogUnread { target, bytes } => format!(
                "the log of {} grew by {bytes} bytes more than is read at once, so a use of its sealed emergency holders may have \
                 been missed: find out who wrote so much and read it there, then settle this",
                world.path(*target)
            ),
            Self::LedgerDiffers { places } => format!(
                "the database differs from the ledger in {places} place(s): run `tempestasd rebuild --check` on the machine, which names \
                 them; nothing critical is opened until an administrator has looked, put it right (`tempestasd restore`) and settled this"
            ),
            Self::EndHindered { grant } => format!(
                "something was in the way of the end of {}, or of seeing what it left: its leftovers say what; look there, then settle this",
                elevation(grant)
            ),
            Self::HandedOn { by, hand } => format!(
                "{} got their standing from {} within a day, and has handed on as much already, or set terms in their favour: ask both, \
                 then settle this",
                world.subject_name(*hand),
                world.subject_name(*by)
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
