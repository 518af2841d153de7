//! What people type, checked before it is taken.

use crate::{Refusal, Said, TextRefusal, is_deceptive};

/// Checks a name that people type.
pub(crate) fn checked_name(what: &str, name: &str) -> Result<(), Refusal> {
    let fits = (2..=64).contains(&name.len())
        && name.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || "._-".contains(c))
        && name.starts_with(|c: char| c.is_ascii_alphanumeric())
        && name.ends_with(|c: char| c.is_ascii_alphanumeric());
    if fits {
        return Ok(());
    }
    Err(TextRefusal::BadName { what: what.to_owned(), name: shortened(name) }.into())
}

/// What sentences and forms say in a person's place.
const NO_NAMES: [&str; 6] = ["machine", "everything", "everybody", "administrators", "nobody", "keeper"];

/// Checks what somebody is to be called.
pub(super) fn checked_subject_name(what: &str, name: &str) -> Result<(), Refusal> {
    if NO_NAMES.contains(&name) {
        return Err(TextRefusal::TakenByUs { what: what.to_owned(), name: name.to_owned() }.into());
    }
    checked_name(what, name)
}

/// Checks a free text's length.
pub(super) fn checked_text(what: &str, text: &Said, most: usize) -> Result<(), Refusal> {
    let letters = text.0.chars().count();
    if letters > most {
        return Err(TextRefusal::TextTooLong { what: what.to_owned(), letters, most }.into());
    }
    if text.0.chars().any(|c| is_deceptive(c) && c != '\n' && c != '\t') {
        return Err(TextRefusal::Deceptive { what: what.to_owned() }.into());
    }
    Ok(())
}

/// Checks a text of one line.
pub(super) fn checked_line(what: &str, text: &Said, most: usize) -> Result<(), Refusal> {
    if text.0.contains(['\n', '\t']) {
        return Err(TextRefusal::OverLines { what: what.to_owned() }.into());
    }
    checked_text(what, text, most)
}

/// How many letters and digits a text has: what it is counted by where so many are demanded.
pub(super) fn letters(text: &str) -> usize {
    text.chars().filter(|c| c.is_alphanumeric()).count()
}

/// A text that somebody gave, short enough for a sentence.
pub(super) fn shortened(text: &str) -> String {
    if text.chars().count() > 80 { text.chars().take(80).chain(['…']).collect() } else { text.to_owned() }
}
