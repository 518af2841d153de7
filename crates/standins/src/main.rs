//! `tempestas-standins`: serves a simulated cloud on loopback.

use std::path::PathBuf;

use clap::Parser;
use tempestas_standins::brightwater::{self, Cloud};

/// Serves the simulated cloud Brightwater on loopback.
#[derive(Parser)]
struct Args {
    /// Port on 127.0.0.1; 0 takes a free one.
    #[arg(long, default_value_t = 0)]
    port: u16,
    /// File that keeps its state from one start to the next.
    #[arg(long)]
    state: PathBuf,
    /// File to read its first state from, where it has none yet.
    #[arg(long)]
    seed: PathBuf,
}

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let args = Args::parse();
    let from = if args.state.exists() { &args.state } else { &args.seed };
    let cloud: Cloud = serde_json::from_str(&tokio::fs::read_to_string(from).await?)?;
    let listener = tokio::net::TcpListener::bind(("127.0.0.1", args.port)).await?;
    println!("brightwater listens on http://{}", listener.local_addr()?);
    brightwater::serve(listener, cloud, Some(args.state)).await
}
