//! The command line.

use std::path::PathBuf;

use clap::{Args as ClapArgs, Parser, Subcommand, ValueEnum};
use clap_complete::Shell;
use jiff::{SignedDuration, Timestamp};
use tempestas_core::{DutyKind, Seconds, SubjectKind};

/// Ask for power when the work needs it; it ends by itself.
///
/// Exit codes: 0 done, 1 failed, 2 the command line is wrong, 3 refused, 4 a sign-in or a fresh code is needed,
/// 5 waited for a state that did not come, 6 an exported ledger is not genuine.
#[derive(Parser)]
#[command(version, max_term_width = 100)]
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
    /// A current TOTP code, for when one is needed; asked for at a terminal otherwise.
    #[arg(long, global = true)]
    pub(crate) code: Option<String>,
}

#[derive(Subcommand)]
pub(crate) enum Verb {
    /// Sign in with name, password and TOTP code.
    SignIn {
        /// Your name.
        name: String,
        /// Read the password from standard input.
        #[arg(long)]
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
    /// What you may ask for, with all it will demand; or who may ask for what.
    Eligible {
        /// Everybody's, as far as your duties let you see.
        #[arg(long)]
        all: bool,
        #[command(subcommand)]
        verb: Option<EligibleVerb>,
    },
    /// Terms: what an ask demands, and where each setting comes from.
    Terms {
        #[command(subcommand)]
        verb: Option<TermsVerb>,
    },
    /// Ask for a right; the whole demand is shown first.
    Ask(AskArgs),
    /// Asks that wait for your answer.
    Waiting,
    /// Answer an ask; what you answer is shown first.
    Answer {
        /// Reference, like E1042.
        elevation: String,
        /// Yes or no.
        verdict: YesNo,
        /// Why; always with a no.
        #[arg(long)]
        reason: Option<String>,
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
        #[arg(long)]
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
    },
    /// The record: list, export, verify.
    #[command(subcommand)]
    Ledger(LedgerVerb),
    /// Completions for a shell.
    Completions {
        /// Which.
        shell: Shell,
    },
}

#[derive(Subcommand)]
pub(crate) enum PeopleVerb {
    /// List them.
    List,
    /// Add a person, group or program.
    Add {
        /// Name.
        name: String,
        /// Full name, or what it is for.
        #[arg(long)]
        about: String,
        /// What it is.
        #[arg(long, default_value = "person", value_parser = kind)]
        kind: SubjectKind,
        /// The same human's first sign-in, where this is a second.
        #[arg(long)]
        second_of: Option<String>,
    },
    /// Issue a one-time enrolment secret.
    Enrolment {
        /// For whom.
        name: String,
    },
    /// Suspend somebody, and end what they hold.
    Suspend {
        /// Whom.
        name: String,
    },
    /// Resume somebody.
    Resume {
        /// Whom.
        name: String,
    },
    /// Say which account on a target is theirs.
    Account {
        /// Whose.
        name: String,
        /// Path of the target.
        target: String,
        /// The account's name there.
        account: String,
    },
    /// Put somebody into a group.
    Join {
        /// The group.
        group: String,
        /// Person, group or program.
        member: String,
    },
    /// Take somebody out of a group.
    Leave {
        /// The group.
        group: String,
        /// Person, group or program.
        member: String,
    },
    /// List duties within Tempestas.
    Duties,
    /// Give a duty.
    Duty {
        /// Person or group.
        name: String,
        /// administrator or auditor.
        #[arg(value_parser = duty)]
        duty: DutyKind,
        /// Path of the scope.
        scope: String,
    },
    /// End a duty.
    EndDuty {
        /// Its id.
        id: String,
    },
}

#[derive(Subcommand)]
pub(crate) enum TargetsVerb {
    /// List them.
    List,
    /// Add a folder.
    AddFolder {
        /// Path, like /harbour/databases.
        path: String,
    },
    /// Look after a PostgreSQL cluster. Its broker's password is read from a file.
    AddPostgres {
        /// Path, like /harbour/databases/berths.
        path: String,
        /// Host.
        #[arg(long)]
        host: String,
        /// Port.
        #[arg(long, default_value_t = 5432)]
        port: u16,
        /// The broker's login role.
        #[arg(long)]
        user: String,
        /// The database for the broker's own schema.
        #[arg(long)]
        database: String,
        /// File with the password.
        #[arg(long)]
        secret_file: PathBuf,
        /// Least number of accounts that keep a critical right.
        #[arg(long, default_value_t = 1)]
        emergency_least: u32,
    },
    /// Look after a Brightwater cloud. Its broker's key is read from a file.
    AddBrightwater {
        /// Path, like /analytics/brightwater.
        path: String,
        /// Address.
        #[arg(long)]
        url: String,
        /// File with the key.
        #[arg(long)]
        secret_file: PathBuf,
        /// Least number of accounts that keep a critical right.
        #[arg(long, default_value_t = 1)]
        emergency_least: u32,
    },
    /// Survey a target now.
    Survey {
        /// Path.
        path: String,
    },
    /// Take in a survey that was held.
    Accept {
        /// Path.
        path: String,
    },
    /// Change settings.
    Set {
        /// Path.
        path: String,
        /// Least number of accounts that keep a critical right.
        #[arg(long)]
        emergency_least: Option<u32>,
        /// How long a taking-away may be late before it is an alarm, like 1m.
        #[arg(long, value_parser = span)]
        alarm_after: Option<Seconds>,
        /// File with a new password or key of the broker.
        #[arg(long)]
        secret_file: Option<PathBuf>,
    },
}

#[derive(ClapArgs)]
pub(crate) struct StandingArgs {
    /// Those that reach this scope.
    #[arg(long)]
    pub(crate) at: Option<String>,
    /// Those of this person, group or program.
    #[arg(long)]
    pub(crate) who: Option<String>,
    /// Those of this role.
    #[arg(long)]
    pub(crate) role: Option<String>,
}

#[derive(Subcommand)]
pub(crate) enum ConvertVerb {
    /// What converting would do, right by right; changes nothing.
    Preview {
        /// References, like h12.
        #[arg(required = true)]
        rights: Vec<String>,
    },
    /// Show the same, then do it.
    Apply {
        /// References, like h12.
        #[arg(required = true)]
        rights: Vec<String>,
        /// When the eligibilities end.
        #[arg(long)]
        until: Option<Timestamp>,
        /// Don't ask whether you are sure.
        #[arg(long)]
        yes: bool,
        /// Wait until the targets were read back.
        #[arg(long)]
        wait: bool,
    },
    /// List conversions.
    List,
}

#[derive(Subcommand)]
pub(crate) enum EligibleVerb {
    /// Make somebody eligible.
    Give {
        /// Person, group or program.
        who: String,
        /// The right, ROLE@/PATH.
        right: String,
        /// From when.
        #[arg(long)]
        from: Option<Timestamp>,
        /// Until when.
        #[arg(long)]
        until: Option<Timestamp>,
    },
    /// End an eligibility.
    End {
        /// Its id.
        id: String,
    },
}

#[derive(Subcommand)]
pub(crate) enum TermsVerb {
    /// List the rules, and how they are weighed.
    List,
    /// What holds for a right, and where each setting comes from.
    Show {
        /// The right, ROLE@/PATH.
        right: String,
        /// For this asker instead of you.
        #[arg(long)]
        asker: Option<String>,
    },
    /// Set a rule from a TOML file.
    Set {
        /// The file; `-` for standard input.
        file: PathBuf,
        /// Change this rule in place instead of adding one.
        #[arg(long)]
        id: Option<String>,
    },
    /// End a rule.
    End {
        /// Its id.
        id: String,
    },
}

#[derive(ClapArgs)]
pub(crate) struct AskArgs {
    /// The right, ROLE@/PATH.
    pub(crate) right: String,
    /// For how long, like 45m or 2h.
    #[arg(long = "for", value_parser = span)]
    pub(crate) duration: Option<Seconds>,
    /// Begin at a set time, like 2026-11-24T02:00Z.
    #[arg(long, conflicts_with = "on_begin")]
    pub(crate) at: Option<Timestamp>,
    /// Begin when you say so, with `tempestas begin`.
    #[arg(long)]
    pub(crate) on_begin: bool,
    /// Why.
    #[arg(long)]
    pub(crate) reason: Option<String>,
    /// Ticket.
    #[arg(long)]
    pub(crate) ticket: Option<String>,
    /// Only show what it would demand.
    #[arg(long)]
    pub(crate) preview: bool,
    /// Don't ask whether you are sure.
    #[arg(long)]
    pub(crate) yes: bool,
    /// Wait until it is verified on its target.
    #[arg(long)]
    pub(crate) wait: bool,
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
        /// How many.
        #[arg(long, default_value_t = 40)]
        most: usize,
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
        /// A file with a checkpoint seen earlier; the one kept here, where it is left out.
        #[arg(long)]
        seen: Option<PathBuf>,
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

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Until {
    /// Verified on its target.
    Live,
    /// Over, and read back as gone.
    Ended,
}

fn span(text: &str) -> Result<Seconds, String> {
    let span: SignedDuration = text.parse().map_err(|_| "write it like 45s, 30m or 2h".to_owned())?;
    u32::try_from(span.as_secs()).map(Seconds).map_err(|_| "it must be positive, and less than a century".to_owned())
}

fn word<T: serde::de::DeserializeOwned>(text: &str, known: &str) -> Result<T, String> {
    serde_json::from_value(serde_json::Value::String(text.to_owned())).map_err(|_| format!("one of {known}"))
}

fn kind(text: &str) -> Result<SubjectKind, String> {
    word(text, "person, group, program")
}

fn duty(text: &str) -> Result<DutyKind, String> {
    word(text, "administrator, auditor")
}
