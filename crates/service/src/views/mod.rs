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
mod filings;
mod ledger;
mod people;
mod promises;
mod rights;
mod separations;
mod terms;

pub(crate) use alarms::{alarm, stop};
pub(crate) use appointments::{appointment, offer};
pub(crate) use assurances::{assurance, assurance_body};
pub(crate) use calendars::calendar;
pub(crate) use circumstances::circumstance;
pub(crate) use conversions::{conversion, drift};
pub(crate) use delegations::delegation;
pub(crate) use elevations::{ELEVATION_COLUMNS, below, demand, earlier, elevation, elevation_row, extension_demand};
pub(crate) use estate::{source, target};
pub(crate) use filings::{filing, filing_plan};
pub(crate) use ledger::entry;
pub(crate) use people::{duty, proof, subject};
pub(crate) use promises::{broken, promise, promise_body};
pub(crate) use rights::{eligibility, role, standing};
pub(crate) use separations::{breaches, separation, separation_body};
pub(crate) use terms::{effective, terms};

use tempestas_core::{Clause, World};

/// Whether files have a clause.
fn is_in_files(world: &World, clause: &Clause) -> bool {
    world.file_mark(&clause.key()).is_some()
}
