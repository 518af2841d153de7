//! Private texts: names, reasons, addresses. Facts and rows carry a salted digest; salt and text are
//! kept apart, where they can be forgotten without breaking the proof.

use std::{borrow::Cow, fmt};

use ring::digest::{Context, SHA256};
use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer, de::Visitor};

/// A SHA-256 digest, in JSON and on screen as 64 hex digits.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Digest(pub [u8; 32]);

impl Digest {
    /// SHA-256 over the parts, one after the other.
    #[must_use]
    pub fn of(parts: &[&[u8]]) -> Self {
        let mut context = Context::new(&SHA256);
        for part in parts {
            context.update(part);
        }
        let mut bytes = [0; 32];
        bytes.copy_from_slice(context.finish().as_ref());
        Self(bytes)
    }

    /// Digest of a value's JSON.
    #[must_use]
    pub fn of_json<T: Serialize>(value: &T) -> Self {
        // A value that cannot be serialised has no digest anyone could repeat; the empty one never matches.
        Self::of(&[&serde_json::to_vec(value).unwrap_or_default()])
    }

    /// Reads 64 hex digits.
    ///
    /// # Errors
    /// Says what was read instead.
    pub fn from_hex(text: &str) -> Result<Self, String> {
        let mut bytes = [0; 32];
        // One digest has one form, so that equal ones are told by their letters.
        let is_upper = text.bytes().any(|byte| byte.is_ascii_uppercase());
        match hex::decode_to_slice(text, &mut bytes) {
            Ok(()) if !is_upper => Ok(Self(bytes)),
            _ => Err(format!("`{text}` is not a digest of 64 hex digits")),
        }
    }
}

/// Every digest that stands in some JSON, told by its form.
pub fn digests_in(json: &str) -> impl Iterator<Item = Digest> {
    json.split('"').filter(|part| part.len() == 64).filter_map(|part| Digest::from_hex(part).ok())
}

impl fmt::Display for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&hex::encode(self.0))
    }
}

impl fmt::Debug for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Digest({self})")
    }
}

impl Serialize for Digest {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for Digest {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_str(Hex)
    }
}

/// Reads a digest from wherever its letters stand, without a copy of them.
struct Hex;

impl Visitor<'_> for Hex {
    type Value = Digest;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a digest of 64 hex digits")
    }

    fn visit_str<E: serde::de::Error>(self, text: &str) -> Result<Digest, E> {
        Digest::from_hex(text).map_err(E::custom)
    }
}

impl JsonSchema for Digest {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Digest".into()
    }

    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({ "type": "string", "pattern": "^[0-9a-f]{64}$", "description": "SHA-256, in hex" })
    }
}

/// A text as a person gave it, not yet salted. Its `Debug` leaves the text out.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Said(pub String);

impl Said {
    /// Trims what was typed.
    pub fn new(text: impl AsRef<str>) -> Self {
        Self(text.as_ref().trim().to_owned())
    }
}

impl fmt::Debug for Said {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Said({} bytes)", self.0.len())
    }
}

/// Words that come from a system, and may name people there: what a role is called, the way by which a right is held. In facts
/// only their digest stands; facts of the first versions have them in clear.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(untagged)]
pub enum Words {
    /// What stands for them.
    Private {
        /// Of a private text.
        digest: Digest,
    },
    /// The words themselves: in old facts, and in commands.
    Clear(String),
}

impl Words {
    /// Whether only a digest stands in facts.
    pub(crate) const fn is_private(&self) -> bool {
        matches!(self, Self::Private { .. })
    }
}

impl fmt::Debug for Words {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Private { digest } => write!(f, "Words({digest})"),
            Self::Clear(words) => write!(f, "Words({} bytes)", words.len()),
        }
    }
}

impl From<&str> for Words {
    fn from(words: &str) -> Self {
        Self::Clear(words.to_owned())
    }
}

impl From<String> for Words {
    fn from(words: String) -> Self {
        Self::Clear(words)
    }
}

/// A private text with its salt and the digest that stands for it.
#[derive(Clone, PartialEq, Eq)]
pub struct PrivateText {
    /// SHA-256 over salt and text.
    pub digest: Digest,
    /// Random, so that a short text can't be guessed from its digest.
    pub salt: [u8; 16],
    /// The text itself.
    pub text: String,
}

impl PrivateText {
    /// Salts a text.
    #[must_use]
    pub fn new(text: &str, salt: [u8; 16]) -> Self {
        Self { digest: Self::digest(text, &salt), salt, text: text.to_owned() }
    }

    /// The digest that stands for `text` under `salt`.
    #[must_use]
    pub fn digest(text: &str, salt: &[u8; 16]) -> Digest {
        Digest::of(&[salt, text.as_bytes()])
    }
}

impl fmt::Debug for PrivateText {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "PrivateText({})", self.digest)
    }
}

/// Whether a character shows as something else than it is: it steers a terminal, turns the direction of what follows (UAX #9),
/// breaks a line, or shows as nothing at all.
#[must_use]
pub fn is_deceptive(c: char) -> bool {
    c.is_control()
        || matches!(c,
            '\u{ad}' | '\u{34f}' | '\u{61c}' | '\u{115f}' | '\u{1160}' | '\u{17b4}' | '\u{17b5}' | '\u{180b}'..='\u{180f}'
            | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{206f}' | '\u{3164}' | '\u{feff}' | '\u{ffa0}'
            | '\u{fff0}'..='\u{fffb}' | '\u{e0000}'..='\u{e0fff}')
}

/// A text as it is, with whatever would deceive written out: for terminals, lists and files, whoever wrote it.
#[must_use]
pub fn plainly(text: &str) -> Cow<'_, str> {
    if !text.contains(is_deceptive) {
        return Cow::Borrowed(text);
    }
    let written = |c: char| if is_deceptive(c) { c.escape_default().to_string() } else { c.to_string() };
    Cow::Owned(text.chars().map(written).collect())
}

/// What a name looks like at a glance: two names that look the same are easily taken for one another.
#[must_use]
pub fn glance(name: &str) -> String {
    let lower = name.to_lowercase().replace("rn", "m").replace("vv", "w").replace("cl", "d");
    lower
        .chars()
        .filter(|c| c.is_alphanumeric())
        .map(|c| match c {
            '0' | '\u{3bf}' | '\u{43e}' => 'o',
            '1' | 'i' | '|' | '\u{131}' | '\u{456}' => 'l',
            '5' | '\u{455}' => 's',
            '\u{430}' | '\u{3b1}' => 'a',
            '\u{435}' | '\u{3b5}' => 'e',
            '\u{440}' | '\u{3c1}' => 'p',
            '\u{441}' => 'c',
            '\u{443}' => 'y',
            '\u{445}' => 'x',
            other => other,
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_would_deceive_is_written_out_and_nothing_else_changes() {
        for (text, shown) in [
            ("berth_writer", "berth_writer"),
            ("Æ, ß, 港, 🚢", "Æ, ß, 港, 🚢"),
            ("a\u{1b}[2Jb", "a\\u{1b}[2Jb"),
            ("a\u{7}\u{202e}b", "a\\u{7}\\u{202e}b"),
            ("a\nforged  row", "a\\nforged  row"),
            ("zero\u{200b}width\u{feff}\u{9b}", "zero\\u{200b}width\\u{feff}\\u{9b}"),
        ] {
            assert_eq!(plainly(text), shown);
        }
    }

    #[test]
    fn names_that_look_alike_look_the_same_at_a_glance() {
        for (one, other, same) in [
            ("oda.brandt", "0da.brandt", true),
            ("oda.brandt", "oda-brandt", true),
            ("ines.kowal", "lnes.kowa1", true),
            ("tomas", "tornas", true),
            ("оda", "oda", true),
            ("oda.brandt", "ola.brandt", false),
        ] {
            assert_eq!(glance(one) == glance(other), same, "{one} and {other}");
        }
    }
}
