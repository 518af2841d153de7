//! Entries of the ledger, as replies show them.

use tempestas_api::LedgerEntry;
use tempestas_core::{Actor, Fact, Visible, World};

/// An entry by its number.
pub(crate) fn entry(world: &World, number: u64, fact: Visible<'_, Fact>) -> LedgerEntry {
    let who = match fact.by {
        Actor::Subject(id) => world.subject_name(id),
        Actor::Keeper => "the service".to_owned(),
        Actor::Machine => "the machine".to_owned(),
        Actor::Nobody => "somebody not signed in".to_owned(),
    };
    let words = fact.what.sentence(world);
    LedgerEntry {
        n: number,
        at: fact.at,
        who,
        from: fact.from.map(|from| world.text(from)),
        says: words.to_string(),
        words,
        what: fact.what.clone(),
    }
}
