//! The client alone, against a service that answers as a test says: what it sends, how it reads what comes back, and how the
//! program ends.

#![expect(clippy::unwrap_used, reason = "a test says what it expects")]

mod program;
mod service;
mod views;
mod wire;
