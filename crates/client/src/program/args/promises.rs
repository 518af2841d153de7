//! Arguments of `promises`.

use clap::{ArgGroup, Args, Subcommand};
use tempestas_core::Seconds;

use super::span;

#[derive(Subcommand)]
pub(crate) enum PromisesVerb {
    /// Each, with what breaks it at present, the shortest example first.
    List,
    /// What would break one, were it set; nothing is changed.
    Try(SetPromise),
    /// Set one: a new one, or in the place of the one of that name.
    Set {
        /// Its name.
        name: String,
        #[command(flatten)]
        promise: SetPromise,
    },
    /// End one.
    End {
        /// Its name.
        name: String,
    },
}

/// Rights are written as ROLE@/PATH, as weight:critical@/PATH (all that weigh so much, or more), or as /PATH (all there).
#[derive(Args)]
#[command(group(ArgGroup::new("promised").required(true)))]
pub(crate) struct SetPromise {
    /// Rights that it is about.
    #[arg(long, value_name = "RIGHTS")]
    pub(crate) of: String,
    /// Only of this person, or of the members of this group.
    #[arg(long, value_name = "WHO")]
    pub(crate) by: Option<String>,
    /// Nobody holds one without so many yes from others.
    #[arg(long, value_name = "YES", group = "promised")]
    pub(crate) answered: Option<u16>,
    /// Nobody holds one for longer at a time, like 4h.
    #[arg(long, value_name = "TIME", group = "promised", value_parser = span)]
    pub(crate) longest: Option<Seconds>,
    /// Nobody begins to hold one without meeting this assurance.
    #[arg(long, value_name = "NAME", group = "promised")]
    pub(crate) assured: Option<String>,
    /// Whoever asks for one, so many people could answer in each stage.
    #[arg(long, value_name = "PEOPLE", group = "promised")]
    pub(crate) answerable: Option<u16>,
    /// Nobody holds one all the time.
    #[arg(long, group = "promised")]
    pub(crate) never_standing: bool,
    /// Nobody but this person, or the members of this group, may ask for one, or holds it.
    #[arg(long, value_name = "WHO", group = "promised")]
    pub(crate) only: Option<String>,
}
