//! `tempestas-demo`: starts the real programs with the Quillhaven sample world.

use std::{net::IpAddr, path::PathBuf, process::ExitCode};

use clap::{Parser, Subcommand};
use tempestas_demo::{
    codes::next_code,
    example,
    facts::Facts,
    run::{Demo, Past, forget},
};
use tokio::signal::unix::{SignalKind, signal};

/// Tempestas with the Quillhaven sample world, on this machine alone.
#[derive(Parser)]
struct Args {
    /// Directory that keeps the world from one start to the next.
    #[arg(long, global = true)]
    state: Option<PathBuf>,
    #[command(subcommand)]
    action: Action,
}

#[derive(Subcommand)]
enum Action {
    /// Start everything, until Ctrl-C.
    Run {
        /// Begin anew.
        #[arg(long)]
        fresh: bool,
        /// Address to listen on; loopback only.
        #[arg(long, default_value = "127.0.0.1")]
        address: IpAddr,
    },
    /// Print a current code of somebody's.
    Code {
        /// Name or part, like `tomas.reyes` or `requester`.
        who: String,
    },
    /// Run the whole story by itself, in a world of its own.
    Example,
}

fn default_state() -> PathBuf {
    PathBuf::from(format!("/var/tmp/tempestas-demo-{}", rustix::process::geteuid().as_raw()))
}

#[tokio::main]
async fn main() -> ExitCode {
    let _ = rustls::crypto::ring::default_provider().install_default();
    match act(Args::parse()).await {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("tempestas-demo: {error:#}");
            ExitCode::FAILURE
        }
    }
}

async fn act(args: Args) -> anyhow::Result<()> {
    let state = args.state.unwrap_or_else(default_state);
    match args.action {
        Action::Run { fresh, address } => {
            if fresh {
                forget(&state)?;
            }
            let demo = Demo::start(&state, address, Past::Months, |says| println!("· {says}")).await?;
            print_facts(&demo);
            asked_to_stop().await?;
            println!("\n· stopping");
            demo.stop()?;
            println!("· stopped; the world stays in {}", state.display());
        }
        Action::Code { who } => {
            let facts = Facts::read(&state)?;
            let person = facts.person(&who)?;
            println!("{}", next_code(&state, &person.name, &person.totp_secret)?);
        }
        Action::Example => {
            let own = state.with_extension("example");
            forget(&own)?;
            let ended = example::tell(&own).await;
            forget(&own)?;
            ended?;
        }
    }
    Ok(())
}

/// Waits for Ctrl-C, TERM, or the terminal's end.
async fn asked_to_stop() -> anyhow::Result<()> {
    let (mut interrupt, mut term, mut hangup) =
        (signal(SignalKind::interrupt())?, signal(SignalKind::terminate())?, signal(SignalKind::hangup())?);
    tokio::select! {
        _ = interrupt.recv() => {}
        _ = term.recv() => {}
        _ = hangup.recv() => {}
    }
    Ok(())
}

fn print_facts(demo: &Demo) {
    let facts = &demo.facts;
    let console = facts.address.replace("127.0.0.1", "localhost");
    println!("\nTempestas listens. Open {console} in a browser on this machine.\n");
    println!("  {:<21} {:<16} {:<20} TOTP SECRET", "SIGN IN AS", "NAME", "PASSWORD");
    for person in &facts.people {
        println!("  {:<21} {:<16} {:<20} {}", person.part, person.name, person.password, person.totp_secret);
    }
    let state = if demo.directory == default_state() {
        String::new()
    } else {
        format!("--state {} ", demo.directory.display())
    };
    println!("\nA current code of any of them:  target/debug/tempestas-demo {state}code tomas.reyes");
    println!("\nTry next, in another terminal:");
    println!("  export PATH=$PWD/target/debug:$PATH TEMPESTAS_SERVER={}", facts.address);
    println!("  tempestas sign-in tomas.reyes --password --code $(tempestas-demo {state}code tomas.reyes)");
    println!("  tempestas eligible");
    println!(
        "  tempestas ask harbour-warden@/analytics/brightwater/reports/cranes --for 10m --reason 'post the crane reports' --wait"
    );
    println!(
        "\nBrightwater: {}; PostgreSQL: {}",
        facts.brightwater,
        facts.postgres_port.map_or_else(|| "not installed".to_owned(), |port| format!("127.0.0.1:{port}"))
    );
    let systems = &facts.systems;
    if let (Some(fathom), Some(gates)) = (&systems.fathom, &systems.gates) {
        println!("Fathom: {fathom}; gate controllers: {gates}");
    }
    if let Some(port) = systems.directory_port {
        println!("Customs directory: ldap://127.0.0.1:{port}");
    }
    for host in &systems.hosts {
        println!("Linux host {}: sshd on 127.0.0.1:{}", host.name, host.port);
    }
    println!("The same for programs: {}/demo.json. Ctrl-C stops everything.", demo.directory.display());
}
