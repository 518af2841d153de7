//! Whole-system tests live in `tests/whole`: a module for each story, over the real programs.
