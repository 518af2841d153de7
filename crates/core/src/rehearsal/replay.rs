//! The replay of one right's recorded uses.

use std::collections::{BTreeMap, BTreeSet};

use jiff::Timestamp;

use super::{
    Clockwork, Fate, Figures, Script,
    presence::{Answering, Local},
};
use crate::{Seconds, SubjectId, later};

/// A wait that is an hour or more is late.
const LATE: Seconds = Seconds::hours(1);

/// How asks for one right would be answered.
pub(super) enum Answers {
    /// Its holder can't ask, or the terms rule it out.
    Never,
    /// Nobody need be asked.
    AtOnce {
        /// How long a grant lasts.
        lasts: Seconds,
    },
    /// By people.
    People {
        /// One stage after another.
        stages: Vec<Answerers>,
        /// How long a grant lasts.
        lasts: Seconds,
    },
}

/// Those who answer in one stage.
pub(super) struct Answerers {
    /// Who may.
    pub(super) who: BTreeSet<SubjectId>,
    /// When enough of them are there.
    pub(super) answering: Answering,
    /// How long an ask waits before it runs out, or others are asked as well.
    pub(super) within: Seconds,
    /// When enough are there once those are asked.
    pub(super) onward: Option<Answering>,
}

impl Answerers {
    /// How long an ask of `at` waits; how long it waited in vain where too few were there.
    fn wait(&self, at: Timestamp, script: &Script<'_>) -> Result<Seconds, Seconds> {
        let answered = |answering: &Answering, at: Timestamp| {
            let there = answering.wait(Local::of(at, script.zone))?;
            Some(Seconds(there.0.saturating_add(script.answered_after.0))).filter(|wait| *wait <= self.within)
        };
        if let Some(wait) = answered(&self.answering, at) {
            return Ok(wait);
        }
        let Some(onward) = &self.onward else { return Err(self.within) };
        let more = |wait: Seconds| Seconds(self.within.0.saturating_add(wait.0));
        answered(onward, later(at, self.within)).map(more).ok_or(more(self.within))
    }
}

impl Answers {
    /// Whom asks reach.
    pub(super) fn who(&self) -> BTreeSet<SubjectId> {
        match self {
            Self::People { stages, .. } => stages.iter().flat_map(|stage| &stage.who).copied().collect(),
            Self::Never | Self::AtOnce { .. } => BTreeSet::new(),
        }
    }
}

/// What came of one right.
#[derive(Default)]
pub(super) struct Replay {
    pub(super) figures: Figures,
    /// Uses by hour of the day and fate.
    pub(super) hours: BTreeMap<(u8, Fate), u64>,
    /// When the ask that was made last is answered, or runs out.
    settled_at: Option<Timestamp>,
    /// Until when the grant that came of it lasts; none where it ran out.
    live_until: Option<Timestamp>,
}

impl Replay {
    /// Goes through the uses in order.
    pub(super) fn of(uses: &[Timestamp], answers: &Answers, clockwork: &[Clockwork], script: &Script<'_>) -> Self {
        let mut replay = Self::default();
        for at in uses.iter().copied().filter(|at| script.from <= *at && *at < script.to) {
            let local = Local::of(at, script.zone);
            // A machine that starts at a fixed time asks nobody.
            let by_clock = clockwork.iter().any(|clockwork| clockwork.covers(at, script.zone));
            let fate = if by_clock { replay.broken() } else { replay.one(at, local, answers, script) };
            replay.figures.uses += 1;
            replay.figures.refused += u64::from(fate == Fate::Refused);
            *replay.hours.entry((u8::try_from(local.of_day()).unwrap_or(0), fate)).or_default() += 1;
        }
        replay
    }

    fn broken(&mut self) -> Fate {
        self.figures.clockwork += 1;
        Fate::Refused
    }

    fn one(&mut self, at: Timestamp, local: Local, answers: &Answers, script: &Script<'_>) -> Fate {
        if let Some(settled) = self.settled_at {
            match self.live_until {
                Some(until) if settled <= at && at < until => return Fate::Free,
                // Still waiting for the answer to the ask before.
                Some(_) if at < settled => return waited(settled.duration_since(at).as_secs()),
                None if at < settled => return Fate::Refused,
                _ => {}
            }
        }
        match answers {
            Answers::Never => Fate::Refused,
            Answers::AtOnce { lasts } => {
                self.figures.asks += 1;
                (self.settled_at, self.live_until) = (Some(at), Some(later(at, *lasts)));
                Fate::Free
            }
            Answers::People { stages, lasts } => {
                self.figures.asks += 1;
                let (mut answered, mut is_attended) = (at, true);
                for stage in stages {
                    let is_there = stage.answering.wait(Local::of(answered, script.zone)) == Some(Seconds(0));
                    is_attended &= is_there;
                    match stage.wait(answered, script) {
                        Ok(wait) => answered = later(answered, wait),
                        Err(waited) => {
                            (self.settled_at, self.live_until) = (Some(later(answered, waited)), None);
                            self.count_unattended(is_attended, local);
                            return Fate::Refused;
                        }
                    }
                }
                self.count_unattended(is_attended, local);
                let wait = answered.duration_since(at).as_secs();
                let seconds = Seconds(u32::try_from(wait).unwrap_or(u32::MAX));
                self.figures.longest = self.figures.longest.max(Some((seconds, at)));
                (self.settled_at, self.live_until) = (Some(answered), Some(later(answered, *lasts)));
                waited(wait)
            }
        }
    }

    fn count_unattended(&mut self, is_attended: bool, local: Local) {
        self.figures.unattended += u64::from(!is_attended);
        self.figures.at_night += u64::from(!is_attended && local.is_night());
    }
}

fn waited(seconds: i64) -> Fate {
    if seconds < i64::from(LATE.0) { Fate::Soon } else { Fate::Late }
}
