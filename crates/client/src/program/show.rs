//! Tables and words for people.

use comfy_table::{ContentArrangement, Table, presets::NOTHING};
use jiff::{Timestamp, tz::TimeZone};
use serde::Serialize;
use tempestas_api::LedgerEntry;

/// Tables are not squeezed below this many columns.
const NARROWEST: u16 = 80;

/// A time, in the zone of this machine.
pub(crate) fn when(at: Timestamp) -> String {
    at.to_zoned(TimeZone::system()).strftime("%F %T %Z").to_string()
}

/// A time, or a dash.
pub(crate) fn perhaps(at: Option<Timestamp>) -> String {
    at.map_or_else(|| "-".to_owned(), when)
}

/// A state as the word that it is on the wire.
pub(crate) fn word<T: Serialize>(state: T) -> String {
    let value = serde_json::to_value(state).ok();
    value.and_then(|value| value.as_str().map(str::to_owned)).unwrap_or_default()
}

/// Prints a table, or says why there is none.
pub(crate) fn table<R, C>(head: &[&str], rows: R, empty: &str)
where
    R: IntoIterator<Item = C>,
    C: IntoIterator<Item = String>,
{
    let mut table = Table::new();
    table.load_preset(NOTHING).set_content_arrangement(ContentArrangement::Dynamic);
    // Some terminals say that they have no width at all.
    if table.width().is_some_and(|width| width < NARROWEST) {
        table.set_width(NARROWEST);
    }
    table.set_header(head.iter().map(|title| title.to_uppercase()));
    for row in rows {
        table.add_row(row.into_iter().collect::<Vec<_>>());
    }
    if table.row_count() == 0 {
        println!("{empty}");
        return;
    }
    for line in table.lines() {
        println!("{}", line.trim_end());
    }
}

/// Prints entries of the ledger.
pub(crate) fn entries(entries: &[LedgerEntry]) {
    let row = |entry: &LedgerEntry| {
        [
            entry.n.to_string(),
            when(entry.at),
            entry.who.clone(),
            entry.from.clone().unwrap_or_default(),
            entry.says.clone(),
        ]
    };
    table(&["no", "when", "who", "from", "what"], entries.iter().map(row), "No entry fits.");
}
