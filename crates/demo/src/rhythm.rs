//! When people and programs of the sample world used what they hold, in the last months: the same each time.

use jiff::{SignedDuration, Timestamp};
use tempestas_core::Digest;

/// How many days back it goes.
const DAYS: i64 = 150;

/// How often something is used.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Rhythm {
    /// So many times each working day, in the hours given.
    Office {
        /// Uses a day.
        uses: i64,
        /// First hour.
        from: i64,
        /// Hour after the last.
        to: i64,
    },
    /// Once every so many days, in the hours given; over midnight where the last is before the first.
    Every {
        /// Days between.
        days: i64,
        /// First hour.
        from: i64,
        /// Hour after the last.
        to: i64,
    },
    /// At this minute, every day: a machine.
    Daily {
        /// Hour.
        hour: i64,
        /// Minute.
        minute: i64,
    },
    /// At this minute, every Sunday: a machine.
    Sundays {
        /// Hour.
        hour: i64,
        /// Minute.
        minute: i64,
    },
}

/// A number below `most`, drawn from what it is for.
fn drawn(of: &str, day: i64, n: i64, most: i64) -> i64 {
    let Digest(bytes) = Digest::of(&[of.as_bytes(), &day.to_be_bytes(), &n.to_be_bytes()]);
    let drawn = bytes.iter().take(4).fold(0_i64, |sum, byte| sum * 256 + i64::from(*byte));
    drawn.rem_euclid(most.max(1))
}

/// The times at which `who` used something before `now`, in order.
pub(crate) fn uses(who: &str, rhythm: Rhythm, now: Timestamp) -> Vec<Timestamp> {
    let today = now.as_second().div_euclid(86_400);
    let mut all = Vec::new();
    for day in today - DAYS..=today {
        let mut at = |hour: i64, minute: i64| {
            let second = day * 86_400 + hour * 3600 + minute * 60 + drawn(who, day, 90 + minute, 50);
            all.extend(Timestamp::from_second(second).ok());
        };
        // The first of January 1970 was a Thursday.
        let weekday = (day + 3).rem_euclid(7);
        let within = |n: i64, from: i64, to: i64| {
            let minutes = (to - from).rem_euclid(24) * 60;
            let minute = from * 60 + drawn(who, day, n, minutes);
            (minute / 60, minute % 60)
        };
        match rhythm {
            // Everybody is ill or away now and then.
            Rhythm::Office { uses, from, to } if weekday < 5 && drawn(who, day, 1, 12) > 0 => {
                for n in 0..uses {
                    let (hour, minute) = within(10 + n, from, to);
                    at(hour, minute);
                }
            }
            Rhythm::Every { days, from, to } if drawn(who, day, 2, days) == 0 => {
                let (hour, minute) = within(3, from, to);
                at(hour, minute);
            }
            Rhythm::Daily { hour, minute } => at(hour, minute),
            Rhythm::Sundays { hour, minute } if weekday == 6 => at(hour, minute),
            _ => {}
        }
    }
    all.retain(|at| *at < now - SignedDuration::from_mins(1));
    all.sort_unstable();
    all
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_is_the_same_each_time_and_keeps_to_its_hours() {
        let now: Timestamp = "2026-11-23T12:00:00Z".parse().unwrap();
        let office = Rhythm::Office { uses: 2, from: 8, to: 17 };
        let seen = uses("oda", office, now);
        assert_eq!(seen, uses("oda", office, now));
        assert!(seen.len() > 150 && seen.iter().all(|at| (8..17).contains(&(at.as_second() / 3600 % 24))));
        let night = uses("jweir", Rhythm::Every { days: 3, from: 22, to: 5 }, now);
        assert!(night.len() > 30 && night.iter().all(|at| !(5..22).contains(&(at.as_second() / 3600 % 24))));
        assert_eq!(uses("batch", Rhythm::Sundays { hour: 4, minute: 30 }, now).len(), 22);
    }
}
