//! Arguments of `assurances`.

use clap::{Args, Subcommand};
use tempestas_core::{ProofMethod, Seconds};

use super::span;

#[derive(Subcommand)]
pub(crate) enum AssurancesVerb {
    /// Each, with the rules that want it, and whom it would have refused.
    List,
    /// Set one: a new one, or in the place of the one of that name.
    Set(SetAssurance),
    /// End one that no rule wants.
    End {
        /// Its name.
        name: String,
    },
}

#[derive(Args)]
pub(crate) struct SetAssurance {
    /// Its name, by which rules want it: `assured = ["NAME"]`.
    pub(crate) name: String,
    /// A proof of oneself that is accepted: `passkey` or `totp-code`; may be given twice.
    #[arg(long = "accept", required = true, value_parser = method)]
    pub(crate) accepts: Vec<ProofMethod>,
    /// How old the last proof may be, like 5m.
    #[arg(long, value_parser = span)]
    pub(crate) within: Seconds,
    /// A network that it must come from, like 10.20.0.0/16; may be given several times. From anywhere, where none is given.
    #[arg(long = "network")]
    pub(crate) networks: Vec<String>,
    /// The group whose members are let through without it.
    #[arg(long)]
    pub(crate) bypass: Option<String>,
    /// The group with which it is tried out: it holds for nobody else yet.
    #[arg(long)]
    pub(crate) pilot: Option<String>,
    /// Refuse nothing yet, and only note what it would have refused.
    #[arg(long)]
    pub(crate) watch_only: bool,
}

fn method(text: &str) -> Result<ProofMethod, String> {
    text.parse().map_err(|_| "`passkey` and `totp-code` can be accepted".to_owned())
}
