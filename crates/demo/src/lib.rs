//! Starts the real programs, on loopback, with the Quillhaven sample world. Used by the demo and by the
//! whole-system tests.

pub mod cluster;
pub mod codes;
pub mod daemon;
pub mod directory;
pub mod example;
pub mod facts;
pub mod fathom;
pub mod gates;
pub mod history;
pub mod hosts;
pub mod processes;
pub mod quillhaven;
mod rhythm;
pub mod run;
pub mod seed;
pub mod systems;
