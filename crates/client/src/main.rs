//! `tempestas`: the client program. Parses, wires, chooses the exit code.

mod program;

use std::process::ExitCode;

#[tokio::main]
async fn main() -> ExitCode {
    if rustls::crypto::ring::default_provider().install_default().is_err() {
        eprintln!("tempestas: another TLS provider is installed already");
        return ExitCode::FAILURE;
    }
    program::run().await
}
