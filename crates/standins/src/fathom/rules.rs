//! What a sheet allows.

use serde::{Deserialize, Serialize};

use super::House;

/// A list of lines.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Sheet {
    /// What it lets one do, in plain words.
    pub says: String,
    /// Its lines, as their author ordered them; the order changes nothing.
    pub lines: Vec<Line>,
}

/// Allows or forbids a verb on things.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Line {
    /// Whether it allows.
    pub may: bool,
    /// A verb, or `*`.
    pub verb: String,
    /// A thing; `*` stands for any letters.
    pub thing: String,
}

/// Whether a pattern, in which `*` stands for any letters, fits the whole of a text.
fn fits(pattern: &str, text: &str) -> bool {
    let mut parts = pattern.split('*');
    let Some(mut rest) = parts.next().and_then(|first| text.strip_prefix(first)) else { return false };
    let mut last = None;
    for part in parts {
        last = Some(part);
        let Some(at) = rest.find(part) else { return false };
        rest = rest.get(at + part.len()..).unwrap_or_default();
    }
    match last {
        // No `*` at all: nothing may be left. Else what follows the last must stand at the end.
        None => rest.is_empty(),
        Some(last) => text.ends_with(last),
    }
}

impl Line {
    fn fits(&self, verb: &str, thing: &str) -> bool {
        fits(&self.verb, verb) && fits(&self.thing, thing)
    }
}

impl House {
    /// Whether an identity may do something at a site: some line allows it, and no line forbids it.
    #[must_use]
    pub fn may(&self, identity: &str, verb: &str, thing: &str, site: &str) -> bool {
        let teams: Vec<String> = self
            .teams
            .iter()
            .filter(|(_, members)| members.iter().any(|member| member == identity))
            .map(|(team, _)| format!("team/{team}"))
            .collect();
        let lines: Vec<&Line> = self
            .pins
            .values()
            .filter(|pin| pin.site == site && (pin.to == identity || teams.contains(&pin.to)))
            .filter_map(|pin| self.sheets.get(&pin.sheet))
            .flat_map(|sheet| &sheet.lines)
            .filter(|line| line.fits(verb, thing))
            .collect();
        lines.iter().any(|line| line.may) && lines.iter().all(|line| line.may)
    }
}

#[cfg(test)]
mod tests {
    use super::super::Pin;
    use super::*;

    fn line(text: &str) -> Line {
        let mut words = text.split_whitespace();
        let mut word = || words.next().unwrap_or_default().to_owned();
        Line { may: word() == "may", verb: word(), thing: word() }
    }

    fn pin(sheet: &str, to: &str, site: &str) -> Pin {
        Pin {
            sheet: sheet.to_owned(),
            to: to.to_owned(),
            site: site.to_owned(),
            note: String::new(),
            order: 0,
            since: jiff::Timestamp::UNIX_EPOCH,
            made_by: String::new(),
        }
    }

    #[test]
    fn a_may_not_beats_every_may_whatever_the_order_and_whoever_it_is_pinned_to() {
        let sheet =
            |lines: &[&str]| Sheet { says: String::new(), lines: lines.iter().map(|text| line(text)).collect() };
        let mut house = House::default();
        house.sheets.insert(
            "desk".to_owned(),
            sheet(&["may read booking/*", "may change booking/ferry-*", "maynot read booking/crew"]),
        );
        house.sheets.insert("crew".to_owned(), sheet(&["may read booking/crew"]));
        house.sheets.insert("all".to_owned(), sheet(&["may * *"]));
        house.sheets.insert("frozen".to_owned(), sheet(&["maynot change *"]));
        house.teams.insert("clerks".to_owned(), vec!["ada".to_owned()]);
        house.pins.insert("1".to_owned(), pin("desk", "team/clerks", "terminal"));
        house.pins.insert("2".to_owned(), pin("crew", "ada", "terminal"));
        house.pins.insert("3".to_owned(), pin("all", "bo", "terminal"));
        house.pins.insert("4".to_owned(), pin("frozen", "bo", "terminal"));
        for (who, verb, thing, site, may) in [
            ("ada", "read", "booking/ferry-3", "terminal", true),
            ("ada", "change", "booking/ferry-3", "terminal", true),
            ("ada", "change", "booking/train-1", "terminal", false),
            ("ada", "read", "booking/crew", "terminal", false),
            ("ada", "read", "booking/ferry-3", "shop", false),
            ("ada", "read", "booking", "terminal", false),
            ("bo", "read", "anything", "terminal", true),
            ("bo", "change", "anything", "terminal", false),
            ("nobody", "read", "booking/ferry-3", "terminal", false),
        ] {
            assert_eq!(house.may(who, verb, thing, site), may, "{who} {verb} {thing} at {site}");
        }
    }

    #[test]
    fn a_star_stands_for_any_letters_and_nothing_else_does() {
        for (pattern, text, expected) in [
            ("*", "", true),
            ("*", "key/7", true),
            ("key/*", "key/7", true),
            ("key/*", "key", false),
            ("*/7", "key/7", true),
            ("*/7", "key/77", false),
            ("k*y/*7", "key/a7", true),
            ("k*y/*7", "key/7a", false),
            ("key", "key", true),
            ("key", "keys", false),
            ("k?y", "key", false),
            ("a*a", "a", false),
        ] {
            assert_eq!(fits(pattern, text), expected, "{pattern} on {text}");
        }
    }
}
