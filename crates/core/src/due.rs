//! When something is due: whatever has a time of its own stands in one order, so that nobody looks at everything to find it.

use jiff::Timestamp;

use crate::{
    Appointment, AppointmentId, AppointmentState, Conversion, ConversionId, Drift, DriftId, DriftState, Elevation,
    ElevationId, Grant, GrantId, Phase, ScopeId, StartChoice, TermsId, World,
};

/// For what should have happened already, and for what is looked at whenever time passes.
const AT_ONCE: Timestamp = Timestamp::MIN;

/// What comes to its time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Due {
    /// An ask that runs out, or begins.
    Elevation(ElevationId),
    /// A grant that ends, or is being ended and may be late.
    Grant(GrantId),
    /// A wish that runs out, or a cover that is over.
    Appointment(AppointmentId),
    /// A conversion whose next wave begins.
    Conversion(ConversionId),
    /// A drift that was ignored until now.
    Drift(DriftId),
    /// A target of whose sealed emergency holders one is to be tried.
    Target(ScopeId),
    /// A rule that comes to be valid, or ceases to be.
    Terms(TermsId),
}

impl Elevation {
    /// When time alone changes it; once it is opened, its grant says so.
    pub(crate) fn due(&self) -> Option<Timestamp> {
        match (self.phase, self.start) {
            (Phase::Waiting, _) => Some(self.runs_out()),
            (Phase::Scheduled, StartChoice::At { time }) => Some(time),
            // Held by the clock after its yes.
            (Phase::Scheduled, StartChoice::AtYes | StartChoice::OnBegin) => Some(AT_ONCE),
            (Phase::Ready, _) => Some(self.begin_by.unwrap_or(AT_ONCE)),
            (Phase::Opening | Phase::Live, _) if self.grants.is_empty() => Some(AT_ONCE),
            (Phase::Opening | Phase::Live, _) => self.extension.as_ref().map(|_| self.runs_out()),
            (Phase::Ended(_), _) => self.open_debrief().map(|debrief| debrief.until),
            (Phase::Closing, _) => None,
        }
    }

    fn runs_out(&self) -> Timestamp {
        self.stage().and_then(|stage| stage.until).unwrap_or(AT_ONCE)
    }
}

impl Grant {
    /// When time alone changes it: at its end, and from then on until it is read back as gone.
    pub(crate) fn due(&self) -> Option<Timestamp> {
        if self.wanted { Some(self.until) } else { (!self.is_gone()).then_some(AT_ONCE) }
    }
}

impl Appointment {
    /// When time alone changes it.
    pub(crate) fn due(&self) -> Option<Timestamp> {
        match self.state {
            AppointmentState::Waiting => Some(self.stages.open().and_then(|stage| stage.until).unwrap_or(AT_ONCE)),
            AppointmentState::Made => self.covers.and(self.until),
            _ => None,
        }
    }
}

impl Conversion {
    /// When time alone changes it.
    pub(crate) fn due(&self) -> Option<Timestamp> {
        self.goes_on_at()
    }
}

impl Drift {
    /// When time alone changes it.
    pub(crate) fn due(&self) -> Option<Timestamp> {
        match self.state {
            DriftState::Ignored { until, .. } => Some(until),
            _ => None,
        }
    }
}

impl World {
    /// What has come to its time by `now`, the earliest first.
    pub(crate) fn due_by(&self, now: Timestamp) -> impl Iterator<Item = Due> {
        self.indexes.due.iter().take_while(move |(at, _)| *at <= now).map(|(_, due)| *due)
    }

    /// When something next comes to its time, later than `now`; what came to it before that and could not be settled is
    /// looked at whenever time passes.
    #[must_use]
    pub fn next_due(&self, now: Timestamp) -> Option<Timestamp> {
        let last = (now, Due::Terms(TermsId(u64::MAX)));
        self.indexes.due.get_next(&last).map(|(at, _)| *at)
    }

    /// Asks that wait for answers and are looked at in this second of each minute, so that not all are at once.
    pub(crate) fn looked_at(&self, now: Timestamp) -> impl Iterator<Item = ElevationId> {
        self.indexes.looked_at.of(now.as_second().unsigned_abs() % LOOKED_AT_IN)
    }
}

/// Within so many seconds each ask that waits is looked at once.
pub(crate) const LOOKED_AT_IN: u64 = 60;
