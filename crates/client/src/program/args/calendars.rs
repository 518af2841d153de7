//! Arguments of `calendars`.

use std::path::PathBuf;

use clap::Subcommand;

#[derive(Subcommand)]
pub(crate) enum CalendarsVerb {
    /// Each, with what it closes next, and the rules that go by it.
    List,
    /// Every entry of one that is not over.
    Show {
        /// Its name.
        name: String,
    },
    /// Set one from an iCalendar file (RFC 5545): a new one, or in the place of the one of that name.
    Set {
        /// Its name, by which rules go by it: `closed = ["NAME"]`.
        name: String,
        /// The file; `-` is standard input. 256 KiB at most.
        file: PathBuf,
        /// An IANA time zone, of which its whole days are, and its times without a zone: `Europe/Oslo`.
        #[arg(long)]
        zone: String,
    },
    /// End one that no rule goes by.
    End {
        /// Its name.
        name: String,
    },
}
