//! The program: one file for each group of verbs.

mod args;
mod assurances;
mod calendars;
mod circumstances;
mod cli;
mod conversions;
mod debriefs;
mod delegate;
mod drift;
mod elevations;
mod eligible;
mod estate;
mod files;
mod filings;
mod find;
mod home;
mod ledger;
mod people;
mod promises;
mod reach;
mod separations;
mod show;
mod sources;
mod standing;
mod stops;
mod terms;
mod ways;

use std::{path::Path, process::ExitCode};

use clap::{CommandFactory as _, Parser as _};
use tempestas_api::{ElevationFilter, LessView};
use tempestas_client::ClientError;
use tempestas_core::StartChoice;

use anyhow::Context as _;
use args::{Args, Verb};
use cli::Cli;
use show::{say, tell};

/// How the program can end, as `tempestas help exit-codes` in the documentation lists them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Ended {
    /// Done.
    Well,
    /// Waited for a state that did not come.
    InVain,
    /// An exported ledger is not genuine.
    Forged,
    /// Nothing was done yet: its person confirms it in the console.
    Drafted,
}

impl From<Ended> for ExitCode {
    fn from(ended: Ended) -> Self {
        match ended {
            Ended::Well => Self::SUCCESS,
            Ended::InVain => Self::from(5),
            Ended::Forged => Self::from(6),
            Ended::Drafted => Self::from(7),
        }
    }
}

pub(crate) async fn run() -> ExitCode {
    let args = Args::parse();
    show::choose(args.common.utc, args.common.color.into());
    match act(args).await {
        Ok(ended) => ended.into(),
        Err(error) => {
            tell!("{} {error:#}", show::wrong());
            if let Some(ClientError::Drafted(_)) = error.downcast_ref() {
                return Ended::Drafted.into();
            }
            match error.downcast_ref::<ClientError>().map(ClientError::code) {
                Some(Some("sign-in" | "step-up")) => ExitCode::from(4),
                Some(Some(_)) => ExitCode::from(3),
                _ => ExitCode::FAILURE,
            }
        }
    }
}

async fn act(args: Args) -> anyhow::Result<Ended> {
    if let Verb::Completions { shell } = args.verb {
        let mut written = Vec::new();
        clap_complete::generate(shell, &mut Args::command(), "tempestas", &mut written);
        show::raw(&written);
        return Ok(Ended::Well);
    }
    if let Verb::Manual { into } = &args.verb {
        return manual(into);
    }
    if let Verb::Ledger(args::LedgerVerb::Verify { file, key, seen }) = &args.verb {
        return ledger::verify(file, key.as_deref(), seen.as_deref(), &args.common);
    }
    let cli = Cli::new(&args.common)?;
    match args.verb {
        Verb::SignIn { name: Some(name), password: true, password_stdin }
        | Verb::SignIn { name: Some(name), password_stdin: password_stdin @ true, .. } => {
            cli.sign_in(&name, password_stdin).await?
        }
        Verb::SignIn { .. } => cli.sign_in_by_code().await?,
        Verb::SignOut => cli.sign_out().await?,
        Verb::Enrol { secret_file, password_stdin } => cli.enrol(secret_file.as_deref(), password_stdin).await?,
        Verb::SignIns { end } => people::sign_ins(&cli, end.as_deref()).await?,
        Verb::Me => people::me(&cli).await?,
        Verb::People { verb } => people::people(&cli, verb.unwrap_or(args::PeopleVerb::List)).await?,
        Verb::Targets { verb } => estate::targets(&cli, verb.unwrap_or_else(args::TargetsVerb::list)).await?,
        Verb::Roles => estate::roles(&cli).await?,
        Verb::Alarms { settle } => estate::alarms(&cli, settle.as_deref()).await?,
        Verb::Standing(filter) => standing::list(&cli, filter).await?,
        Verb::Ways { verb } => ways::ways(&cli, verb).await?,
        Verb::Drift { verb } => {
            drift::drift(&cli, verb.unwrap_or(args::DriftVerb::List { all: false, at: None })).await?
        }
        Verb::Convert { verb } => return conversions::convert(&cli, verb).await,
        Verb::Undo { conversion, wait } => return conversions::undo(&cli, &conversion, wait).await,
        Verb::Eligible { long, all, verb } => eligible::eligible(&cli, long, all, verb).await?,
        Verb::Cover { verb } => eligible::cover(&cli, verb.unwrap_or(args::CoverVerb::List)).await?,
        Verb::Delegate { verb } => delegate::delegate(&cli, verb.unwrap_or(args::DelegateVerb::List)).await?,
        Verb::Terms { verb } => terms::terms(&cli, verb.unwrap_or(args::TermsVerb::List)).await?,
        Verb::Calendars { verb } => calendars::calendars(&cli, verb.unwrap_or(args::CalendarsVerb::List)).await?,
        Verb::Circumstances { verb } => {
            circumstances::circumstances(&cli, verb.unwrap_or(args::CircumstancesVerb::List)).await?;
        }
        Verb::Promises { verb } => promises::promises(&cli, verb.unwrap_or(args::PromisesVerb::List)).await?,
        Verb::Separations { verb } => {
            separations::separations(&cli, verb.unwrap_or(args::SeparationsVerb::List)).await?;
        }
        Verb::Assurances { verb } => assurances::assurances(&cli, verb.unwrap_or(args::AssurancesVerb::List)).await?,
        Verb::Ask(ask) => return elevations::ask(&cli, ask).await,
        Verb::Waiting { elevation: None } => elevations::waiting(&cli).await?,
        Verb::Waiting { elevation: Some(id) } => elevations::waiting_one(&cli, &id).await?,
        Verb::Debriefs { verb } => {
            debriefs::debriefs(&cli, verb.unwrap_or(args::DebriefsVerb::List { all: false })).await?
        }
        Verb::Find { words } => find::find(&cli, words).await?,
        Verb::Answer { elevation, verdict, reason, duration, only_at, from, yes } => {
            let less = LessView { duration, scope: only_at, start: from.map(|time| StartChoice::At { time }) };
            elevations::answer(&cli, &elevation, verdict, reason, less, yes).await?
        }
        Verb::Stop { verb } => stops::stop(&cli, verb.unwrap_or(args::StopVerb::List)).await?,
        Verb::Grants { all, ended, who, state, csv } => {
            let filter = ElevationFilter { all, ended: ended || csv, who, state };
            elevations::list(&cli, filter, csv).await?
        }
        Verb::Show { elevation, wait } => return elevations::show(&cli, &elevation, wait).await,
        Verb::Begin { elevation, wait } => return elevations::begin(&cli, &elevation, wait).await,
        Verb::Extend(args) => return elevations::extend(&cli, args).await,
        Verb::Grace { elevation, wait } => return elevations::take_grace(&cli, &elevation, wait).await,
        Verb::GiveBack { elevation, wait } => return elevations::give_back(&cli, &elevation, wait).await,
        Verb::Revoke { elevation, word, wait } => return elevations::revoke(&cli, &elevation, word, wait).await,
        Verb::Withdraw { elevation } => elevations::withdraw(&cli, &elevation).await?,
        Verb::Reach { elevation, key } => reach::reach(&cli, &elevation, key).await?,
        Verb::Ledger(verb) => return ledger::ledger(&cli, verb, &args.common).await,
        Verb::Completions { .. } | Verb::Manual { .. } => {}
    }
    Ok(Ended::Well)
}

/// One page for each command, of the same words as `--help`.
fn manual(into: &Path) -> anyhow::Result<Ended> {
    std::fs::create_dir_all(into)
        .and_then(|()| clap_mangen::generate_to(Args::command(), into))
        .with_context(|| format!("{} can't be written", into.display()))?;
    say!("Wrote the manual into {}; `man -l {}/tempestas.1` shows its first page.", into.display(), into.display());
    Ok(Ended::Well)
}
