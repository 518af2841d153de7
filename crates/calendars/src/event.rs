//! One entry (VEVENT) of an iCalendar file: when it begins, how long it lasts, how it repeats (RFC 5545, 3.6.1 and 3.8.5).

use std::collections::BTreeSet;

use icalendar::parser::{Component, Property};
use jiff::{
    SignedDuration, Span, Timestamp, Zoned,
    civil::{Date, DateTime, Time},
};
use rrule::{Frequency, RRuleSet};
use tempestas_core::{CalendarEntry, plainly};

use crate::{
    CalendarError,
    moment::{Moment, Named, param},
};

/// How often a rule is followed from its start on: daily for longer than anybody remembers.
const STEPS_MOST: usize = 40_000;
/// Most letters of what an entry is called.
const CALLED_MOST: usize = 80;

/// How long it lasts.
#[derive(Debug, Clone, Copy)]
enum Length {
    /// By the clocks, as days are.
    Nominal(Span),
    /// In seconds, whatever the clocks do.
    Exact(SignedDuration),
}

/// An entry as it stands in the file.
#[derive(Debug)]
pub(crate) struct Event {
    pub(crate) uid: String,
    /// What it is called.
    what: String,
    start: Moment,
    length: Length,
    rule: Option<String>,
    also: Vec<Moment>,
    /// When it is not, though it repeats.
    not: BTreeSet<Timestamp>,
    /// Of which occurrence of another it takes the place.
    pub(crate) instead_of: Option<Timestamp>,
    pub(crate) is_cancelled: bool,
}

/// Every property of that name.
fn all<'e>(event: &'e Component<'_>, name: &'e str) -> impl Iterator<Item = &'e Property<'e>> {
    event.properties.iter().filter(move |property| property.name.as_str().eq_ignore_ascii_case(name))
}

/// What an entry is called: of one line, that deceives nobody.
fn called(event: &Component<'_>) -> String {
    let summary = all(event, "SUMMARY").next().map(|summary| summary.val.clone().unescape_text().to_string());
    let what = plainly(summary.as_deref().unwrap_or_default().trim());
    let what: String = what.chars().take(CALLED_MOST).collect();
    if what.is_empty() { "an entry without a name".to_owned() } else { what }
}

impl Event {
    pub(crate) fn read(event: &Component<'_>, zone: &Named) -> Result<Self, CalendarError> {
        let what = called(event);
        let moments = |name: &'static str| -> Result<Vec<Moment>, CalendarError> {
            let read = all(event, name).map(|property| Moment::all(property, name, zone, &format!("`{what}`")));
            Ok(read.collect::<Result<Vec<_>, _>>()?.concat())
        };
        let named = || format!("`{what}`");
        let start = moments("DTSTART")?.pop().ok_or_else(|| CalendarError::NoStart { event: named() })?;
        let at = |property: &'static str, moment: &Moment| {
            let said = || moment.civil.to_string();
            moment.at().ok_or_else(|| CalendarError::Unread { event: named(), property, said: said() })
        };
        if all(event, "RECURRENCE-ID").any(|property| param(property, "RANGE").is_some()) {
            return Err(CalendarError::AndFuture { event: named() });
        }
        let instead_of = moments("RECURRENCE-ID")?.pop().map(|of| at("RECURRENCE-ID", &of)).transpose()?;
        let duration = all(event, "DURATION").next().map(|duration| duration.val.as_str());
        let length = length(&start, moments("DTEND")?.pop(), duration).ok_or_else(|| {
            let said = duration.unwrap_or_default().chars().take(40).collect();
            CalendarError::Unread { event: named(), property: "DURATION", said }
        })?;
        let property = |name| all(event, name).next().map(|property| property.val.as_str().trim().to_owned());
        let read = Self {
            uid: property("UID").unwrap_or_default(),
            rule: property("RRULE"),
            also: moments("RDATE")?,
            not: moments("EXDATE")?.iter().map(|not| at("EXDATE", not)).collect::<Result<_, _>>()?,
            instead_of,
            is_cancelled: property("STATUS").is_some_and(|status| status.eq_ignore_ascii_case("cancelled")),
            what,
            length,
            start,
        };
        match read.ends(&read.start.zoned()) {
            Some((from, until)) if until < from => Err(CalendarError::Backwards { event: read.named() }),
            _ => Ok(read),
        }
    }

    pub(crate) const fn repeats(&self) -> bool {
        self.rule.is_some()
    }

    fn named(&self) -> String {
        format!("`{}`", self.what)
    }

    /// From when until when it is that begins so.
    fn ends(&self, begins: &Option<Zoned>) -> Option<(Timestamp, Timestamp)> {
        let begins = begins.as_ref()?;
        let ends = match self.length {
            Length::Nominal(span) => begins.checked_add(span).ok()?,
            Length::Exact(length) => begins.checked_add(length).ok()?,
        };
        Some((begins.timestamp(), ends.timestamp()))
    }

    /// Each time that it is between two moments, but where it was moved from; and whether it goes on after the second.
    pub(crate) fn occurrences(
        &self,
        moved: &BTreeSet<Timestamp>,
        since: Timestamp,
        horizon: Timestamp,
    ) -> Result<(Vec<CalendarEntry>, bool), CalendarError> {
        let (mut starts, goes_on) = match &self.rule {
            None => (vec![self.start.civil], false),
            Some(rule) => self.repeated(rule, since, horizon)?,
        };
        starts.extend(self.also.iter().filter_map(|also| {
            let begins = also.zoned()?.with_time_zone(self.start.zone.1.clone());
            Some(begins.datetime())
        }));
        let is_there =
            |(from, until): &(Timestamp, Timestamp)| from < until && !self.not.contains(from) && !moved.contains(from);
        let times = starts.into_iter().filter_map(|civil| self.ends(&self.start.on(civil))).filter(is_there);
        let entries = times.map(|(from, until)| CalendarEntry { from, until, what: self.what.clone() });
        Ok((entries.collect(), goes_on))
    }

    /// When it begins by its rule, by the clocks of its zone.
    fn repeated(
        &self,
        rule: &str,
        since: Timestamp,
        horizon: Timestamp,
    ) -> Result<(Vec<DateTime>, bool), CalendarError> {
        let shown = || rule.chars().take(80).collect::<String>();
        let wrong = |why: String| CalendarError::Rule { event: self.named(), rule: shown(), why };
        let (zone, civil) = (&self.start.zone.0, self.start.civil.strftime("%Y%m%dT%H%M%S"));
        let start = if zone == "UTC" { format!("DTSTART:{civil}Z") } else { format!("DTSTART;TZID={zone}:{civil}") };
        let set: RRuleSet = format!(
            "{start}\nRRULE:{}",
            self.with_until_in_utc(rule).ok_or_else(|| { wrong("its UNTIL is no date or time".to_owned()) })?
        )
        .parse()
        .map_err(|why: rrule::RRuleError| wrong(why.to_string()))?;
        let often = |rule: &rrule::RRule| {
            let several =
                rule.get_by_hour().len() > 1 || rule.get_by_minute().len() > 1 || rule.get_by_second().len() > 1;
            rule.get_freq() > Frequency::Daily || several
        };
        if set.get_rrule().iter().any(often) {
            return Err(CalendarError::TooOften { event: self.named(), rule: shown() });
        }
        // A long one that began before is still on.
        let (since, horizon) = ((since - self.longest()).as_second(), horizon.as_second());
        let (mut found, mut goes_on) = (Vec::new(), false);
        for (step, at) in set.limit().into_iter().enumerate() {
            if step > STEPS_MOST {
                return Err(wrong("it began too long ago; let it begin later".to_owned()));
            }
            if at.timestamp() >= horizon {
                goes_on = true;
                break;
            }
            if at.timestamp() >= since {
                found.extend(at.naive_local().to_string().parse::<DateTime>().ok());
            }
        }
        Ok((found, goes_on))
    }

    /// No shorter than it lasts.
    fn longest(&self) -> SignedDuration {
        let lasts = self.ends(&self.start.zoned()).map(|(from, until)| until.duration_since(from));
        lasts.unwrap_or_default() + SignedDuration::from_hours(24)
    }

    /// A rule's end as the library wants it (RFC 5545, 3.3.10): whoever wrote the day means all of it, by the entry's clocks.
    fn with_until_in_utc(&self, rule: &str) -> Option<String> {
        let part = |part: &str| {
            let Some((name, until)) = part.split_once('=').filter(|(name, _)| name.eq_ignore_ascii_case("UNTIL"))
            else {
                return Some(part.to_owned());
            };
            let local = match until.len() {
                8 => Date::strptime("%Y%m%d", until).ok()?.to_datetime(Time::constant(23, 59, 59, 0)),
                15 => DateTime::strptime("%Y%m%dT%H%M%S", until).ok()?,
                _ => return Some(part.to_owned()),
            };
            let until = self.start.on(local)?.timestamp().strftime("%Y%m%dT%H%M%SZ").to_string();
            Some(format!("{name}={until}"))
        };
        Some(rule.split(';').map(part).collect::<Option<Vec<_>>>()?.join(";"))
    }
}

/// How long what starts so lasts: by its end, its duration, or, of a day, all of it; otherwise no time.
fn length(start: &Moment, end: Option<Moment>, duration: Option<&str>) -> Option<Length> {
    match (end, duration) {
        (Some(end), _) if start.is_day && end.is_day => {
            Some(Length::Nominal(start.civil.date().until(end.civil.date()).ok()?))
        }
        (Some(end), _) => Some(Length::Exact(end.at()?.duration_since(start.at()?))),
        (None, Some(duration)) => Some(Length::Nominal(duration.parse().ok()?)),
        (None, None) if start.is_day => Some(Length::Nominal(Span::new().days(1))),
        (None, None) => Some(Length::Exact(SignedDuration::ZERO)),
    }
}
