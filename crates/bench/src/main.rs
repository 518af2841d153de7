//! Measures Tempestas, each figure beside what this machine can do at all, and writes them into `docs/benchmarks.md`.

mod console;
mod foresight;
mod guesses;
mod history;
mod ledger;
mod lifecycles;
mod look;
mod promises;
mod report;
mod rules;
mod start;
mod systems;
mod traffic;
mod world;

use std::{path::Path, process::ExitCode};

use anyhow::Context as _;

#[tokio::main]
async fn main() -> ExitCode {
    let _ = rustls::crypto::ring::default_provider().install_default();
    match run(std::env::args().nth(1).as_deref()).await {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("tempestas-bench: {error:#}");
            ExitCode::FAILURE
        }
    }
}

/// Runs all of them, or one by name; or `look DIRECTORY`: takes pictures of a large house.
async fn run(only: Option<&str>) -> anyhow::Result<()> {
    if only == Some("look") {
        let into = std::env::args().nth(2).context("`look` wants the directory that the pictures go to")?;
        return look::shoot(Path::new(&into)).await;
    }
    let mut report = report::Report::default();
    let wanted = |name: &str| only.is_none_or(|only| only == name);
    if wanted("lifecycles") {
        lifecycles::measure(&mut report).await?;
    }
    if wanted("traffic") {
        traffic::measure(&mut report).await?;
    }
    if wanted("rules") {
        rules::measure(&mut report).await?;
    }
    if wanted("promises") {
        promises::measure(&mut report).await?;
    }
    if wanted("foresight") {
        foresight::measure(&mut report)?;
    }
    if wanted("guesses") {
        guesses::measure(&mut report).await?;
    }
    if wanted("ledger") {
        ledger::measure(&mut report).await?;
    }
    if wanted("start") {
        start::measure(&mut report).await?;
    }
    if wanted("history") {
        history::measure(&mut report).await?;
    }
    if wanted("systems") {
        systems::measure(&mut report).await?;
    }
    if wanted("console") {
        console::measure(&mut report).await?;
    }
    if only.is_none() {
        report.write(Path::new("docs/benchmarks.md"))?;
    }
    Ok(())
}
