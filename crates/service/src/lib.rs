//! The service: doors and keepers.
//!
//! A request becomes a command (`routes`), the [`tempestas_engine`] has it decided and made durable, keepers (`keeper`)
//! act on the difference between what is wanted and what is seen on each target.

mod access;
mod app;
mod authorities;
mod callers;
pub mod config;
mod connect;
mod connections;
mod console;
mod desks;
mod door;
mod drafts;
mod events;
mod files;
mod house;
mod identity;
mod journal;
mod keeper;
mod keyed;
mod keyring;
pub mod operate;
mod passkeys;
mod past;
mod problem;
mod refused;
mod routes;
mod serve;
mod status;
mod uses;
mod views;

pub use house::House;
pub use routes::openapi;
pub use serve::serve;
pub use tempestas_engine::Clock;
