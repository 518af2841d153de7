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
        /// Who may answer.
        who: BTreeSet<SubjectId>,
        /// When enough of them are there.
        answering: Box<Answering>,
        /// How long an ask waits before it runs out.
        within: Seconds,
        /// How long a grant lasts.
        lasts: Seconds,
    },
}

impl Answers {
    /// Whom asks reach.
    pub(super) fn who(&self) -> impl Iterator<Item = &SubjectId> {
        let who = match self {
            Self::People { who, .. } => Some(who),
            Self::Never | Self::AtOnce { .. } => None,
        };
        who.into_iter().flatten()
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
            Answers::People { answering, within, lasts, .. } => {
                self.figures.asks += 1;
                let until_there = answering.wait(local);
                if until_there != Some(Seconds(0)) {
                    self.figures.unattended += 1;
                    self.figures.at_night += u64::from(local.is_night());
                }
                let wait = until_there.map(|wait| Seconds(wait.0.saturating_add(script.answered_after.0)));
                match wait.filter(|wait| wait <= within) {
                    Some(wait) => {
                        let answered = later(at, wait);
                        self.figures.longest = self.figures.longest.max(Some((wait, at)));
                        (self.settled_at, self.live_until) = (Some(answered), Some(later(answered, *lasts)));
                        waited(i64::from(wait.0))
                    }
                    None => {
                        (self.settled_at, self.live_until) = (Some(later(at, *within)), None);
                        Fate::Refused
                    }
                }
            }
        }
    }
}

fn waited(seconds: i64) -> Fate {
    if seconds < i64::from(LATE.0) { Fate::Soon } else { Fate::Late }
}
