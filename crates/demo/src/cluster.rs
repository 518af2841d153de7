//! A private PostgreSQL cluster on a free loopback port, run as an ordinary user. Never touches another one.

use std::{
    os::unix::fs::{PermissionsExt as _, chown},
    path::{Path, PathBuf},
    process::{Command, Stdio},
};

use anyhow::{Context as _, bail};
use tokio_postgres::{Client, NoTls};

/// The cluster's first superuser.
pub const SUPERUSER: &str = "harbour_root";

/// A running cluster; stopped when dropped.
pub struct Cluster {
    binaries: PathBuf,
    directory: PathBuf,
    /// Its port on 127.0.0.1.
    pub port: u16,
    password: String,
}

/// Where PostgreSQL's server programs are; none where they are not installed.
#[must_use]
pub fn binaries() -> Option<PathBuf> {
    let mut found: Vec<PathBuf> = std::fs::read_dir("/usr/lib/postgresql")
        .into_iter()
        .flatten()
        .flatten()
        .map(|entry| entry.path().join("bin"))
        .filter(|path| path.join("initdb").is_file())
        .collect();
    found.sort();
    found.pop()
}

/// A port that nobody uses at this moment.
///
/// # Errors
/// When there is none.
pub fn free_port() -> anyhow::Result<u16> {
    Ok(std::net::TcpListener::bind(("127.0.0.1", 0))?.local_addr()?.port())
}

/// User and group id of `postgres`, which Debian's package makes.
fn ordinary_user() -> anyhow::Result<(u32, u32)> {
    let passwd = std::fs::read_to_string("/etc/passwd")?;
    let line = passwd
        .lines()
        .find(|line| line.starts_with("postgres:"))
        .context("root can't run PostgreSQL, and there is no user `postgres`; install the package postgresql-15")?;
    let mut fields = line.split(':').skip(2);
    let mut number = || {
        fields
            .next()
            .and_then(|field| field.parse().ok())
            .context("the line of `postgres` in /etc/passwd can't be read")
    };
    Ok((number()?, number()?))
}

impl Cluster {
    /// Makes a cluster in a directory, or takes up the one that is there, and starts it.
    ///
    /// # Errors
    /// When a program of PostgreSQL fails; its words are in the error.
    pub fn start(directory: &Path, port: u16, password: &str) -> anyhow::Result<Self> {
        let binaries = binaries().context("PostgreSQL's server is not installed; install the package postgresql-15")?;
        let cluster = Self { binaries, directory: directory.to_owned(), port, password: password.to_owned() };
        let data = cluster.data();
        if !data.join("PG_VERSION").exists() {
            std::fs::create_dir_all(directory)?;
            let secret = directory.join("password");
            std::fs::write(&secret, password)?;
            std::fs::set_permissions(&secret, std::fs::Permissions::from_mode(0o600))?;
            std::fs::set_permissions(directory, std::fs::Permissions::from_mode(0o700))?;
            if rustix::process::geteuid().is_root() {
                let (user, group) = ordinary_user()?;
                chown(directory, Some(user), Some(group))?;
                chown(&secret, Some(user), Some(group))?;
            }
            let pwfile = format!("--pwfile={}", secret.display());
            cluster.run(
                "initdb",
                &[
                    "-D",
                    path(&data)?,
                    "-U",
                    SUPERUSER,
                    &pwfile,
                    "--auth=scram-sha-256",
                    "-N",
                    "-E",
                    "UTF8",
                    "--locale=C",
                ],
            )?;
            std::fs::remove_file(&secret)?;
        }
        if data.join("postmaster.pid").exists() {
            // Left running, or left behind, by a start that was killed; where nothing runs there is nothing to stop.
            let _ = cluster.stop();
        }
        let options = format!(
            "-c listen_addresses=127.0.0.1 -c port={port} -c unix_socket_directories= -c fsync=off -c log_statement=all -c max_connections=200 -c max_prepared_transactions=10"
        );
        let log = directory.join("log");
        cluster.run("pg_ctl", &["-D", path(&data)?, "-w", "-l", path(&log)?, "-o", &options, "start"])?;
        Ok(cluster)
    }

    fn data(&self) -> PathBuf {
        self.directory.join("data")
    }

    /// The cluster's own log, statements and all.
    #[must_use]
    pub fn log(&self) -> PathBuf {
        self.directory.join("log")
    }

    /// Runs a program of PostgreSQL, as an ordinary user.
    fn run(&self, program: &str, arguments: &[&str]) -> anyhow::Result<()> {
        let mut command = Command::new(self.binaries.join(program));
        command.args(arguments).current_dir("/").stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::piped());
        if rustix::process::geteuid().is_root() {
            use std::os::unix::process::CommandExt as _;
            let (user, group) = ordinary_user()?;
            command.gid(group).uid(user);
        }
        // pg_ctl's child keeps standard error open, so its words go to a file that both can write.
        let words = std::env::temp_dir().join(format!("tempestas-{program}-{}", std::process::id()));
        command.stderr(std::fs::File::create(&words)?);
        let status = command.status().with_context(|| format!("{program} can't be run"))?;
        let said = std::fs::read_to_string(&words).unwrap_or_default();
        let _ = std::fs::remove_file(&words);
        if !status.success() {
            bail!("{program} failed: {}", said.trim());
        }
        Ok(())
    }

    /// A connection as the cluster's superuser.
    ///
    /// # Errors
    /// When it can't be made.
    pub async fn connect(&self, database: &str) -> anyhow::Result<Client> {
        connect(self.port, SUPERUSER, &self.password, database).await
    }

    /// Stops the cluster at once.
    ///
    /// # Errors
    /// When it does not stop.
    pub fn stop(&self) -> anyhow::Result<()> {
        let data = self.data();
        self.run("pg_ctl", &["-D", path(&data)?, "-w", "-m", "fast", "stop"])
    }
}

impl Drop for Cluster {
    fn drop(&mut self) {
        if self.data().join("postmaster.pid").exists() {
            let _ = self.stop();
        }
    }
}

fn path(path: &Path) -> anyhow::Result<&str> {
    path.to_str().with_context(|| format!("{} is not UTF-8", path.display()))
}

/// A connection to a cluster on this machine.
///
/// # Errors
/// When it is refused.
pub async fn connect(port: u16, user: &str, password: &str, database: &str) -> anyhow::Result<Client> {
    let (client, connection) = tokio_postgres::Config::new()
        .host("127.0.0.1")
        .port(port)
        .user(user)
        .password(password)
        .dbname(database)
        .connect_timeout(std::time::Duration::from_secs(5))
        .connect(NoTls)
        .await?;
    tokio::spawn(connection);
    Ok(client)
}
