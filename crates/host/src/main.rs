//! `tempestas-host`: see the library.

use std::process::ExitCode;

fn main() -> ExitCode {
    tempestas_host::run(&std::env::args().skip(1).collect::<Vec<_>>())
}
