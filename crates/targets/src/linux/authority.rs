//! The SSH certificate authorities: one for people, one for the account that orders come through.

use jiff::{SignedDuration, Timestamp};
use ring::rand::{SecureRandom as _, SystemRandom};
use russh::keys::ssh_key::{
    self, Algorithm, PrivateKey, PublicKey,
    certificate::{Builder, CertType},
    private::Ed25519Keypair,
};
use thiserror::Error;

/// How far before the present a certificate begins, for hosts whose clocks are a little behind.
const BEGINS_BEFORE: SignedDuration = SignedDuration::from_secs(30);

/// Why no certificate was made.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum CertificateError {
    /// The key is none that is taken.
    #[error("`{0}` is no public key of OpenSSH's form; give the line of a file like ~/.ssh/id_ed25519.pub")]
    Key(String),
    /// A weak or unusual key.
    #[error("a key of the kind {0} is not taken; make one with `ssh-keygen -t ed25519`")]
    Kind(String),
    /// The time is over.
    #[error("the grant is over")]
    Over,
    /// The machine could not sign.
    #[error("the certificate could not be signed")]
    Signing,
}

/// A certificate authority: an Ed25519 key.
pub struct Authority {
    key: PrivateKey,
}

/// What a certificate says.
pub struct Certified<'c> {
    /// The one principal, `account@host`.
    pub principal: &'c str,
    /// What the host's log will call it.
    pub key_id: &'c str,
    /// Number by which it can be revoked.
    pub serial: u64,
    /// Its end; it never goes past it.
    pub until: Timestamp,
    /// Whether a terminal may be asked for.
    pub terminal: bool,
}

impl Authority {
    /// An authority by the seed of its key.
    #[must_use]
    pub fn from_seed(seed: &[u8; 32]) -> Self {
        Self { key: PrivateKey::from(Ed25519Keypair::from_seed(seed)) }
    }

    /// What hosts are told to trust, as a line of `TrustedUserCAKeys`.
    ///
    /// # Errors
    /// When the key can't be written.
    pub fn public_line(&self, comment: &str) -> Result<String, CertificateError> {
        let line = self.key.public_key().to_openssh().map_err(|_| CertificateError::Signing)?;
        Ok(format!("{} {comment}", line.trim()))
    }

    /// Certifies a public key, for one principal, until a time.
    ///
    /// # Errors
    /// When the key isn't one that is taken, or the time is over.
    pub fn certify(
        &self,
        key: &PublicKey,
        says: &Certified<'_>,
        now: Timestamp,
    ) -> Result<ssh_key::Certificate, CertificateError> {
        match key.algorithm() {
            Algorithm::Ed25519 | Algorithm::Ecdsa { .. } | Algorithm::SkEd25519 | Algorithm::SkEcdsaSha2NistP256 => {}
            other => return Err(CertificateError::Kind(other.to_string())),
        }
        let after = u64::try_from((now - BEGINS_BEFORE).as_second()).map_err(|_| CertificateError::Over)?;
        // Rounded down, as every end is.
        let before = u64::try_from(says.until.as_second()).map_err(|_| CertificateError::Over)?;
        if says.until <= now {
            return Err(CertificateError::Over);
        }
        let made = || {
            let mut builder = Builder::new(random(), key.key_data().clone(), after, before)?;
            builder.cert_type(CertType::User)?;
            builder.serial(says.serial)?;
            builder.key_id(says.key_id)?;
            builder.valid_principal(says.principal)?;
            if says.terminal {
                builder.extension("permit-pty", "")?;
            }
            builder.sign(&self.key)
        };
        made().map_err(|_: ssh_key::Error| CertificateError::Signing)
    }
}

/// Reads a public key as OpenSSH writes it.
///
/// # Errors
/// When it is none.
pub fn public_key(line: &str) -> Result<PublicKey, CertificateError> {
    let start: String = line.chars().take(40).collect();
    PublicKey::from_openssh(line.trim()).map_err(|_| CertificateError::Key(start))
}

/// A key for one connection.
pub(super) fn passing_key() -> PrivateKey {
    PrivateKey::from(Ed25519Keypair::from_seed(&random()))
}

fn random() -> [u8; 32] {
    let mut bytes = [0; 32];
    SystemRandom::new().fill(&mut bytes).expect("the system gives random bytes");
    bytes
}
