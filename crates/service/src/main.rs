//! `tempestasd`: the service, and what is done on its machine. Parses, wires, chooses the exit code.

use std::{path::PathBuf, process::ExitCode};

use anyhow::Context as _;
use clap::{Parser, Subcommand};
use tempestas_service::{config::Config, openapi, operate, serve};
use tracing_subscriber::EnvFilter;

/// The Tempestas service. Without a command it serves.
#[derive(Parser)]
#[command(version)]
struct Args {
    /// Configuration file.
    #[arg(long, short, env = "TEMPESTAS_CONFIG", default_value = "/etc/tempestas/tempestas.toml", global = true)]
    config: PathBuf,
    /// Log as JSON lines.
    #[arg(long, global = true)]
    log_json: bool,
    #[command(subcommand)]
    command: Option<Action>,
}

#[derive(Subcommand)]
enum Action {
    /// Serve until TERM.
    Serve,
    /// Check the configuration file and say what is wrong, by line.
    CheckConfig,
    /// Replay the ledger and name every row that it doesn't explain.
    Rebuild {
        /// Only compare; the one thing it does so far.
        #[arg(long, required = true)]
        check: bool,
    },
    /// Copy the store, while it is in use, into a new directory. The master key is not in it: keep that elsewhere.
    Backup {
        /// Directory to make.
        into: PathBuf,
    },
    /// Put a backup in the store's place and begin a new epoch. The service must not run.
    Restore {
        /// Directory of the backup.
        from: PathBuf,
    },
    /// Let somebody enrol again who lost their second factor, or make them the administrator where none is left.
    /// Raises an alarm. The service must not run.
    Recover {
        /// Name they sign in by.
        name: String,
    },
    /// Have an assurance only watch from now on, where it keeps everybody from administering. The service must not run.
    OnlyWatch {
        /// Its name.
        assurance: String,
    },
    /// Seal every secret anew under the first key of the master key's file. The service must not run.
    RotateKey,
    /// Print the public key that exported ledgers are verified with. The service must not run.
    PublicKey,
    /// Print the OpenAPI document.
    Openapi,
}

#[tokio::main]
async fn main() -> ExitCode {
    let args = Args::parse();
    log(args.log_json);
    if rustls::crypto::ring::default_provider().install_default().is_err() {
        eprintln!("tempestasd: another TLS provider is installed already");
        return ExitCode::FAILURE;
    }
    match run(args).await {
        Ok(code) => code,
        Err(error) => {
            eprintln!("tempestasd: {error:#}");
            ExitCode::FAILURE
        }
    }
}

fn log(json: bool) {
    let filter = EnvFilter::try_from_env("TEMPESTAS_LOG").unwrap_or_else(|_| EnvFilter::new("info"));
    // A log that can't be written, on a full disk say, stops nothing: said on standard error once more, that would panic.
    let log = tracing_subscriber::fmt().with_env_filter(filter).with_writer(std::io::stderr).log_internal_errors(false);
    if json {
        log.json().init();
    } else {
        log.with_target(false).with_ansi(std::io::IsTerminal::is_terminal(&std::io::stderr())).init();
    }
}

async fn run(args: Args) -> anyhow::Result<ExitCode> {
    let action = args.command.unwrap_or(Action::Serve);
    if matches!(action, Action::Openapi) {
        println!("{}", serde_json::to_string_pretty(&openapi())?);
        return Ok(ExitCode::SUCCESS);
    }
    let config = Config::read(&args.config).map_err(anyhow::Error::msg)?;
    match action {
        Action::Serve => serve(config).await?,
        Action::CheckConfig => println!("{} is as it should be", args.config.display()),
        Action::Rebuild { .. } => return rebuild(&config).await,
        Action::Backup { into } => {
            operate::backup(&config, &into)
                .await
                .with_context(|| format!("no backup was made in {}", into.display()))?;
            println!("backed up into {}; keep the master key elsewhere", into.display());
        }
        Action::Restore { from } => println!("{}", operate::restore(config, &from).await?),
        Action::Recover { name } => {
            println!("{}", operate::recover(config, &name).await?);
            eprintln!(
                "This secret is good for an hour, once: `tempestas enrol`. The recovery is in the ledger, and an alarm."
            );
        }
        Action::OnlyWatch { assurance } => {
            operate::only_watch(config, &assurance).await?;
            println!("{assurance} only watches from now on; that is in the ledger");
        }
        Action::RotateKey => {
            let (count, key) = operate::rotate_key(config).await?;
            println!("sealed {count} secrets anew under {key}; older keys can be taken out of the file");
        }
        Action::PublicKey => println!("{}", operate::public_key(config).await?.to_line()),
        Action::Openapi => {}
    }
    Ok(ExitCode::SUCCESS)
}

/// Exit code 0 where everything is as the ledger says, 3 where something is not.
async fn rebuild(config: &Config) -> anyhow::Result<ExitCode> {
    let report = operate::check(config).await?;
    println!("replayed {} facts into {} rows, epoch {}", report.facts, report.rows, report.epoch);
    for (fact, epoch, size) in &report.restores {
        println!("epoch {epoch} began with fact {fact}, from a backup of {size} facts");
    }
    for difference in &report.differences {
        println!("DIFFERS: {difference}");
    }
    if report.differences.is_empty() {
        println!("everything is as the ledger says");
        return Ok(ExitCode::SUCCESS);
    }
    println!("{} differences", report.differences.len());
    Ok(ExitCode::from(3))
}
