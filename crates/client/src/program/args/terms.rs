//! Verbs about terms, rule by rule and as files.

use std::path::PathBuf;

use clap::{Args as ClapArgs, Subcommand};
use tempestas_core::{Act, Digest};

fn act(text: &str) -> Result<Act, String> {
    serde_json::from_value(text.into()).map_err(|_| "it is one of elevate, extend and be-made-eligible".to_owned())
}

/// The place that files are about.
#[derive(ClapArgs)]
pub(crate) struct Within {
    /// Only of this place and all below it; of everything where it is left out.
    #[arg(long, default_value = "/")]
    pub(crate) within: String,
}

/// Files of terms.
#[derive(ClapArgs)]
pub(crate) struct Files {
    /// A directory, of which each `.toml` file is read, or one file.
    pub(crate) path: PathBuf,
    #[command(flatten)]
    pub(crate) within: Within,
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
        /// For another act than holding it: extend, be-made-eligible.
        #[arg(long, default_value = "elevate", value_parser = act)]
        act: Act,
    },
    /// Set a rule from a TOML file.
    Set {
        /// The file; `-` for standard input.
        file: PathBuf,
        /// Change this rule in place instead of adding one.
        #[arg(long)]
        id: Option<String>,
        /// Only show whom it would touch, and how.
        #[arg(long)]
        preview: bool,
    },
    /// Take the terms away as files, in TOML: rules, and of the whole house assurances, separations and promises as well.
    Export {
        /// Into this directory; to standard output where it is left out.
        dir: Option<PathBuf>,
        #[command(flatten)]
        within: Within,
        /// Also over files there that say something else.
        #[arg(long)]
        replace: bool,
    },
    /// Look through files of terms for what can't be: each fault with its file, line and column.
    Check(Files),
    /// What files of terms would change, and for whom; nothing is changed.
    Compare(Files),
    /// Put files of terms in place, as one: what they had and name no more ends, what they never had stays.
    Put {
        #[command(flatten)]
        files: Files,
        /// The plan that `compare` showed. It is refused where anything is otherwise by then.
        #[arg(long, value_parser = Digest::from_hex)]
        plan: Option<Digest>,
    },
    /// What was put from files, the last first.
    Filings,
    /// Undo what was put from files, as one.
    Undo {
        /// Its id, as `tempestas terms filings` lists it.
        filing: String,
        /// Without asking.
        #[arg(long)]
        yes: bool,
    },
    /// The JSON Schema of a file of terms, for an editor.
    Schema,
    /// Let a rule fit nothing for now; it stays as it is.
    Suspend {
        /// Its id.
        id: String,
        /// Why, for whoever resumes it to read.
        #[arg(long)]
        reason: String,
    },
    /// Resume a rule that was suspended.
    Resume {
        /// Its id.
        id: String,
    },
    /// End a rule.
    End {
        /// Its id.
        id: String,
    },
}
