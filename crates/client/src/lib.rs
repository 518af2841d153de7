//! The typed HTTP client, shared by the `tempestas` program, the demo and the tests.

mod client;
mod error;
mod verify;

pub use client::{Client, Connection};
pub use error::ClientError;
pub use verify::verify;
