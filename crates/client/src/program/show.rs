//! Tables and words for people.

use std::{
    fmt,
    io::{self, Write as _},
    sync::OnceLock,
};

use anstream::ColorChoice;
use anstyle::{AnsiColor, Style};
use comfy_table::{Cell, Color, ContentArrangement, Table, presets::NOTHING};
use jiff::{Timestamp, tz::TimeZone};
use serde::Serialize;
use tempestas_api::LedgerEntry;
use tempestas_core::{Part, Sentence, is_deceptive};

/// Tables are not squeezed below this many columns.
const NARROWEST: u16 = 80;

/// The zone that times are told in; set once, from the command line.
static ZONE: OnceLock<TimeZone> = OnceLock::new();

/// Chooses for the whole program how times and colours are printed.
pub(crate) fn choose(utc: bool, colour: ColorChoice) {
    // Whoever chose first has chosen; there is one caller.
    let _ = ZONE.set(if utc { TimeZone::UTC } else { TimeZone::system() });
    colour.write_global();
}

/// The zone that times are told in.
pub(crate) fn zone() -> TimeZone {
    ZONE.get().cloned().unwrap_or_else(TimeZone::system)
}

/// A line on standard output; what can't be printed ends the program, and says so.
macro_rules! say {
    () => { $crate::program::show::line(format_args!("")) };
    ($($said:tt)*) => { $crate::program::show::line(format_args!($($said)*)) };
}

/// A line beside what is printed, on standard error.
macro_rules! tell {
    ($($said:tt)*) => { $crate::program::show::aside(format_args!($($said)*)) };
}

pub(crate) use {say, tell};

pub(crate) fn line(said: fmt::Arguments<'_>) {
    let mut out = anstream::stdout();
    writeln!(out, "{said}").and_then(|()| out.flush()).unwrap_or_else(|error| unprinted(&error));
}

pub(crate) fn aside(said: fmt::Arguments<'_>) {
    // Where not even this can be written there is nobody left to tell.
    let _ = writeln!(anstream::stderr(), "{said}");
}

/// Prints bytes as they are.
pub(crate) fn raw(bytes: &[u8]) {
    let mut out = io::stdout();
    out.write_all(bytes).and_then(|()| out.flush()).unwrap_or_else(|error| unprinted(&error));
}

/// Whoever reads is gone, or the disk is full: what was done is done, but was not all told.
fn unprinted(error: &io::Error) -> ! {
    tell!("tempestas: not all could be printed: {error}");
    std::process::exit(1)
}

/// A time, with its zone beside it.
pub(crate) fn when(at: Timestamp) -> String {
    at.to_zoned(zone()).strftime("%F %T %Z").to_string()
}

/// A sentence of the service, its moments in the zone that all others are told in.
pub(crate) fn said(words: &Sentence) -> String {
    let part = |part: &Part| match part {
        Part::Time { at } => when(*at),
        other => other.to_string(),
    };
    words.0.iter().map(part).collect()
}

/// How a weight or a state stands out.
fn tone(word: &str) -> Option<(AnsiColor, Color)> {
    match word {
        "critical" | "refused" | "failed" | "revoked" => Some((AnsiColor::Red, Color::DarkRed)),
        "privileged" | "live" | "opening" | "closing" => Some((AnsiColor::Yellow, Color::DarkYellow)),
        "waiting" | "scheduled" | "ready" => Some((AnsiColor::Cyan, Color::DarkCyan)),
        _ => None,
    }
}

/// A weight or a state, within a line.
pub(crate) fn toned(word: &str) -> String {
    let style = tone(word).map_or_else(Style::new, |(colour, _)| colour.on_default());
    format!("{style}{word}{style:#}")
}

/// What went wrong, at the head of its sentence.
pub(crate) fn wrong() -> String {
    let style = AnsiColor::Red.on_default().bold();
    format!("{style}tempestas:{style:#}")
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
    let Some(said) = said else { return say!("    {what}: none given") };
    say!("    {what}:");
    for line in said.lines() {
        say!("      > {line}");
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

/// Columns whose words stand out.
const TONED: [&str; 2] = ["weight", "state"];

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
    // Whether escapes reach the reader is decided where lines are printed.
    table.enforce_styling();
    table.set_header(head.iter().map(|title| title.to_uppercase()));
    for row in rows {
        let cell = |(text, title): (String, &&str)| match tone(&text).filter(|_| TONED.contains(title)) {
            Some((_, colour)) => Cell::new(text).fg(colour),
            None => Cell::new(text),
        };
        table.add_row(row.into_iter().zip(head).map(cell));
    }
    if table.row_count() == 0 {
        say!("{empty}");
        return;
    }
    for line in table.lines() {
        say!("{}", line.trim_end());
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
            said(&entry.words),
        ]
    };
    table(&["no", "when", "who", "from", "what"], entries.iter().map(row), "No entry fits.");
}

#[cfg(test)]
mod tests {
    use jiff::tz::TimeZone;
    use tempestas_core::{Part, Sentence};

    use super::{ZONE, json, said};

    #[test]
    fn a_sentence_tells_its_moments_in_the_zone_of_all_others() {
        ZONE.set(TimeZone::get("Europe/Lisbon").unwrap()).unwrap();
        let at: jiff::Timestamp = "2026-07-01T12:00:00Z".parse().unwrap();
        let words = vec![
            Part::Text { text: "began to open ".to_owned() },
            Part::Elevation { id: "E1042".to_owned() },
            Part::Text { text: ", until ".to_owned() },
            Part::Time { at },
        ];
        assert_eq!(said(&Sentence(words)), "began to open E1042, until 2026-07-01 13:00:00 WEST");
    }

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
