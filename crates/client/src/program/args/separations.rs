//! Arguments of `separations`.

use clap::{ArgGroup, Args, Subcommand};
use jiff::Timestamp;

#[derive(Subcommand)]
pub(crate) enum SeparationsVerb {
    /// Each, with what breaks it at present.
    List,
    /// What would break one, were it set; nothing is changed.
    Try(SetSeparation),
    /// Set one: a new one, or in the place of the one of that name.
    Set {
        /// Its name.
        name: String,
        #[command(flatten)]
        keeps: SetSeparation,
    },
    /// End one.
    End {
        /// Its name.
        name: String,
    },
    /// Put up with what breaks one already, until a time: nothing else is.
    Tolerate {
        /// Its name.
        name: String,
        /// Whose; left out where it is no one person's, but how many there are.
        #[arg(long)]
        who: Option<String>,
        /// Until when, like 2027-01-31T16:00Z.
        #[arg(long, required_unless_present = "no_longer")]
        until: Option<Timestamp>,
        /// Why.
        #[arg(long, required_unless_present = "no_longer")]
        reason: Option<String>,
        /// Don't, from now on.
        #[arg(long, conflicts_with_all = ["until", "reason"])]
        no_longer: bool,
    },
}

/// Rights are written as ROLE@/PATH, as weight:critical@/PATH (all that weigh so much, or more), or as /PATH (all there).
#[derive(Args)]
#[command(group(ArgGroup::new("keeps").required(true).args(["apart", "of"])))]
pub(crate) struct SetSeparation {
    /// Rights that nobody has together with one of those of `--from`.
    #[arg(long, value_name = "RIGHTS", requires = "from")]
    pub(crate) apart: Option<String>,
    /// The other side of `--apart`.
    #[arg(long, value_name = "RIGHTS", requires = "apart")]
    pub(crate) from: Option<String>,
    /// Rights of which only so many are had: `--each` by one person, or `--least` and `--most` people.
    #[arg(long, value_name = "RIGHTS")]
    pub(crate) of: Option<String>,
    /// How many of them one person may have.
    #[arg(long, value_name = "RIGHTS", requires = "of", conflicts_with_all = ["least", "most"])]
    pub(crate) each: Option<u16>,
    /// How many people at least have one.
    #[arg(long, value_name = "PEOPLE", requires = "of")]
    pub(crate) least: Option<u16>,
    /// How many people at most have one.
    #[arg(long, value_name = "PEOPLE", requires = "of")]
    pub(crate) most: Option<u16>,
    /// Count only what is held, for a time at that moment or all the time, and not what one may ask for.
    #[arg(long)]
    pub(crate) held: bool,
}
