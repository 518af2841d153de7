//! The protocol between Tempestas and a Linux host, and the program that a host runs.
//!
//! ```text
//! keeper ─ ssh, forced command ─▶ tempestas-host ─ checks the order against /etc/tempestas/host.toml ─▶ sudoers, groups
//!                                       └─ a timer on the host ends each grant by itself
//! ```

mod agent;
pub mod protocol;

pub use agent::{Host, run};
