//! Whole-system tests live in `tests/whole`: a module for each story, over the real programs. Here is what they
//! share with the pictures: a browser.

pub mod browser;
