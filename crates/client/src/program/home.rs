//! What the client keeps between calls, in a directory of mode 0700: the sign-in, and the last checkpoint seen.

use std::{
    io::Write as _,
    os::unix::fs::{DirBuilderExt as _, OpenOptionsExt as _, PermissionsExt as _},
    path::{Path, PathBuf},
};

use anyhow::{Context as _, bail};
use serde::{Deserialize, Serialize};
use tempestas_core::ledger::{SignedCheckpoint, Verifier};

/// Bytes that a sign-in and a checkpoint find room in.
const ROOM: usize = 4096;

/// The kept sign-in.
#[derive(Serialize, Deserialize)]
pub(crate) struct KeptSignIn {
    pub(crate) server: String,
    pub(crate) name: String,
    pub(crate) token: String,
}

/// The last checkpoint seen, with the key it was seen under.
#[derive(Serialize, Deserialize)]
pub(crate) struct KeptCheckpoint {
    pub(crate) public_key: String,
    pub(crate) note: String,
}

impl KeptCheckpoint {
    pub(crate) fn open(&self) -> anyhow::Result<(Verifier, SignedCheckpoint)> {
        let verifier = Verifier::from_line(&self.public_key).map_err(anyhow::Error::msg)?;
        let checkpoint = verifier.open(&self.note).map_err(anyhow::Error::msg)?;
        Ok((verifier, checkpoint))
    }
}

pub(crate) struct Home {
    directory: PathBuf,
}

impl Home {
    pub(crate) fn new(set: Option<&Path>) -> anyhow::Result<Self> {
        let directory = match set {
            Some(directory) => directory.to_owned(),
            None => {
                let base = std::env::var_os("XDG_CONFIG_HOME")
                    .map(PathBuf::from)
                    .or_else(|| std::env::var_os("HOME").map(|home| PathBuf::from(home).join(".config")))
                    .context("there is no HOME; say with --home where to keep the sign-in")?;
                base.join("tempestas")
            }
        };
        Ok(Self { directory })
    }

    /// Refuses where nothing could be kept, before anything is made elsewhere that is to be kept here.
    pub(crate) fn ensure_writable(&self) -> anyhow::Result<()> {
        let path = self.keep_file("room", &" ".repeat(ROOM))?;
        std::fs::remove_file(&path).with_context(|| format!("{} can't be removed", path.display()))
    }

    /// Keeps a file, whole or not at all, that nobody else may read; says where it is.
    pub(crate) fn keep_file(&self, name: &str, text: &str) -> anyhow::Result<PathBuf> {
        let made = std::fs::DirBuilder::new().recursive(true).mode(0o700).create(&self.directory);
        made.with_context(|| format!("{} can't be made", self.directory.display()))?;
        let path = self.directory.join(name);
        let beside = path.with_extension("new");
        let _ = std::fs::remove_file(&beside);
        let written =
            std::fs::File::options().write(true).create_new(true).mode(0o600).open(&beside).and_then(|mut file| {
                file.write_all(text.as_bytes())?;
                file.sync_all()?;
                std::fs::rename(&beside, &path)
            });
        if written.is_err() {
            let _ = std::fs::remove_file(&beside);
        }
        written.with_context(|| format!("{} can't be written", path.display()))?;
        Ok(path)
    }

    fn write<T: Serialize>(&self, name: &str, value: &T) -> anyhow::Result<()> {
        self.keep_file(name, &serde_json::to_string(value)?).map(|_| ())
    }

    fn read<T: for<'de> Deserialize<'de>>(&self, name: &str) -> anyhow::Result<Option<T>> {
        let path = self.directory.join(name);
        match std::fs::read_to_string(&path) {
            Ok(text) => Ok(Some(
                serde_json::from_str(&text).with_context(|| format!("{} is damaged; remove it", path.display()))?,
            )),
            Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(None),
            Err(error) => Err(error).with_context(|| format!("{} can't be read", path.display())),
        }
    }

    pub(crate) fn sign_in(&self) -> anyhow::Result<Option<KeptSignIn>> {
        let path = self.directory.join("sign-in.json");
        if let Ok(data) = std::fs::metadata(&path)
            && data.permissions().mode() & 0o077 != 0
        {
            bail!("{} can be read by others; run chmod 600 on it, or sign in anew", path.display());
        }
        self.read("sign-in.json")
    }

    pub(crate) fn keep_sign_in(&self, kept: &KeptSignIn) -> anyhow::Result<()> {
        self.write("sign-in.json", kept)
    }

    pub(crate) fn forget_sign_in(&self) {
        let _ = std::fs::remove_file(self.directory.join("sign-in.json"));
    }

    pub(crate) fn checkpoint(&self) -> anyhow::Result<Option<KeptCheckpoint>> {
        self.read("checkpoint.json")
    }

    pub(crate) fn keep_checkpoint(&self, kept: &KeptCheckpoint) -> anyhow::Result<()> {
        self.write("checkpoint.json", kept)
    }
}
