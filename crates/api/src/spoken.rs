//! What the service itself says in replies, and how it is put by somebody's own clock.

use jiff::{civil::DateTime, tz::TimeZone};

/// Under which names the service itself speaks; elsewhere somebody else does, and nothing is put otherwise.
pub const SPOKEN: [&str; 16] = [
    "assumes",
    "brief",
    "cautions",
    "demand",
    "detail",
    "empty_because",
    "ended",
    "less",
    "refused_because",
    "says",
    "sentence",
    "stands",
    "steps",
    "stopped",
    "trouble",
    "would_change",
];

/// How sentences write times, and how many letters that has.
const FORMS: [(&str, usize); 2] = [("%F %T", 19), ("%F %R", 16)];
const UTC: &str = " UTC";

/// A sentence of the service with its times in `zone`, the zone's name beside them.
#[must_use]
pub fn by_clock(sentence: &str, zone: &TimeZone) -> String {
    let mut said = String::with_capacity(sentence.len());
    let mut rest = sentence;
    while let Some(at) = rest.find(UTC) {
        let (before, after) = rest.split_at(at);
        let written = FORMS.iter().find_map(|(form, letters)| {
            let begins = before.len().checked_sub(*letters)?;
            let time = DateTime::strptime(form, before.get(begins..)?).ok()?.to_zoned(TimeZone::UTC).ok()?;
            Some((begins, time.with_time_zone(zone.clone()).strftime(&format!("{form} %Z")).to_string()))
        });
        match written {
            Some((begins, time)) => {
                said.push_str(&before[..begins]);
                said.push_str(&time);
            }
            None => said.extend([before, UTC]),
        }
        rest = &after[UTC.len()..];
    }
    said.push_str(rest);
    said
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_in_sentences_are_put_by_the_readers_clock_and_nothing_else_is() {
        let zone = TimeZone::posix("CET-1CEST,M3.5.0,M10.5.0/3").unwrap();
        for (said, read) in [
            ("waits for oda until 2026-11-23 18:00:30 UTC", "waits for oda until 2026-11-23 19:00:30 CET"),
            ("from 2026-07-01 23:30 UTC on", "from 2026-07-02 01:30 CEST on"),
            ("2026-11-23 18:00 UTC to 2026-11-24 18:00 UTC", "2026-11-23 19:00 CET to 2026-11-24 19:00 CET"),
            ("tells times in UTC", "tells times in UTC"),
            ("2026-13-23 18:00 UTC", "2026-13-23 18:00 UTC"),
            ("käi 18:00 UTC", "käi 18:00 UTC"),
            (" UTC", " UTC"),
            ("", ""),
        ] {
            assert_eq!(by_clock(said, &zone), read);
        }
        assert_eq!(by_clock("ended 2026-11-23 18:00 UTC", &TimeZone::UTC), "ended 2026-11-23 18:00 UTC");
    }

    #[test]
    fn the_console_takes_the_same_names_for_the_services_words() {
        let page = include_str!("../../../console/src/words/sentence.ts");
        let (_, list) = page.split_once("SPOKEN = [").unwrap();
        let (list, _) = list.split_once(']').unwrap();
        let names: Vec<&str> = list.split('\'').skip(1).step_by(2).collect();
        assert_eq!(names, SPOKEN);
    }
}
