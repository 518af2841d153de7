//! The World as replies show it: ids become names, digests become texts. What is shown is [`Visible`](tempestas_core::Visible),
//! which the caller's Sight alone makes.

mod alarms;
mod appointments;
mod assurances;
mod calendars;
mod circumstances;
mod conversions;
mod delegations;
mod elevations;
mod estate;
mod ledger;
mod people;
mod promises;
mod rights;
mod separations;
mod terms;

pub(crate) use alarms::{alarm, stop};
pub(crate) use appointments::appointment;
pub(crate) use assurances::assurance;
pub(crate) use calendars::calendar;
pub(crate) use circumstances::circumstance;
pub(crate) use conversions::{conversion, drift};
pub(crate) use delegations::delegation;
pub(crate) use elevations::{ELEVATION_COLUMNS, below, demand, earlier, elevation, elevation_row, extension_demand};
pub(crate) use estate::{source, target};
pub(crate) use ledger::entry;
pub(crate) use people::{duty, proof, subject};
pub(crate) use promises::{broken, promise};
pub(crate) use rights::{eligibility, role, standing};
pub(crate) use separations::{breaches, separation};
pub(crate) use terms::{effective, terms};
