//! The real `tempestasd`, with a real configuration file.

use std::{
    net::IpAddr,
    path::{Path, PathBuf},
};

use crate::processes::{Running, program};

/// What a configuration file is made from.
pub struct Setup {
    /// Directory for state, key and configuration.
    pub directory: PathBuf,
    /// Address to listen on.
    pub address: IpAddr,
    /// Port; 0 takes a free one.
    pub port: u16,
    /// Name of the first administrator.
    pub first_administrator: String,
    /// Lines added to the configuration, each table in full.
    pub more: String,
}

impl Setup {
    /// The configuration file's path.
    #[must_use]
    pub fn config(&self) -> PathBuf {
        self.directory.join("tempestas.toml")
    }

    /// The state directory.
    #[must_use]
    pub fn state(&self) -> PathBuf {
        self.directory.join("state")
    }

    /// The service's log.
    #[must_use]
    pub fn log(&self) -> PathBuf {
        self.directory.join("tempestasd.log")
    }

    /// Writes the configuration file.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn write(&self) -> anyhow::Result<()> {
        std::fs::create_dir_all(&self.directory)?;
        let directory = self.directory.display();
        let listen = std::net::SocketAddr::new(self.address, self.port);
        let (first, more) = (&self.first_administrator, &self.more);
        std::fs::write(
            self.config(),
            format!(
                "# Written by tempestas-demo.\n[service]\nlisten = \"{listen}\"\nstate = \"{directory}/state\"\nsample_world = true\nfirst_administrator = \"{first}\"\n\n\
                 [master_key]\nfile = \"{directory}/master.key\"\n\n\
                 [ledger]\norigin = \"quillhaven.example/tempestas\"\ncheckpoints = \"{directory}/checkpoints\"\n\n{more}"
            ),
        )?;
        Ok(())
    }

    /// Starts the service.
    ///
    /// # Errors
    /// When it does not start.
    pub fn start(&self, environment: &[(&str, &str)]) -> anyhow::Result<Running> {
        let config = self.config();
        Running::start("tempestasd", &["--config", &config.to_string_lossy()], environment, &self.log())
    }

    /// Runs a command of the service's program beside it.
    ///
    /// # Errors
    /// When it can't be run at all.
    pub fn run(&self, arguments: &[&str]) -> anyhow::Result<std::process::Output> {
        let config = self.config();
        Ok(std::process::Command::new(program("tempestasd")?).arg("--config").arg(config).args(arguments).output()?)
    }

    /// The one-time secret of the first administrator.
    ///
    /// # Errors
    /// When it isn't there.
    pub fn first_secret(&self) -> anyhow::Result<String> {
        Ok(std::fs::read_to_string(self.state().join("first-administrator.secret"))?.trim().to_owned())
    }
}

/// Starts the simulated cloud Brightwater.
///
/// # Errors
/// When it does not start.
pub fn brightwater(directory: &Path, port: u16, seed: Option<&str>) -> anyhow::Result<Running> {
    standin("brightwater", directory, port, seed)
}

/// Starts the simulated cloud Fathom.
///
/// # Errors
/// When it does not start.
pub fn fathom(directory: &Path, port: u16, seed: Option<&str>) -> anyhow::Result<Running> {
    standin("fathom", directory, port, seed)
}

/// Starts the port's gate controllers.
///
/// # Errors
/// When they do not start.
pub fn gates(directory: &Path, port: u16, seed: Option<&str>) -> anyhow::Result<Running> {
    standin("gates", directory, port, seed)
}

/// Starts a stand-in with its first state, or as it was left.
fn standin(which: &str, directory: &Path, port: u16, seed: Option<&str>) -> anyhow::Result<Running> {
    // Its files hold keys.
    std::os::unix::fs::DirBuilderExt::mode(std::fs::DirBuilder::new().recursive(true), 0o700).create(directory)?;
    let (state, first) = (directory.join("state.json"), directory.join("seed.json"));
    if let Some(seed) = seed {
        std::fs::write(&first, seed)?;
    }
    let (port, state, first) = (port.to_string(), state.to_string_lossy(), first.to_string_lossy());
    let arguments = [which, "--port", &port, "--state", &state, "--seed", &first];
    Running::start("tempestas-standins", &arguments, &[], &directory.join("log"))
}
