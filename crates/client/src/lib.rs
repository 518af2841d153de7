//! The typed HTTP client, shared by the `tempestas` program, the demo and the tests.

mod client;
mod error;

pub use client::{Client, Connection};
pub use error::ClientError;
