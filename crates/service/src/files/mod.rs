//! Terms as files: TOML read into clauses, with line and column of what is wrong, and clauses written as TOML.

mod place;
mod read;
mod write;

pub(crate) use read::{Reading, Written, read};
pub(crate) use write::written;
