//! Files that a person names.

use std::{io::Read as _, path::Path};

use anyhow::Context as _;

/// What a file holds; `-` is standard input.
///
/// # Errors
/// Says which file can't be read, and why.
pub(crate) fn read(path: &Path) -> anyhow::Result<String> {
    if path.as_os_str() == "-" {
        let mut text = String::new();
        std::io::stdin().read_to_string(&mut text)?;
        return Ok(text);
    }
    std::fs::read_to_string(path).with_context(|| format!("{} can't be read", path.display()))
}
