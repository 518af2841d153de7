//! Days (UTC), and how much went on at once on each.

use std::ops::RangeInclusive;

use jiff::{Timestamp, civil::Date, tz::TimeZone};

/// A day in microseconds. In UTC every one is as long.
const DAY_MICROSECONDS: i64 = 86_400_000_000;

/// The day (UTC) that a time lies on.
#[must_use]
pub fn day_of(at: Timestamp) -> Date {
    at.to_zoned(TimeZone::UTC).date()
}

/// The moment that a day (UTC) begins at.
#[must_use]
pub fn beginning_of(day: Date) -> Timestamp {
    day.to_zoned(TimeZone::UTC).map_or(Timestamp::MIN, |day| day.timestamp())
}

/// The most spans that went on at one moment, for each of some days. Where one ends as another begins, that is one at a time;
/// what goes on through a whole day counts on it too.
#[must_use]
pub fn most_at_once(
    spans: impl IntoIterator<Item = (Timestamp, Timestamp)>,
    days: RangeInclusive<Date>,
) -> Vec<(Date, u32)> {
    let start = beginning_of(*days.start()).as_microsecond();
    let listed: Vec<Date> = std::iter::successors(Some(*days.start()), |day| day.tomorrow().ok())
        .take_while(|day| day <= days.end())
        .collect();
    let end = i64::try_from(listed.len()).unwrap_or(0).saturating_mul(DAY_MICROSECONDS);
    // Where each begins, and the last moment of each, from the beginning of the first day on; at the same moment beginnings first.
    let mut edges: Vec<(i64, bool)> = Vec::new();
    for (from, to) in spans {
        let from = from.as_microsecond().saturating_sub(start);
        let last = to.as_microsecond().saturating_sub(start).saturating_sub(1).max(from);
        if last >= 0 && from < end {
            edges.extend([(from.max(0), false), (last, true)]);
        }
    }
    edges.sort_unstable();
    let mut edges = edges.into_iter().peekable();
    let (mut open, mut day_ends) = (0_u32, 0);
    let most_of = |day: Date| {
        day_ends += DAY_MICROSECONDS;
        let mut most = open;
        while let Some((_, is_last)) = edges.next_if(|(at, _)| *at < day_ends) {
            open = if is_last { open.saturating_sub(1) } else { open + 1 };
            most = most.max(open);
        }
        (day, most)
    };
    listed.into_iter().map(most_of).collect()
}

#[cfg(test)]
mod tests {
    use jiff::civil::date;

    use super::*;

    /// The most on each of the first four days of May, of spans told as days and hours.
    fn most(spans: &[(&str, &str)]) -> [u32; 4] {
        let at = |said: &str| format!("2026-05-{said}:00Z").parse::<Timestamp>().unwrap();
        let spans = spans.iter().map(|(from, to)| (at(from), at(to)));
        let most = most_at_once(spans, date(2026, 5, 1)..=date(2026, 5, 4));
        assert_eq!(most.iter().map(|(day, _)| day.day()).collect::<Vec<_>>(), [1, 2, 3, 4]);
        most.iter().map(|(_, most)| *most).collect::<Vec<_>>().try_into().unwrap()
    }

    #[test]
    fn those_that_overlap_count_together_and_one_after_another_count_once() {
        assert_eq!(most(&[]), [0; 4]);
        assert_eq!(most(&[("01T08:00", "01T10:00"), ("01T09:00", "01T11:00"), ("02T09:00", "02T10:00")]), [2, 1, 0, 0]);
        assert_eq!(most(&[("01T08:00", "01T10:00"), ("01T10:00", "01T11:00"), ("01T11:00", "01T12:00")]), [1, 0, 0, 0]);
    }

    #[test]
    fn what_goes_on_through_a_day_counts_on_it_and_what_ends_at_midnight_not_on_the_next() {
        assert_eq!(most(&[("01T08:00", "04T01:00")]), [1, 1, 1, 1]);
        assert_eq!(most(&[("01T22:00", "02T00:00"), ("02T00:00", "02T01:00")]), [1, 1, 0, 0]);
        assert_eq!(most(&[("01T08:00", "03T09:00"), ("02T08:00", "02T09:00"), ("03T08:00", "03T08:30")]), [1, 2, 2, 0]);
    }

    #[test]
    fn what_reaches_beyond_the_days_counts_on_those_that_it_touches() {
        assert_eq!(most(&[("01T00:00", "09T00:00"), ("04T23:00", "05T01:00")]), [1, 1, 1, 2]);
        let before = ("2026-04-01T00:00:00Z".parse().unwrap(), "2026-05-02T12:00:00Z".parse().unwrap());
        let days = date(2026, 5, 2)..=date(2026, 5, 3);
        assert_eq!(most_at_once([before], days), [(date(2026, 5, 2), 1), (date(2026, 5, 3), 0)]);
        assert_eq!(most(&[("05T00:00", "05T01:00")]), [0; 4]);
    }

    #[test]
    fn what_lasted_no_time_was_there_for_a_moment() {
        assert_eq!(most(&[("01T08:00", "01T08:00"), ("01T07:00", "01T09:00")]), [2, 0, 0, 0]);
        assert_eq!(most(&[("02T00:00", "02T00:00")]), [0, 1, 0, 0]);
    }

    #[test]
    fn no_days_have_nothing_and_the_ends_of_time_are_days_like_others() {
        let none = date(2026, 5, 2)..=date(2026, 5, 1);
        assert_eq!(most_at_once([(Timestamp::MIN, Timestamp::MAX)], none), []);
        let one = date(2026, 5, 1)..=date(2026, 5, 1);
        assert_eq!(most_at_once([(Timestamp::MIN, Timestamp::MAX)], one), [(date(2026, 5, 1), 1)]);
    }

    #[test]
    fn a_day_begins_where_its_date_does() {
        for said in ["2026-02-28T23:59:59.999999Z", "2026-03-01T00:00:00Z"] {
            let at: Timestamp = said.parse().unwrap();
            assert_eq!(day_of(at).to_string(), said[..10]);
        }
        let began = beginning_of(date(2026, 3, 1));
        assert_eq!(began, "2026-03-01T00:00:00Z".parse().unwrap());
        assert_eq!(beginning_of(date(2026, 3, 2)).as_microsecond() - began.as_microsecond(), DAY_MICROSECONDS);
    }
}
