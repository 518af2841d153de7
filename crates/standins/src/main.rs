//! `tempestas-standins`: serves simulated clouds, and the port's gate controllers, on loopback.

use std::path::PathBuf;

use clap::{Parser, ValueEnum};
use tempestas_standins::{brightwater, fathom, gates};

/// Serves a stand-in on loopback.
#[derive(Parser)]
struct Args {
    /// Which.
    #[arg(value_enum)]
    which: Which,
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

#[derive(Clone, Copy, ValueEnum)]
enum Which {
    /// The simulated cloud Brightwater.
    Brightwater,
    /// The simulated cloud Fathom.
    Fathom,
    /// The port's gate controllers.
    Gates,
}

#[tokio::main]
async fn main() -> anyhow::Result<()> {
    let args = Args::parse();
    let from = if args.state.exists() { &args.state } else { &args.seed };
    let text = tokio::fs::read_to_string(from).await?;
    let listener = tokio::net::TcpListener::bind(("127.0.0.1", args.port)).await?;
    let address = listener.local_addr()?;
    match args.which {
        Which::Brightwater => {
            let cloud = serde_json::from_str(&text)?;
            println!("brightwater listens on http://{address}");
            brightwater::serve(listener, cloud, Some(args.state)).await
        }
        Which::Fathom => {
            let house = serde_json::from_str(&text)?;
            println!("fathom listens on http://{address}");
            fathom::serve(listener, house, Some(args.state)).await
        }
        Which::Gates => {
            let known = serde_json::from_str(&text)?;
            println!("gates listens on http://{address}");
            gates::serve(listener, known, Some(args.state)).await
        }
    }
}
