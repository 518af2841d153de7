//! Simulated clouds and machines for demo and tests; never linked into `tempestasd`.
//!
//! They are modelled on none that exists. Each enforces its own rules by its own time.

pub mod behaviour;
pub mod brightwater;
pub mod fathom;
pub mod gates;
