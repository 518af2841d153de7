//! A date or a time as a property of an iCalendar file has it (RFC 5545, 3.3.4 and 3.3.5).

use icalendar::parser::Property;
use jiff::{
    Timestamp, Zoned,
    civil::{Date, DateTime, Time},
    tz::{TimeZone, TimeZoneDatabase},
};

use crate::{CalendarError, utc};

/// A zone with its name.
pub(crate) type Named = (String, TimeZone);

/// An IANA zone; from what the program carries, so that no machine says otherwise.
pub(crate) fn zone_named(name: &str) -> Option<Named> {
    Some((name.to_owned(), TimeZoneDatabase::bundled().get(name).ok()?))
}

/// When something is, by the clocks of a zone.
#[derive(Debug, Clone)]
pub(crate) struct Moment {
    pub(crate) civil: DateTime,
    pub(crate) zone: Named,
    /// Whether it was a day; then the time is midnight.
    pub(crate) is_day: bool,
}

impl Moment {
    /// Each value of a property, in the zone that it names or, where it names none, in the calendar's.
    pub(crate) fn all(
        property: &Property<'_>,
        name: &'static str,
        zone: &Named,
        event: &str,
    ) -> Result<Vec<Self>, CalendarError> {
        let zone = match param(property, "TZID") {
            None => zone.clone(),
            Some(named) => {
                let unknown = || CalendarError::Zone { event: event.to_owned(), zone: named.to_owned() };
                zone_named(named.trim_matches(['"', '/'])).ok_or_else(unknown)?
            }
        };
        let values = property.val.as_str().split(',').map(str::trim);
        let unread = |said: &str| CalendarError::Unread {
            event: event.to_owned(),
            property: name,
            said: said.chars().take(40).collect(),
        };
        values.map(|value| Self::from(value, &zone).ok_or_else(|| unread(value))).collect()
    }

    /// `20261224`, `20261224T180000` or `20261224T170000Z`.
    fn from(text: &str, zone: &Named) -> Option<Self> {
        if text.len() == 8 {
            let date = Date::strptime("%Y%m%d", text).ok()?;
            return Some(Self { civil: date.to_datetime(Time::midnight()), zone: zone.clone(), is_day: true });
        }
        let (local, zone) = match text.strip_suffix('Z') {
            Some(local) => (local, utc()),
            None => (text, zone.clone()),
        };
        Some(Self { civil: DateTime::strptime("%Y%m%dT%H%M%S", local).ok()?, zone, is_day: false })
    }

    /// The same time of another day.
    pub(crate) fn on(&self, civil: DateTime) -> Option<Zoned> {
        civil.to_zoned(self.zone.1.clone()).ok()
    }

    pub(crate) fn zoned(&self) -> Option<Zoned> {
        self.on(self.civil)
    }

    pub(crate) fn at(&self) -> Option<Timestamp> {
        Some(self.zoned()?.timestamp())
    }
}

/// A parameter of a property.
pub(crate) fn param<'p>(property: &'p Property<'_>, name: &str) -> Option<&'p str> {
    let named = property.params.iter().find(|param| param.key.as_str().eq_ignore_ascii_case(name));
    named.and_then(|param| Some(param.val.as_ref()?.as_str()))
}
