//! Whole-system tests: the real programs on loopback, a module for each story.
//!
//! The programs must be built beside the tests: `make test` does that.

mod appointments;
mod assurances;
mod bad_input;
mod calendars;
mod callers;
mod circumstances;
mod console;
mod console_asks;
mod console_windows;
mod crashes;
mod described;
mod devices;
mod directory;
mod doors;
mod extensions;
mod fathom;
mod faults;
mod foreign;
mod glass;
mod hosts;
mod hours;
mod house;
mod in_place;
mod lapse;
mod lists;
mod looked_up;
mod operating;
mod parts;
mod printed;
mod promises;
mod proxy;
mod separations;
mod sign_in;
mod stages;
mod standing;
mod story;
mod targets;
mod terminals;
mod terms_told;
mod told;
mod trials;
mod uses;
mod waves;
mod wire;
