//! Checkpoints: the tree's size and root, signed with Ed25519, in the open signed-note form.
//!
//! ```text
//! ORIGIN
//! SIZE
//! ROOT in base64
//! epoch EPOCH
//!
//! — ORIGIN BASE64(4 bytes of key hash, 64 of signature)
//! ```

use base64::{Engine, engine::general_purpose::STANDARD};
use ring::signature::{ED25519, Ed25519KeyPair, KeyPair, UnparsedPublicKey};

use crate::text::Digest;

/// The algorithm's number in key hashes of signed notes.
const ED25519_IN_NOTES: u8 = 1;

/// What was signed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Checkpoint {
    /// Whose ledger.
    pub origin: String,
    /// How many facts.
    pub size: u64,
    /// Root of the tree over them.
    pub root: Digest,
    /// Epoch: how often the ledger was restored from a backup, plus one.
    pub epoch: u32,
}

impl Checkpoint {
    fn body(&self) -> String {
        format!("{}\n{}\n{}\nepoch {}\n", self.origin, self.size, STANDARD.encode(self.root.0), self.epoch)
    }

    fn parse(body: &str) -> Option<Self> {
        let mut lines = body.lines();
        let checkpoint = Self {
            origin: lines.next()?.to_owned(),
            size: lines.next()?.parse().ok()?,
            root: Digest(STANDARD.decode(lines.next()?).ok()?.try_into().ok()?),
            epoch: lines.next()?.strip_prefix("epoch ")?.parse().ok()?,
        };
        // Only the one form that we write, so that no two texts mean the same.
        (checkpoint.body() == body).then_some(checkpoint)
    }
}

/// A checkpoint with the note that carries its signature.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SignedCheckpoint {
    /// What was signed.
    pub checkpoint: Checkpoint,
    /// The whole note.
    pub note: String,
}

fn key_hash(origin: &str, public: &[u8]) -> [u8; 4] {
    let digest = Digest::of(&[origin.as_bytes(), b"\n", &[ED25519_IN_NOTES], public]);
    let [a, b, c, d, ..] = digest.0;
    [a, b, c, d]
}

/// Signs checkpoints.
pub struct Signer {
    origin: String,
    key: Ed25519KeyPair,
}

impl Signer {
    /// Makes a signer from the 32 bytes of an Ed25519 seed.
    ///
    /// # Errors
    /// When the seed has another length.
    pub fn new(origin: &str, seed: &[u8]) -> Result<Self, String> {
        let key =
            Ed25519KeyPair::from_seed_unchecked(seed).map_err(|_| "the signing key is not 32 bytes".to_owned())?;
        Ok(Self { origin: origin.to_owned(), key })
    }

    /// Signs the tree's state.
    #[must_use]
    pub fn sign(&self, size: u64, root: Digest, epoch: u32) -> SignedCheckpoint {
        let checkpoint = Checkpoint { origin: self.origin.clone(), size, root, epoch };
        let body = checkpoint.body();
        let mut signature = key_hash(&self.origin, self.key.public_key().as_ref()).to_vec();
        signature.extend_from_slice(self.key.sign(body.as_bytes()).as_ref());
        let note = format!("{body}\n— {} {}\n", self.origin, STANDARD.encode(signature));
        SignedCheckpoint { checkpoint, note }
    }

    /// The public half, as one line that [`Verifier::from_line`] reads.
    #[must_use]
    pub fn verifier(&self) -> Verifier {
        let mut key = [0; 32];
        key.copy_from_slice(self.key.public_key().as_ref());
        Verifier { origin: self.origin.clone(), key }
    }
}

/// The public key that checkpoints are verified with.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Verifier {
    origin: String,
    key: [u8; 32],
}

impl Verifier {
    /// The key as one line: `ORIGIN+KEYHASH+BASE64`.
    #[must_use]
    pub fn to_line(&self) -> String {
        let hash = key_hash(&self.origin, &self.key);
        let mut key = vec![ED25519_IN_NOTES];
        key.extend_from_slice(&self.key);
        format!("{}+{}+{}", self.origin, hex::encode(hash), STANDARD.encode(key))
    }

    /// Reads such a line.
    ///
    /// # Errors
    /// Says what form a key has.
    pub fn from_line(line: &str) -> Result<Self, String> {
        let wrong = || "this is not a public key of a ledger; it reads ORIGIN+8 HEX DIGITS+BASE64".to_owned();
        let mut parts = line.trim().splitn(3, '+');
        let (Some(origin), Some(_), Some(key)) = (parts.next(), parts.next(), parts.next()) else {
            return Err(wrong());
        };
        let key = STANDARD.decode(key).map_err(|_| wrong())?;
        let Some((&ED25519_IN_NOTES, key)) = key.split_first() else { return Err(wrong()) };
        let key = key.try_into().map_err(|_| wrong())?;
        let verifier = Self { origin: origin.to_owned(), key };
        if verifier.to_line() == line.trim() { Ok(verifier) } else { Err(wrong()) }
    }

    /// Opens a note: checks its form and signature.
    ///
    /// # Errors
    /// Says what is wrong with it.
    pub fn open(&self, note: &str) -> Result<SignedCheckpoint, String> {
        let (body, signature) =
            note.split_once("\n\n— ").ok_or_else(|| "the checkpoint has not the form of a signed note".to_owned())?;
        let body = format!("{body}\n");
        let checkpoint = Checkpoint::parse(&body).ok_or_else(|| "the checkpoint's text is malformed".to_owned())?;
        let signature = signature
            .strip_suffix('\n')
            .and_then(|line| line.strip_prefix(self.origin.as_str()))
            .and_then(|rest| rest.strip_prefix(' '))
            .and_then(|text| STANDARD.decode(text).ok())
            .ok_or_else(|| format!("the checkpoint carries no signature of {}", self.origin))?;
        let hash = key_hash(&self.origin, &self.key);
        let Some(signature) = signature.strip_prefix(hash.as_slice()) else {
            return Err("the checkpoint was signed with another key".to_owned());
        };
        UnparsedPublicKey::new(&ED25519, &self.key)
            .verify(body.as_bytes(), signature)
            .map_err(|_| "the checkpoint's signature is false".to_owned())?;
        Ok(SignedCheckpoint { checkpoint, note: note.to_owned() })
    }
}
