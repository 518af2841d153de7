//! Asking, and asking to go on.

use std::collections::BTreeMap;

use anyhow::bail;
use clap::{Args as ClapArgs, Subcommand, ValueEnum};
use jiff::Timestamp;
use tempestas_api::Brings;
use tempestas_core::{Finding, Seconds};

use super::span;

#[derive(ClapArgs)]
pub(crate) struct AskArgs {
    /// The right, ROLE@/PATH.
    pub(crate) right: String,
    /// For how long, like 45m or 2h.
    #[arg(long = "for", value_parser = span)]
    pub(crate) duration: Option<Seconds>,
    /// Begin at a set time, like 2026-11-24T02:00Z.
    #[arg(long, conflicts_with = "on_begin")]
    pub(crate) at: Option<Timestamp>,
    /// Begin when you say so, with `tempestas begin`.
    #[arg(long)]
    pub(crate) on_begin: bool,
    /// Break the glass: hold it at once with nobody asked, where the terms name you for that; it is an alarm, and somebody else
    /// looks at what you did.
    #[arg(long, conflicts_with_all = ["at", "on_begin"])]
    pub(crate) break_glass: bool,
    /// As last time you held or asked for it: as long, as narrow, from when, and with what you brought, as far as it is still wanted.
    /// What you say besides takes its place.
    #[arg(long)]
    pub(crate) as_last_time: bool,
    #[command(flatten)]
    pub(crate) asking: Asking,
    /// Wait until it is verified on its target.
    #[arg(long)]
    pub(crate) wait: bool,
}

#[derive(ClapArgs)]
pub(crate) struct ExtendArgs {
    /// Reference, like E1042.
    pub(crate) elevation: String,
    /// For how much longer, like 30m; the usual time where it is left out.
    #[arg(long = "for", value_parser = span)]
    pub(crate) more: Option<Seconds>,
    #[command(flatten)]
    pub(crate) asking: Asking,
    /// Wait until it is settled, and its end was moved on its target.
    #[arg(long)]
    pub(crate) wait: bool,
}

/// What whoever asks brings.
#[derive(ClapArgs)]
pub(crate) struct Given {
    /// Why.
    #[arg(long)]
    reason: Option<String>,
    /// Which of the purposes that the terms list.
    #[arg(long)]
    purpose: Option<String>,
    /// Ticket.
    #[arg(long)]
    ticket: Option<String>,
    /// A further reference that the terms name, like visit=V-2031; may be repeated.
    #[arg(long = "reference", value_name = "NAME=REFERENCE", value_parser = reference)]
    references: Vec<(String, String)>,
}

impl Given {
    /// As it is sent.
    ///
    /// # Errors
    /// When a reference is given twice.
    pub(crate) fn brings(self) -> anyhow::Result<Brings> {
        let mut references = BTreeMap::new();
        for (name, reference) in self.references {
            if references.contains_key(&name) {
                bail!("`--reference {name}=…` is given twice; give it once");
            }
            references.insert(name, reference);
        }
        Ok(Brings { purpose: self.purpose, reason: self.reason, ticket: self.ticket, references })
    }
}

/// How whoever asks goes about it, once they saw what is demanded.
#[derive(ClapArgs)]
pub(crate) struct Asking {
    #[command(flatten)]
    pub(crate) given: Given,
    /// Only show what it would demand.
    #[arg(long)]
    pub(crate) preview: bool,
    /// Don't ask whether you are sure.
    #[arg(long)]
    pub(crate) yes: bool,
}

fn reference(text: &str) -> Result<(String, String), String> {
    let (name, reference) = text.split_once('=').ok_or("write it like visit=V-2031")?;
    Ok((name.trim().to_owned(), reference.trim().to_owned()))
}

#[derive(Subcommand)]
pub(crate) enum DebriefsVerb {
    /// List those that wait for you.
    List {
        /// Also those that wait for others, as far as you see them.
        #[arg(long)]
        all: bool,
    },
    /// Sign one off; what was done is shown first.
    Sign {
        /// Reference, like E1042.
        elevation: String,
        /// What you found.
        #[arg(value_name = "FOUND")]
        found: Found,
        /// What you say of it; needed where it was not in order.
        #[arg(long)]
        reason: Option<String>,
        /// Don't ask whether you are sure.
        #[arg(long)]
        yes: bool,
    },
}

#[derive(Clone, Copy, ValueEnum)]
pub(crate) enum Found {
    /// What was done was what it was asked for.
    InOrder,
    /// It was not.
    NotInOrder,
}

impl From<Found> for Finding {
    fn from(found: Found) -> Self {
        match found {
            Found::InOrder => Self::InOrder,
            Found::NotInOrder => Self::NotInOrder,
        }
    }
}
