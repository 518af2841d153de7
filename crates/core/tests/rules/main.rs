//! The rules, tested alone: no service, no store, no clock.

#![expect(clippy::unwrap_used, clippy::indexing_slicing, reason = "a test says what it expects")]
#![expect(unreachable_pub, reason = "modules of one test binary")]

mod appointments;
mod assurances;
mod calendars;
mod circumstances;
mod conversions;
mod corpus;
mod debriefs;
mod delegations;
mod extensions;
mod filings;
mod glass;
mod hours;
mod house;
mod in_place;
mod influence;
mod interleavings;
mod lifecycle;
mod notes;
mod offers;
mod past;
mod people;
mod promises;
mod refusals;
mod reports;
mod routes;
mod seals;
mod separations;
mod settings;
mod sight;
mod simulation;
mod sources;
mod stages;
mod stops;
mod terms;
mod unasked;
mod uses;
mod validity;
mod ways;
mod why;
mod words;
