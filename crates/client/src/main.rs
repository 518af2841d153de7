//! `tempestas`: the client program. Parses, wires, chooses the exit code.

mod program;

use std::process::ExitCode;

#[tokio::main]
async fn main() -> ExitCode {
    if rustls::crypto::ring::default_provider().install_default().is_err() {
        eprintln!("tempestas: another TLS provider is installed already");
        return ExitCode::FAILURE;
    }
    end_with_the_reader();
    program::run().await
}

/// Whoever reads what is printed may have read enough, as `head` does; that is no fault to report.
fn end_with_the_reader() {
    let report = std::panic::take_hook();
    std::panic::set_hook(Box::new(move |panic| {
        let said = panic.payload().downcast_ref::<String>().map_or("", String::as_str);
        if said.starts_with("failed printing to stdout") && said.contains("Broken pipe") {
            std::process::exit(0);
        }
        report(panic);
    }));
}
