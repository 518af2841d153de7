//! Private texts: names, reasons, addresses. Facts and rows carry a salted digest; salt and text are
//! kept apart, where they can be forgotten without breaking the proof.

use std::fmt;

use ring::digest::{Context, SHA256};
use schemars::JsonSchema;
use serde::{Deserialize, Deserializer, Serialize, Serializer, de::Error as _};

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
        let wrong = || format!("`{text}` is not a digest of 64 hex digits");
        let mut bytes = [0; 32];
        if text.len() != 64 || !text.is_ascii() {
            return Err(wrong());
        }
        for (byte, pair) in bytes.iter_mut().zip(text.as_bytes().chunks(2)) {
            let pair = std::str::from_utf8(pair).map_err(|_| wrong())?;
            if pair.contains(|c: char| !c.is_ascii_digit() && !('a'..='f').contains(&c)) {
                return Err(wrong());
            }
            *byte = u8::from_str_radix(pair, 16).map_err(|_| wrong())?;
        }
        Ok(Self(bytes))
    }
}

impl fmt::Display for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.0.iter().try_for_each(|byte| write!(f, "{byte:02x}"))
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
        let text = String::deserialize(deserializer)?;
        Self::from_hex(&text).map_err(D::Error::custom)
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
