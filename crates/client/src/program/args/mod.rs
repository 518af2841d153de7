//! The command line.

mod asking;
mod assurances;
mod calendars;
mod circumstances;
mod estate;
mod promises;
mod rights;
mod separations;
mod terms;

use std::path::PathBuf;

use anstream::ColorChoice;
use clap::{Args as ClapArgs, Parser, Subcommand, ValueEnum};
use clap_complete::Shell;
use jiff::{Span, SpanRelativeTo, Timestamp};
use tempestas_core::{Seconds, Verdict};

pub(crate) use asking::{AskArgs, Asking, DebriefsVerb, ExtendArgs, Found};
pub(crate) use assurances::{AssurancesVerb, SetAssurance};
pub(crate) use calendars::CalendarsVerb;
pub(crate) use circumstances::CircumstancesVerb;
pub(crate) use estate::{EnrolVerb, PeopleVerb, SourceVerb, TargetsVerb};
pub(crate) use promises::{PromisesVerb, SetPromise};
pub(crate) use rights::{
    ConvertVerb, CoverVerb, DelegateVerb, DriftVerb, EligibleVerb, GroupArgs, StandingArgs, WaveArgs, WaysVerb,
};
pub(crate) use separations::{SeparationsVerb, SetSeparation};
pub(crate) use terms::{Files, TermsVerb, Within};

/// Ask for power when the work needs it; it ends by itself.
///
/// Exit codes: 0 done, 1 failed, 2 the command line is wrong, 3 refused, 4 a sign-in or a fresh code is needed,
/// 5 waited for a state that did not come, 6 an exported ledger is not genuine, 7 drafted, to be confirmed in the console.
#[derive(Parser)]
#[command(name = "tempestas", version, max_term_width = 100)]
pub(crate) struct Args {
    #[command(flatten)]
    pub(crate) common: Common,
    #[command(subcommand)]
    pub(crate) verb: Verb,
}

/// What every verb takes.
#[derive(ClapArgs)]
pub(crate) struct Common {
    /// Address of the service; kept at sign-in.
    #[arg(long, env = "TEMPESTAS_SERVER", global = true)]
    pub(crate) server: Option<String>,
    /// Directory that keeps the sign-in and the last checkpoint seen.
    #[arg(long, env = "TEMPESTAS_HOME", global = true)]
    pub(crate) home: Option<PathBuf>,
    /// A certificate authority to trust besides the system's, in PEM.
    #[arg(long, env = "TEMPESTAS_CA", global = true)]
    pub(crate) authority: Option<PathBuf>,
    /// Print the service's reply as JSON.
    #[arg(long, global = true)]
    pub(crate) json: bool,
    /// Tell times in UTC, instead of by this machine's clock.
    #[arg(long, global = true)]
    pub(crate) utc: bool,
    /// Colour weights, states and refusals; at a terminal unless NO_COLOR is set, where it is left out.
    #[arg(long, global = true, value_name = "WHEN", default_value = "auto")]
    pub(crate) color: When,
    /// A current TOTP code, for when one is needed; asked for at a terminal otherwise.
    #[arg(long, global = true)]
    pub(crate) code: Option<String>,
}

/// When to colour.
#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum When {
    /// At a terminal.
    Auto,
    /// Also elsewhere.
    Always,
    /// Nowhere.
    Never,
}

impl From<When> for ColorChoice {
    fn from(when: When) -> Self {
        match when {
            When::Auto => Self::Auto,
            When::Always => Self::Always,
            When::Never => Self::Never,
        }
    }
}

#[derive(Subcommand)]
pub(crate) enum Verb {
    /// Sign in: shows an address and a code to type there. What is let in that way reads, and drafts what you then
    /// confirm in the console.
    SignIn {
        /// Your name; only with --password.
        name: Option<String>,
        /// With name, password and TOTP code instead, for where no browser is.
        #[arg(long, requires = "name")]
        password: bool,
        /// The same, with the password read from standard input.
        #[arg(long, requires = "name")]
        password_stdin: bool,
    },
    /// End this sign-in.
    SignOut,
    /// Set password and TOTP with a one-time secret.
    Enrol {
        /// File that holds the secret; asked for otherwise.
        #[arg(long)]
        secret_file: Option<PathBuf>,
        /// Read the new password from standard input.
        #[arg(long)]
        password_stdin: bool,
    },
    /// List your sign-ins, or end one.
    SignIns {
        /// Number of the one to end.
        #[arg(long)]
        end: Option<String>,
    },
    /// Who you are, what waits for you, what you hold.
    Me,
    /// People, groups, programs and duties.
    People {
        #[command(subcommand)]
        verb: Option<PeopleVerb>,
    },
    /// Targets: list, add, survey.
    Targets {
        #[command(subcommand)]
        verb: Option<TargetsVerb>,
    },
    /// Roles that targets offer.
    Roles,
    /// Alarms: list, or settle one.
    Alarms {
        /// The one to settle.
        #[arg(long)]
        settle: Option<String>,
    },
    /// Standing rights: who holds power all the time, and how that came to be.
    Standing(StandingArgs),
    /// Who can reach something, or what somebody can reach, and how, through groups, keys and systems.
    Ways {
        #[command(subcommand)]
        verb: WaysVerb,
    },
    /// What surveys saw that nobody did through Tempestas: rights gained, lost, come back.
    Drift {
        #[command(subcommand)]
        verb: Option<DriftVerb>,
    },
    /// Convert standing rights into eligibilities.
    Convert {
        #[command(subcommand)]
        verb: ConvertVerb,
    },
    /// Undo a conversion.
    Undo {
        /// Reference, like C12.
        conversion: String,
        /// Wait until the targets were read back.
        #[arg(long)]
        wait: bool,
    },
    /// What you may ask for, and what each takes; or who may ask for what.
    Eligible {
        /// Each with all it will demand, in whole sentences.
        #[arg(long, conflicts_with = "all")]
        long: bool,
        /// Everybody's, as far as your duties let you see.
        #[arg(long)]
        all: bool,
        #[command(subcommand)]
        verb: Option<EligibleVerb>,
    },
    /// Cover for an absence: somebody stands in, for a time, with an account of it at the end.
    Cover {
        #[command(subcommand)]
        verb: Option<CoverVerb>,
    },
    /// Answers: who gives them in whose place during an absence.
    Delegate {
        #[command(subcommand)]
        verb: Option<DelegateVerb>,
    },
    /// Terms: what an ask demands, and where each setting comes from.
    Terms {
        #[command(subcommand)]
        verb: Option<TermsVerb>,
    },
    /// Assurances: how sure one must be of people, by names that rules want.
    Assurances {
        #[command(subcommand)]
        verb: Option<AssurancesVerb>,
    },
    /// Calendars: freezes and holidays, in whose entries nothing is held by rules that go by them.
    Calendars {
        #[command(subcommand)]
        verb: Option<CalendarsVerb>,
    },
    /// Circumstances: what other systems are asked, while which alone something is held by rules that want them.
    Circumstances {
        #[command(subcommand)]
        verb: Option<CircumstancesVerb>,
    },
    /// Promises: what must hold whatever terms, groups and labels say; a change that would break one is refused.
    Promises {
        #[command(subcommand)]
        verb: Option<PromisesVerb>,
    },
    /// Separations of duties: what nobody has together, how much one person has, and how many people have something.
    Separations {
        #[command(subcommand)]
        verb: Option<SeparationsVerb>,
    },
    /// Ask for a right; the whole demand is shown first.
    Ask(AskArgs),
    /// Asks that wait for your answer; of one, what is known besides.
    Waiting {
        /// Reference, like E1042.
        elevation: Option<String>,
    },
    /// What was done and is over, that somebody other than its holder has yet to look at.
    Debriefs {
        #[command(subcommand)]
        verb: Option<DebriefsVerb>,
    },
    /// Find people, scopes, elevations, and rights that you may ask for.
    Find {
        /// Part of a name, path or reference.
        words: String,
    },
    /// Answer an ask; what you answer is shown first.
    Answer {
        /// Reference, like E1042.
        elevation: String,
        /// Yes or no.
        verdict: YesNo,
        /// Why; always with a no.
        #[arg(long)]
        reason: Option<String>,
        /// With a yes: for less time than asked, like 30m.
        #[arg(long = "for", value_parser = span)]
        duration: Option<Seconds>,
        /// With a yes: only at this scope below the one asked for.
        #[arg(long)]
        only_at: Option<String>,
        /// With a yes: from this time on.
        #[arg(long)]
        from: Option<Timestamp>,
        /// Don't ask whether you are sure.
        #[arg(long)]
        yes: bool,
    },
    /// Elevations that are not over.
    Grants {
        /// Also those of others that you may see.
        #[arg(long)]
        all: bool,
        /// Also those that are over.
        #[arg(long)]
        ended: bool,
        /// Only of this person or program.
        #[arg(long)]
        who: Option<String>,
        /// Only in this state, like live.
        #[arg(long)]
        state: Option<String>,
        /// All of them as CSV, those that are over too, with why and what was answered.
        #[arg(long)]
        csv: bool,
    },
    /// One elevation, with its story.
    Show {
        /// Reference, like E1042.
        elevation: String,
        /// Wait until it is `live` on its target, or `ended`.
        #[arg(long, value_name = "STATE")]
        wait: Option<Until>,
    },
    /// Begin an elevation that is ready.
    Begin {
        /// Reference, like E1042.
        elevation: String,
        /// Wait until it is verified on its target.
        #[arg(long)]
        wait: bool,
    },
    /// Ask to go on with an elevation beyond its end; the whole demand is shown first.
    Extend(ExtendArgs),
    /// Take the grace that the terms give at the end of an elevation, once.
    Grace {
        /// Reference, like E1042.
        elevation: String,
        /// Wait until its end was moved on its target.
        #[arg(long)]
        wait: bool,
    },
    /// Give an elevation back before its end.
    GiveBack {
        /// Reference, like E1042.
        elevation: String,
        /// Wait until it is read back as gone.
        #[arg(long)]
        wait: bool,
    },
    /// End somebody's elevation, with a word.
    Revoke {
        /// Reference, like E1042.
        elevation: String,
        /// Why, for the holder to read.
        #[arg(long = "reason", value_name = "REASON")]
        word: String,
        /// Wait until it is read back as gone.
        #[arg(long)]
        wait: bool,
    },
    /// Take an ask back before it begins.
    Withdraw {
        /// Reference, like E1042.
        elevation: String,
    },
    /// How to use a live elevation; makes a fresh password where there is one, shown once.
    Reach {
        /// Reference, like E1042.
        elevation: String,
        /// Your public key, for a host; the first of ~/.ssh otherwise.
        #[arg(long, value_name = "FILE")]
        key: Option<PathBuf>,
    },
    /// Stop: end everything live and bar new asks, at once. Lifting it takes two.
    Stop {
        #[command(subcommand)]
        verb: Option<StopVerb>,
    },
    /// The record: list, export, verify.
    #[command(subcommand)]
    Ledger(LedgerVerb),
    /// Completions for a shell.
    Completions {
        /// Which.
        shell: Shell,
    },
    /// Write the manual: one page for each command, for `man`.
    Manual {
        /// The directory to write it into.
        into: PathBuf,
    },
}

#[derive(Subcommand)]
pub(crate) enum StopVerb {
    /// List stops, those in force first.
    List,
    /// Stop one person, under every name they have.
    Person {
        /// Whom.
        name: String,
        /// Why, for those it reaches to read.
        #[arg(long = "reason", value_name = "REASON")]
        word: String,
    },
    /// Stop a scope and all below.
    Scope {
        /// Path.
        path: String,
        /// Why, for those it reaches to read.
        #[arg(long = "reason", value_name = "REASON")]
        word: String,
    },
    /// Stop everything.
    Everything {
        /// Why, for those it reaches to read.
        #[arg(long = "reason", value_name = "REASON")]
        word: String,
    },
    /// One of the two voices that lift a stop.
    Lift {
        /// Reference, like x12.
        stop: String,
    },
}

#[derive(Subcommand)]
pub(crate) enum LedgerVerb {
    /// The record, newest first.
    List {
        /// Only of this kind, like asked.
        #[arg(long)]
        kind: Option<String>,
        /// Only by, or about, this person, group or program.
        #[arg(long)]
        who: Option<String>,
        /// Only about this elevation.
        #[arg(long)]
        elevation: Option<String>,
        /// Only from then on.
        #[arg(long)]
        since: Option<Timestamp>,
        /// Only up to then.
        #[arg(long)]
        until: Option<Timestamp>,
        /// Only before this number.
        #[arg(long)]
        before: Option<u64>,
        /// How many; 40 where it is left out, and as CSV all.
        #[arg(long)]
        most: Option<usize>,
        /// As CSV, oldest first.
        #[arg(long, conflicts_with = "lines")]
        csv: bool,
        /// As JSON lines.
        #[arg(long)]
        lines: bool,
    },
    /// Write the whole ledger into a file that a stranger can verify.
    Export {
        /// The file.
        file: PathBuf,
    },
    /// Verify an exported ledger offline, against the public key and the last checkpoint seen here.
    Verify {
        /// The file.
        file: PathBuf,
        /// The public key, or a file that holds it; the one seen at sign-in, where it is left out.
        #[arg(long)]
        key: Option<String>,
        /// A file with a checkpoint seen earlier: a note, what `tempestas ledger checkpoint` printed, the one that a client
        /// keeps, or those that the service keeps elsewhere. The one kept here, where it is left out.
        #[arg(long)]
        seen: Option<PathBuf>,
    },
    /// Prove that one entry stands in the ledger, as it was.
    Proof {
        /// Its number.
        n: u64,
    },
    /// The present checkpoint; checks that it goes on from the last one seen here.
    Checkpoint,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
pub(crate) enum YesNo {
    /// Let it be given.
    Yes,
    /// Don't.
    No,
}

impl From<YesNo> for Verdict {
    fn from(said: YesNo) -> Self {
        match said {
            YesNo::Yes => Self::Yes,
            YesNo::No => Self::No,
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Until {
    /// Verified on its target.
    Live,
    /// Over, and read back as gone.
    Ended,
}

pub(crate) fn span(text: &str) -> Result<Seconds, String> {
    let unread = |_| "write it like 45s, 30m, 2h or 30d".to_owned();
    let span: Span = text.parse().map_err(unread)?;
    let span = span.to_duration(SpanRelativeTo::days_are_24_hours()).map_err(unread)?;
    u32::try_from(span.as_secs()).map(Seconds).map_err(|_| "it must be positive, and less than a century".to_owned())
}
