//! Arguments of `circumstances`.

use std::path::PathBuf;

use clap::Subcommand;

#[derive(Subcommand)]
pub(crate) enum CircumstancesVerb {
    /// Each, with whether it holds, and the rules that want it.
    List,
    /// Set one: a new one, or in the place of the one of that name.
    Set {
        /// Its name, by which rules want it: `only_while = ["NAME"]`.
        name: String,
        /// The address that is asked, like <https://desk.example/incidents/open>. A part of its path may be {visit} or {ticket}:
        /// the reference of that name that an asker brings.
        #[arg(long, value_name = "ADDRESS")]
        ask: String,
        /// Where in the answer it stands, as a JSON pointer (RFC 6901), like /state; the whole answer where it is left out.
        #[arg(long, default_value = "")]
        at: String,
        /// What stands there while it holds: a text, a number, true or false.
        #[arg(long)]
        is: String,
        /// A file with the token that it is asked with, as a bearer; `-` is standard input.
        #[arg(long, value_name = "FILE")]
        token_file: Option<PathBuf>,
    },
    /// End one that no rule wants.
    End {
        /// Its name.
        name: String,
    },
}
