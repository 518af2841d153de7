//! The one configuration file, in TOML. What is wrong with it is named by line.

use std::{
    net::SocketAddr,
    os::unix::fs::PermissionsExt as _,
    path::{Path, PathBuf},
};

use jiff::SignedDuration;
use serde::{Deserialize, de::Error as _};
use tempestas_targets::Program;
use url::Url;

/// The words that let the service speak plain HTTP beyond loopback.
const ACCEPTED_IN_SO_MANY_WORDS: &str = "anyone on the way can read and change everything";

/// A span of time as people write it: `"30m"`, `"12h"`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Span(pub SignedDuration);

impl<'de> Deserialize<'de> for Span {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let text = String::deserialize(deserializer)?;
        let span: SignedDuration = text.parse().map_err(|_| {
            D::Error::custom(format!("`{text}` is not a span of time; write it like \"30m\" or \"12h\""))
        })?;
        if span.is_positive() {
            Ok(Self(span))
        } else {
            Err(D::Error::custom("a span of time must be longer than nothing"))
        }
    }
}

/// The whole file.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Config {
    /// Where it listens and keeps its state.
    pub service: ServiceConfig,
    /// Certificate and key; plain HTTP without.
    #[serde(default)]
    pub tls: Option<TlsConfig>,
    /// The master key.
    pub master_key: MasterKeyConfig,
    /// The ledger.
    pub ledger: LedgerConfig,
    /// Sign-in.
    #[serde(default)]
    pub sign_in: SignInConfig,
    /// Surveys.
    #[serde(default)]
    pub surveys: SurveyConfig,
    /// Described targets.
    #[serde(default)]
    pub described: DescribedConfig,
}

/// What described targets may do on this machine.
#[derive(Debug, Clone, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct DescribedConfig {
    /// Programs that a description may run as the service's user, each with the arguments that it may be given; none where
    /// it is left out.
    pub programs: Vec<Program>,
}

/// Where it listens and keeps its state.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct ServiceConfig {
    /// Address and port.
    pub listen: SocketAddr,
    /// The address that people type, like `https://tempestas.quillhaven.example`; passkeys are bound to its name, and
    /// links lead there. `localhost` and the port it listens on, where it is left out.
    #[serde(default)]
    pub address: Option<Url>,
    /// Whether this is a sample world, which the console then says on every page.
    #[serde(default)]
    pub sample_world: bool,
    /// Address and port of `/health`; none where it is left out.
    #[serde(default)]
    pub health: Option<SocketAddr>,
    /// Directory that holds its state.
    pub state: PathBuf,
    /// Set to the very words of the documentation, lets it speak plain HTTP beyond loopback.
    #[serde(default)]
    pub plain_http: Option<String>,
    /// Name of the first administrator, made at the first start.
    #[serde(default = "first_administrator")]
    pub first_administrator: String,
}

fn first_administrator() -> String {
    "administrator".to_owned()
}

/// Files of certificate and key in PEM; read again when they change.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct TlsConfig {
    /// Certificate chain.
    pub certificate: PathBuf,
    /// Private key.
    pub key: PathBuf,
}

/// Where the master key is; one of the two.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct MasterKeyConfig {
    /// A file of mode 0600 with a line `ID:BASE64` for each key, the one in use first.
    #[serde(default)]
    pub file: Option<PathBuf>,
    /// Name of a systemd credential with the same content.
    #[serde(default)]
    pub credential: Option<String>,
}

/// The ledger.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LedgerConfig {
    /// Name that checkpoints are signed under, like `quillhaven.example/tempestas`.
    pub origin: String,
    /// File, best on another machine, to which each checkpoint is added.
    #[serde(default)]
    pub checkpoints: Option<PathBuf>,
}

/// Sign-in.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct SignInConfig {
    /// Ends after so long without use.
    pub idle: Span,
    /// Ends after so long in any case.
    pub longest: Span,
}

impl Default for SignInConfig {
    fn default() -> Self {
        Self { idle: Span(SignedDuration::from_mins(30)), longest: Span(SignedDuration::from_hours(12)) }
    }
}

/// Surveys and read-backs.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub struct SurveyConfig {
    /// How often each target is surveyed.
    pub every: Span,
    /// How often live grants are read back.
    pub read_back: Span,
    /// How far a target's clock may be from ours before nothing is given there.
    pub skew: Span,
}

impl Default for SurveyConfig {
    fn default() -> Self {
        Self {
            every: Span(SignedDuration::from_hours(1)),
            read_back: Span(SignedDuration::from_secs(30)),
            skew: Span(SignedDuration::from_secs(5)),
        }
    }
}

impl Config {
    /// Reads and checks the file.
    ///
    /// # Errors
    /// Names the file, the line and what is wrong.
    pub fn read(path: &Path) -> Result<Self, String> {
        let text = std::fs::read_to_string(path).map_err(|error| format!("{}: {error}", path.display()))?;
        let config: Self = toml::from_str(&text).map_err(|error| format!("{}: {error}", path.display()))?;
        config.check(&text).map_err(|wrong| format!("{}: {wrong}", path.display()))?;
        Ok(config)
    }

    fn check(&self, text: &str) -> Result<(), String> {
        let at = |key: &str| {
            let line = text.lines().position(|line| line.trim_start().starts_with(key)).map_or(1, |line| line + 1);
            format!("line {line}")
        };
        let plain = self.service.plain_http.as_deref();
        if plain.is_some_and(|words| words != ACCEPTED_IN_SO_MANY_WORDS) {
            return Err(format!(
                "{}: `plain_http` must read exactly \"{ACCEPTED_IN_SO_MANY_WORDS}\", or be left out",
                at("plain_http")
            ));
        }
        if self.tls.is_none() && !self.service.listen.ip().is_loopback() && plain.is_none() {
            return Err(format!(
                "{}: {} is beyond loopback and there is no [tls]; add `certificate` and `key` there, or set plain_http = \"{ACCEPTED_IN_SO_MANY_WORDS}\"",
                at("listen"),
                self.service.listen
            ));
        }
        if self.master_key.file.is_some() == self.master_key.credential.is_some() {
            return Err(format!("{}: set either `file` or `credential`", at("[master_key]")));
        }
        if self.ledger.origin.is_empty() || self.ledger.origin.contains(|c: char| c.is_whitespace() || c == '+') {
            return Err(format!(
                "{}: `origin` is a name without spaces or `+`, like \"quillhaven.example/tempestas\"",
                at("origin")
            ));
        }
        if let Some(tls) = &self.tls {
            for (key, file) in [("certificate", &tls.certificate), ("key", &tls.key)] {
                std::fs::metadata(file).map_err(|error| format!("{}: {}: {error}", at(key), file.display()))?;
            }
            ensure_private(&tls.key).map_err(|error| format!("{}: {error}", at("key")))?;
        }
        Ok(())
    }
}

/// Refuses a file with a secret that others may read.
///
/// # Errors
/// Says how to mend it, or that it can't be looked at.
pub(crate) fn ensure_private(file: &Path) -> Result<(), String> {
    let mode = std::fs::metadata(file).map_err(|error| format!("{}: {error}", file.display()))?.permissions().mode();
    if mode & 0o077 == 0 {
        return Ok(());
    }
    Err(format!("{0} can be read by others (mode {1:o}); run `chmod 600 {0}`", file.display(), mode & 0o777))
}

#[cfg(test)]
mod tests {
    use super::*;

    const GOOD: &str = r#"
[service]
listen = "127.0.0.1:0"
state = "state"
[master_key]
file = "master.key"
[ledger]
origin = "quillhaven.example/tempestas"
"#;

    fn wrong(change: impl Fn(&str) -> String) -> String {
        let directory = tempfile::tempdir().unwrap();
        let path = directory.path().join("tempestas.toml");
        std::fs::write(&path, change(GOOD)).unwrap();
        Config::read(&path).expect_err("it must be refused")
    }

    #[test]
    fn what_is_wrong_is_named_by_line() {
        let cases = [
            (wrong(|good| good.replace("127.0.0.1:0", "0.0.0.0:80")), "line 3: 0.0.0.0:80 is beyond loopback"),
            (wrong(|good| good.replace("127.0.0.1:0", "here")), "TOML parse error at line 3"),
            (wrong(|good| format!("{good}[sign_in]\nidle = \"soon\"\n")), "at line 10"),
            (wrong(|good| good.replace("file = \"master.key\"", "")), "line 5: set either `file` or `credential`"),
            (wrong(|good| good.replace("origin = \"q", "origin = \"a b")), "line 8: `origin` is a name without spaces"),
            (wrong(|good| good.replace("state =", "stat =")), "unknown field `stat`"),
            (
                wrong(|good| good.replace("state =", "plain_http = \"yes\"\nstate =")),
                "line 4: `plain_http` must read exactly",
            ),
        ];
        for (said, expected) in cases {
            assert!(said.contains(expected), "{said:?} does not say {expected:?}");
        }
    }
}
