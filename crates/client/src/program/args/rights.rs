//! Verbs about standing rights, eligibilities and terms.

use std::path::PathBuf;

use clap::{Args as ClapArgs, Subcommand};
use jiff::Timestamp;

#[derive(ClapArgs)]
pub(crate) struct StandingArgs {
    /// Those that reach this scope.
    #[arg(long)]
    pub(crate) at: Option<String>,
    /// Those of this person, group or program.
    #[arg(long)]
    pub(crate) who: Option<String>,
    /// Those of this role.
    #[arg(long)]
    pub(crate) role: Option<String>,
}

#[derive(Subcommand)]
pub(crate) enum ConvertVerb {
    /// What converting would do, right by right; changes nothing.
    Preview {
        /// References, like h12.
        #[arg(required = true)]
        rights: Vec<String>,
    },
    /// Show the same, then do it.
    Apply {
        /// References, like h12.
        #[arg(required = true)]
        rights: Vec<String>,
        /// When the eligibilities end.
        #[arg(long)]
        until: Option<Timestamp>,
        /// Don't ask whether you are sure.
        #[arg(long)]
        yes: bool,
        /// Wait until the targets were read back.
        #[arg(long)]
        wait: bool,
    },
    /// List conversions.
    List,
}

#[derive(Subcommand)]
pub(crate) enum EligibleVerb {
    /// Make somebody eligible.
    Give {
        /// Person, group or program.
        who: String,
        /// The right, ROLE@/PATH.
        right: String,
        /// From when.
        #[arg(long)]
        from: Option<Timestamp>,
        /// Until when.
        #[arg(long)]
        until: Option<Timestamp>,
    },
    /// End an eligibility.
    End {
        /// Its id.
        id: String,
    },
}

#[derive(Subcommand)]
pub(crate) enum TermsVerb {
    /// List the rules, and how they are weighed.
    List,
    /// What holds for a right, and where each setting comes from.
    Show {
        /// The right, ROLE@/PATH.
        right: String,
        /// For this asker instead of you.
        #[arg(long)]
        asker: Option<String>,
    },
    /// Set a rule from a TOML file.
    Set {
        /// The file; `-` for standard input.
        file: PathBuf,
        /// Change this rule in place instead of adding one.
        #[arg(long)]
        id: Option<String>,
    },
    /// End a rule.
    End {
        /// Its id.
        id: String,
    },
}
