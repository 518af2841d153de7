//! `demo.json`: the facts of the running demo, for programs and for `tempestas-demo code`.

use std::{io::Write as _, os::unix::fs::OpenOptionsExt as _, path::Path};

use anyhow::Context as _;
use serde::{Deserialize, Serialize};

use crate::systems::SystemsFacts;

/// Somebody to sign in as.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Person {
    /// What they are there for.
    pub part: String,
    /// Name.
    pub name: String,
    /// Password.
    pub password: String,
    /// TOTP secret in Base32.
    pub totp_secret: String,
}

/// The demo's facts.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Facts {
    /// Address of the service.
    pub address: String,
    /// Its configuration file.
    pub config: String,
    /// Address of Brightwater.
    pub brightwater: String,
    /// Port of the PostgreSQL cluster; none where its programs are missing.
    pub postgres_port: Option<u16>,
    /// Password of the cluster's superuser.
    pub postgres_password: String,
    /// Who to sign in as.
    pub people: Vec<Person>,
    /// Where the systems are that the service was told of.
    #[serde(default)]
    pub systems: SystemsFacts,
}

impl Facts {
    /// Reads the facts.
    ///
    /// # Errors
    /// When there are none.
    pub fn read(directory: &Path) -> anyhow::Result<Self> {
        let path = directory.join("demo.json");
        let text = std::fs::read_to_string(&path)
            .with_context(|| format!("there is no demo in {}; run `make demo`", directory.display()))?;
        serde_json::from_str(&text).with_context(|| format!("{} is damaged; run `make demo FRESH=1`", path.display()))
    }

    /// Keeps the facts, for their owner alone.
    ///
    /// # Errors
    /// When they can't be written.
    pub fn write(&self, directory: &Path) -> anyhow::Result<()> {
        let (path, beside) = (directory.join("demo.json"), directory.join("demo.json.new"));
        let _ = std::fs::remove_file(&beside);
        let mut file = std::fs::File::options().write(true).create_new(true).mode(0o600).open(&beside)?;
        file.write_all(serde_json::to_string_pretty(self)?.as_bytes())?;
        std::fs::rename(beside, path)?;
        Ok(())
    }

    /// Somebody by name or part.
    ///
    /// # Errors
    /// Says who there is.
    pub fn person(&self, who: &str) -> anyhow::Result<&Person> {
        self.people.iter().find(|person| person.name == who || person.part == who).with_context(|| {
            let names: Vec<&str> = self.people.iter().map(|person| person.name.as_str()).collect();
            format!("there is no `{who}`; there are {}", names.join(", "))
        })
    }
}
