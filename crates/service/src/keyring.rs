//! Sealing secrets at rest: AES-256-GCM, bound to table, owner, name and key id, under a master key that is
//! not in the database.

use std::{
    io::Write as _,
    os::unix::fs::OpenOptionsExt as _,
    path::{Path, PathBuf},
};

use anyhow::{Context as _, bail};
use base64::{
    Engine as _,
    engine::general_purpose::{STANDARD, URL_SAFE_NO_PAD},
};
use ring::aead::{AES_256_GCM, Aad, LessSafeKey, NONCE_LEN, Nonce, UnboundKey};
use tempestas_core::ScopeId;
use tempestas_store::Sealed;
use zeroize::Zeroizing;

use crate::config::MasterKeyConfig;

pub(crate) use tempestas_engine::random;

/// The name that a target's own password or key is sealed under.
pub(crate) const BROKER: &str = "broker";

/// Whose that secret is.
pub(crate) fn owner_of(target: ScopeId) -> String {
    format!("target:{}", target.0)
}

/// A fresh random text of 256 bits, fit for an address or a header.
pub(crate) fn random_text() -> Zeroizing<String> {
    Zeroizing::new(URL_SAFE_NO_PAD.encode(random::<32>()))
}

/// Master keys by id, the one in use first.
pub(crate) struct Keyring {
    keys: Vec<(String, LessSafeKey)>,
}

impl Keyring {
    /// Reads the master keys. At the very first start, a file that isn't there is made.
    pub(crate) fn open(config: &MasterKeyConfig, first_start: bool) -> anyhow::Result<Self> {
        let path = match (&config.file, &config.credential) {
            (Some(file), _) => file.clone(),
            (None, Some(name)) => {
                let directory = std::env::var_os("CREDENTIALS_DIRECTORY")
                    .context("master_key.credential is set, but systemd handed no credentials over")?;
                PathBuf::from(directory).join(name)
            }
            (None, None) => bail!("no master key is configured"),
        };
        if config.file.is_some() && first_start && !path.exists() {
            make_key_file(&path)?;
        }
        let text = Zeroizing::new(
            std::fs::read_to_string(&path)
                .with_context(|| format!("the master key {} can't be read", path.display()))?,
        );
        if config.file.is_some() {
            crate::config::ensure_private(&path).map_err(|why| anyhow::anyhow!("the master key {why}"))?;
        }
        let keys = text
            .lines()
            .map(str::trim)
            .filter(|line| !line.is_empty())
            .map(parse_key)
            .collect::<anyhow::Result<Vec<_>>>()
            .with_context(|| format!("the master key {} is not as it should be", path.display()))?;
        if keys.is_empty() {
            bail!("the master key {} holds no key", path.display());
        }
        Ok(Self { keys })
    }

    /// Id of the key in use.
    pub(crate) fn current(&self) -> &str {
        self.keys.first().map_or("", |(id, _)| id)
    }

    /// Seals a secret under the key in use.
    pub(crate) fn seal(&self, owner: &str, name: &str, secret: &[u8]) -> anyhow::Result<Sealed> {
        let (key_id, key) = self.keys.first().context("there is no master key")?;
        let nonce: [u8; NONCE_LEN] = random();
        let mut body = secret.to_vec();
        key.seal_in_place_append_tag(Nonce::assume_unique_for_key(nonce), bound(owner, name, key_id), &mut body)
            .map_err(|_| anyhow::anyhow!("sealing failed"))?;
        body.splice(0..0, nonce);
        Ok(Sealed { owner: owner.to_owned(), name: name.to_owned(), key_id: key_id.clone(), body })
    }

    /// Opens a sealed secret.
    pub(crate) fn open_sealed(&self, sealed: &Sealed) -> anyhow::Result<Zeroizing<Vec<u8>>> {
        let (_, key) = self.keys.iter().find(|(id, _)| *id == sealed.key_id).with_context(|| {
            format!(
                "the secret {} of {} is sealed under the master key {}, which is not there",
                sealed.name, sealed.owner, sealed.key_id
            )
        })?;
        let (nonce, body) = sealed.body.split_first_chunk::<NONCE_LEN>().context("a sealed secret is too short")?;
        let mut body = body.to_vec();
        let aad = bound(&sealed.owner, &sealed.name, &sealed.key_id);
        let length = key
            .open_in_place(Nonce::assume_unique_for_key(*nonce), aad, &mut body)
            .map_err(|_| {
                anyhow::anyhow!(
                    "the secret {} of {} does not open: it, or the master key, was changed",
                    sealed.name,
                    sealed.owner
                )
            })?
            .len();
        body.truncate(length);
        Ok(Zeroizing::new(body))
    }
}

fn bound(owner: &str, name: &str, key_id: &str) -> Aad<Vec<u8>> {
    Aad::from(format!("sealed\0body\0{owner}\0{name}\0{key_id}").into_bytes())
}

fn parse_key(line: &str) -> anyhow::Result<(String, LessSafeKey)> {
    let (id, key) = line.split_once(':').context("each line reads ID:BASE64")?;
    let bytes = Zeroizing::new(STANDARD.decode(key.trim()).context("a key is not Base64")?);
    let key = UnboundKey::new(&AES_256_GCM, &bytes).map_err(|_| anyhow::anyhow!("the key {id} has not 32 bytes"))?;
    Ok((id.to_owned(), LessSafeKey::new(key)))
}

fn make_key_file(path: &Path) -> anyhow::Result<()> {
    let key = Zeroizing::new(STANDARD.encode(random::<32>()));
    let line = Zeroizing::new(format!("k1:{}\n", *key));
    write_secret(path, &line).with_context(|| format!("the master key {} can't be made", path.display()))
}

/// Writes a new file of mode 0600, replacing one that is there.
pub(crate) fn write_secret(path: &Path, text: &str) -> std::io::Result<()> {
    let beside = path.with_extension("new");
    let _ = std::fs::remove_file(&beside);
    let mut file = std::fs::File::options().write(true).create_new(true).mode(0o600).open(&beside)?;
    file.write_all(text.as_bytes())?;
    file.sync_all()?;
    std::fs::rename(beside, path)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn keyring(lines: &str) -> Keyring {
        let file = tempfile::NamedTempFile::new().unwrap();
        std::fs::write(file.path(), lines).unwrap();
        Keyring::open(&MasterKeyConfig { file: Some(file.path().to_owned()), credential: None }, false).unwrap()
    }

    fn line(id: &str, byte: u8) -> String {
        format!("{id}:{}\n", STANDARD.encode([byte; 32]))
    }

    #[test]
    fn a_secret_opens_only_in_its_own_place_and_under_its_own_key() {
        let old = keyring(&line("k1", 1));
        let sealed = old.seal("person:3", "totp", b"secret").unwrap();
        assert_eq!(old.open_sealed(&sealed).unwrap().as_slice(), b"secret");
        let moved = Sealed { owner: "person:4".to_owned(), ..sealed.clone() };
        assert!(old.open_sealed(&moved).is_err());
        let rotated = keyring(&(line("k2", 2) + &line("k1", 1)));
        assert_eq!(rotated.current(), "k2");
        assert_eq!(rotated.open_sealed(&sealed).unwrap().as_slice(), b"secret");
        assert!(keyring(&line("k2", 2)).open_sealed(&sealed).is_err());
        assert!(keyring(&line("k1", 9)).open_sealed(&sealed).is_err());
    }
}
