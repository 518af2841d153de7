//! What iCalendar files say, as it is worked out: days and times, zones and their clocks, what repeats, moves and is left out.

#![expect(clippy::unwrap_used, reason = "a test says what it expects")]

use jiff::Timestamp;
use tempestas_calendars::{CalendarError, Reading, read};

const NOW: &str = "2026-11-30T12:00:00Z";

fn at(text: &str) -> Timestamp {
    text.parse().unwrap()
}

/// A file of some events, each written as its lines.
fn file(events: &[&str]) -> String {
    let events = events.iter().map(|lines| {
        let lines: Vec<&str> = lines.split_whitespace().collect();
        format!("BEGIN:VEVENT\r\n{}\r\nEND:VEVENT\r\n", lines.join("\r\n"))
    });
    let events: String = events.collect();
    format!("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//port//test//EN\r\n{events}END:VCALENDAR\r\n")
}

fn reading(events: &[&str]) -> Result<Reading, CalendarError> {
    read(&file(events), "Europe/Oslo", at(NOW))
}

/// From when until when each entry is.
fn times(events: &[&str]) -> Vec<String> {
    let read = reading(events).unwrap_or_else(|why| panic!("{events:?}: {why}"));
    read.entries.iter().map(|entry| format!("{} {}", entry.from, entry.until)).collect()
}

#[test]
fn an_entry_lasts_as_long_as_it_says_by_the_clocks_of_its_zone() {
    for (event, said) in [
        // A day, and days, of the calendar's zone; an hour ahead of UTC in winter, two in summer.
        ("DTSTART;VALUE=DATE:20261224", "2026-12-23T23:00:00Z 2026-12-24T23:00:00Z"),
        ("DTSTART;VALUE=DATE:20261224 DTEND;VALUE=DATE:20270104", "2026-12-23T23:00:00Z 2027-01-03T23:00:00Z"),
        ("DTSTART;VALUE=DATE:20261224 DURATION:P2D", "2026-12-23T23:00:00Z 2026-12-25T23:00:00Z"),
        // The day on which the clocks go forward has 23 hours.
        ("DTSTART;VALUE=DATE:20270328", "2027-03-27T23:00:00Z 2027-03-28T22:00:00Z"),
        ("DTSTART:20270601T080000 DTEND:20270601T170000", "2027-06-01T06:00:00Z 2027-06-01T15:00:00Z"),
        ("DTSTART:20270601T080000Z DURATION:PT90M", "2027-06-01T08:00:00Z 2027-06-01T09:30:00Z"),
        ("DTSTART;TZID=America/New_York:20261224T120000 DURATION:P1W", "2026-12-24T17:00:00Z 2026-12-31T17:00:00Z"),
        (
            "DTSTART;TZID=America/New_York:20261224T120000 DTEND;TZID=Europe/Oslo:20261224T190000",
            "2026-12-24T17:00:00Z 2026-12-24T18:00:00Z",
        ),
        // Once, however far ahead.
        ("DTSTART;VALUE=DATE:20361224", "2036-12-23T23:00:00Z 2036-12-24T23:00:00Z"),
        // What is on since before, and what was over weeks ago and may still be asked about.
        ("DTSTART;VALUE=DATE:20261101 DTEND;VALUE=DATE:20270201", "2026-10-31T23:00:00Z 2027-01-31T23:00:00Z"),
    ] {
        assert_eq!(times(&[event]), [said], "{event}");
    }
}

#[test]
fn what_repeats_keeps_to_the_clocks_and_ends_when_it_says() {
    for (event, said) in [
        // Over the change of the clocks it begins at the same time of day.
        (
            "DTSTART:20270326T220000 DURATION:PT2H RRULE:FREQ=DAILY;COUNT=3",
            &[
                "2027-03-26T21:00:00Z 2027-03-26T23:00:00Z",
                "2027-03-27T21:00:00Z 2027-03-27T23:00:00Z",
                "2027-03-28T20:00:00Z 2027-03-28T22:00:00Z",
            ][..],
        ),
        // A last day means all of it; so does one in local time, whatever the library wants.
        (
            "DTSTART;VALUE=DATE:20261201 RRULE:FREQ=WEEKLY;UNTIL=20261208",
            &["2026-11-30T23:00:00Z 2026-12-01T23:00:00Z", "2026-12-07T23:00:00Z 2026-12-08T23:00:00Z"],
        ),
        (
            "DTSTART:20261201T100000 DURATION:PT1H RRULE:FREQ=WEEKLY;UNTIL=20261208T100000",
            &["2026-12-01T09:00:00Z 2026-12-01T10:00:00Z", "2026-12-08T09:00:00Z 2026-12-08T10:00:00Z"],
        ),
        // But on these, and also on those.
        (
            "DTSTART:20261201T100000 DURATION:PT1H RRULE:FREQ=DAILY;COUNT=3 EXDATE:20261202T100000 RDATE:20261224T110000Z",
            &[
                "2026-12-01T09:00:00Z 2026-12-01T10:00:00Z",
                "2026-12-03T09:00:00Z 2026-12-03T10:00:00Z",
                "2026-12-24T11:00:00Z 2026-12-24T12:00:00Z",
            ],
        ),
        (
            "DTSTART;VALUE=DATE:20261201 RRULE:FREQ=DAILY;COUNT=3 EXDATE;VALUE=DATE:20261202,20261203",
            &["2026-11-30T23:00:00Z 2026-12-01T23:00:00Z"],
        ),
        // What began long ago, and is on.
        (
            "DTSTART;VALUE=DATE:20200101 DTEND;VALUE=DATE:20201231 RRULE:FREQ=YEARLY;UNTIL=20260601",
            &["2025-12-31T23:00:00Z 2026-12-31T23:00:00Z"],
        ),
    ] {
        assert_eq!(times(&[event]), said, "{event}");
    }
}

#[test]
fn what_was_moved_is_in_its_new_place_alone_and_what_was_called_off_in_none() {
    let weekly = "UID:a DTSTART:20261201T100000 DURATION:PT1H RRULE:FREQ=WEEKLY;COUNT=3";
    let moved = "UID:a RECURRENCE-ID:20261208T100000 DTSTART:20261209T150000 DURATION:PT2H";
    let off = "UID:a RECURRENCE-ID:20261215T100000 DTSTART:20261215T100000 STATUS:CANCELLED";
    let other = "UID:b DTSTART:20261208T100000 DURATION:PT1H";
    assert_eq!(
        times(&[weekly, moved, off, other]),
        [
            "2026-12-01T09:00:00Z 2026-12-01T10:00:00Z",
            "2026-12-08T09:00:00Z 2026-12-08T10:00:00Z",
            "2026-12-09T14:00:00Z 2026-12-09T16:00:00Z",
        ]
    );
    let future = "UID:a RECURRENCE-ID;RANGE=THISANDFUTURE:20261208T100000 DTSTART:20261209T150000";
    assert!(matches!(reading(&[weekly, future]), Err(CalendarError::AndFuture { .. })));
}

#[test]
fn what_repeats_for_ever_is_known_for_some_years_and_says_so() {
    let holidays = "SUMMARY:Midsummer DTSTART;VALUE=DATE:20260624 RRULE:FREQ=YEARLY";
    let read = reading(&[holidays]).unwrap();
    let from: Vec<String> = read.entries.iter().map(|entry| entry.from.to_string()).collect();
    assert_eq!(from.len(), 5, "{from:?}");
    assert_eq!((from[0].as_str(), read.entries[0].what.as_str()), ("2027-06-23T22:00:00Z", "Midsummer"));
    assert_eq!(read.known_until.unwrap().to_string(), "2031-12-04T12:00:00Z");
    let once = reading(&["DTSTART;VALUE=DATE:20261224"]).unwrap();
    assert_eq!((once.known_until, once.entries[0].what.as_str()), (None, "an entry without a name"));
    let far = reading(&["DTSTART;VALUE=DATE:20260624 RRULE:FREQ=YEARLY;UNTIL=20300101"]).unwrap();
    assert_eq!(far.known_until, None, "it ends before that");
}

#[test]
fn a_name_deceives_nobody_and_is_one_line() {
    let text = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nDTSTART;VALUE=DATE:20261224\r\n\
        SUMMARY:Year's end\\, quay 4\\n\u{202e}lla\u{1b}[2J\r\n  and what follows on a folded line\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n";
    let called = read(text, "UTC", at(NOW)).unwrap().entries.remove(0).what;
    assert_eq!(called, "Year's end, quay 4\\n\\u{202e}lla\\u{1b}[2J and what follows on a folded line");
    let long = format!("SUMMARY:{} DTSTART;VALUE=DATE:20261224", "x".repeat(4000));
    assert_eq!(reading(&[&long]).unwrap().entries[0].what.len(), 80);
}

#[test]
fn what_cant_be_used_is_refused_by_name() {
    let refused = |event: &str| reading(&[event]).expect_err(event).to_string();
    for (event, says) in [
        ("SUMMARY:Freeze", "`Freeze` has no start"),
        ("SUMMARY:Freeze DTSTART:soon", "`Freeze` says `soon` in DTSTART"),
        ("SUMMARY:Freeze DTSTART;VALUE=DATE:20261324", "says `20261324` in DTSTART"),
        ("SUMMARY:Freeze DTSTART:20261224T100000 DTEND:20261223T100000", "`Freeze` ends before it starts"),
        ("DTSTART:20261224T100000 DURATION:-PT1H", "ends before it starts"),
        ("DTSTART:20261224T100000 DURATION:long", "says `long` in DURATION"),
        ("DTSTART;TZID=Quay-Time:20261224T100000 DURATION:PT1H", "in the zone `Quay-Time`, which is no IANA"),
        ("DTSTART:20261224T100000 DURATION:PT1H RRULE:FREQ=OFTEN", "repeats by `FREQ=OFTEN`"),
        ("DTSTART:20261224T100000 DURATION:PT1H RRULE:FREQ=DAILY;UNTIL=20269999", "UNTIL is no date"),
        ("DTSTART:20261224T100000 DURATION:PT1H RRULE:FREQ=HOURLY", "more often than daily"),
        ("DTSTART:20261224T100000 DURATION:PT1H RRULE:FREQ=DAILY;BYHOUR=1,2,3", "more often than daily"),
        ("DTSTART:19000101T100000 DURATION:PT1H RRULE:FREQ=DAILY", "began too long ago"),
        ("DTSTART:20261224T100000 DURATION:PT1H RRULE:FREQ=DAILY", "more than 1000 entries"),
        // None that is not over, or that there ever is.
        ("DTSTART;VALUE=DATE:20200101", "no entry"),
        ("DTSTART:20261224T100000", "no entry"),
        ("DTSTART:20261224T100000 DURATION:PT1H RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30", "no entry"),
        ("DTSTART:20261224T100000 DURATION:PT1H STATUS:CANCELLED", "no entry"),
    ] {
        assert!(refused(event).contains(says), "{event}: {}", refused(event));
    }
    let whole = file(&["DTSTART;VALUE=DATE:20261224"]);
    let zone = read(&whole, "Quillhaven", at(NOW)).unwrap_err();
    assert!(matches!(zone, CalendarError::DefaultZone { .. }), "{zone}");
    for text in ["", "closed on Friday", "[1, 2]", "BEGIN:VCALENDAR", &whole[..whole.len() - 30], &format!("x{whole}")]
    {
        let refused = read(text, "UTC", at(NOW)).expect_err(text);
        assert!(matches!(refused, CalendarError::NotOne { .. }), "{text}: {refused}");
    }
}

#[test]
fn whatever_a_file_holds_it_is_read_or_refused_in_time() {
    let events: Vec<String> = (0..3000).map(|n| format!("UID:{n} DTSTART;VALUE=DATE:20261224")).collect();
    let events: Vec<&str> = events.iter().map(String::as_str).collect();
    assert!(matches!(reading(&events), Err(CalendarError::TooMany { .. })));
    let repeating: Vec<String> =
        (0..65).map(|n| format!("UID:{n} DTSTART;VALUE=DATE:20261224 RRULE:FREQ=YEARLY")).collect();
    let repeating: Vec<&str> = repeating.iter().map(String::as_str).collect();
    assert!(matches!(reading(&repeating), Err(CalendarError::TooManyRepeat { most: 64 })));
    assert_eq!(reading(&repeating[1..]).unwrap().entries.len(), 5, "the same time is one");
    for rule in [
        "FREQ=YEARLY;INTERVAL=65535",
        "FREQ=DAILY;INTERVAL=0",
        "FREQ=DAILY;COUNT=4294967295;BYMONTH=1,2,3,4,5,6,7,8,9,10,11,12",
        "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR,SA,SU;BYSETPOS=-1",
        "FREQ=YEARLY;BYWEEKNO=53;BYDAY=MO",
    ] {
        let _ = reading(&[&format!("DTSTART:20261224T100000 DURATION:PT1H RRULE:{rule}")]);
    }
}
