//! Tables and words for people.

use comfy_table::{ContentArrangement, Table, presets::NOTHING};
use jiff::{Timestamp, tz::TimeZone};
use serde::Serialize;
use tempestas_api::LedgerEntry;
use tempestas_core::is_deceptive;

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

/// A reply as JSON, with whatever would deceive written as JSON writes it, so that a program reads it as it was.
pub(crate) fn json<T: Serialize>(reply: &T) -> serde_json::Result<String> {
    let text = serde_json::to_string_pretty(reply)?;
    let mut written = String::with_capacity(text.len());
    for c in text.chars() {
        if is_deceptive(c) && c != '\n' {
            c.encode_utf16(&mut [0; 2]).iter().for_each(|unit| written.push_str(&format!("\\u{unit:04x}")));
        } else {
            written.push(c);
        }
    }
    Ok(written)
}

/// What somebody wrote, as a block of its own: each line behind the same mark, so that none passes for ours.
pub(crate) fn quoted(what: &str, said: Option<&str>) {
    let Some(said) = said else { return println!("    {what}: none given") };
    println!("    {what}:");
    for line in said.lines() {
        println!("      > {line}");
    }
}

/// What somebody wrote, within a line of ours.
pub(crate) fn inline(said: &str) -> String {
    format!("\"{}\"", said.lines().collect::<Vec<_>>().join(" / "))
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

/// A QR code in half blocks, dark on light whatever the terminal's colours are.
pub(crate) fn qr(rows: &[String]) -> String {
    let width = rows.first().map_or(0, |row| row.len());
    let is_dark = |row: Option<&String>, at: usize| row.is_some_and(|row| row.as_bytes().get(at) == Some(&b'#'));
    // Four light squares around it (ISO/IEC 18004, 6.3.8).
    let margin = 4;
    let quiet = vec![" ".repeat(width); margin];
    let all: Vec<&String> = quiet.iter().chain(rows).chain(&quiet).collect();
    let mut drawn = String::new();
    for pair in all.chunks(2) {
        drawn.push_str("\x1b[30;47m");
        for at in 0..width + 2 * margin {
            let dark = |row: Option<&&String>| at >= margin && is_dark(row.copied(), at - margin);
            drawn.push(match (dark(pair.first()), dark(pair.get(1))) {
                (true, true) => '█',
                (true, false) => '▀',
                (false, true) => '▄',
                (false, false) => ' ',
            });
        }
        drawn.push_str("\x1b[0m\n");
    }
    drawn
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

#[cfg(test)]
mod tests {
    use super::json;

    #[test]
    fn json_holds_what_there_is_and_shows_none_of_it() {
        let hostile = "a\u{202e}b\u{e0041}\u{1b}\n";
        let printed = json(&hostile).unwrap();
        assert_eq!(printed, r#""a\u202eb\udb40\udc41\u001b\n""#);
        assert_eq!(serde_json::from_str::<String>(&printed).unwrap(), hostile);
    }

    #[test]
    fn a_qr_code_is_drawn_square_by_square_with_light_around_it() {
        // Odd in height, so that the last line has half a row.
        let rows: Vec<String> = ["# #", " # ", "###"].map(str::to_owned).to_vec();
        let drawn = super::qr(&rows);
        let lines: Vec<Vec<char>> = drawn
            .lines()
            .map(|line| line.trim_start_matches("\x1b[30;47m").trim_end_matches("\x1b[0m").chars().collect())
            .collect();
        let side = rows.len() + 8;
        assert_eq!(lines.len(), side.div_ceil(2));
        for y in 0..side {
            for (x, half) in lines[y / 2].iter().enumerate() {
                let drawn = match half {
                    '█' => true,
                    '▀' => y % 2 == 0,
                    '▄' => y % 2 == 1,
                    _ => false,
                };
                let square = |at: usize| at.checked_sub(4).filter(|at| *at < rows.len());
                let dark = square(x).zip(square(y)).is_some_and(|(x, y)| rows[y].as_bytes()[x] == b'#');
                assert_eq!(drawn, dark, "{x} {y}");
            }
        }
        assert!(lines.iter().all(|line| line.len() == side), "each line is as wide");
    }
}
