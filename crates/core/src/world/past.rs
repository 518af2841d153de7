//! What is over leaves memory after some days. Its rows stay where everything is written down, and are put back into a World
//! for whoever asks for them; what is decided rests on none of them.

use std::collections::BTreeSet;

use jiff::{SignedDuration, Timestamp};

use super::{Key, Kind, Row, World, key_text};
use crate::{Command, Digest, Elevation, ElevationId, Fact, Grant, GrantId, Report, text::digests_in};

/// How long what is over stays in memory.
pub const KEPT_FOR: SignedDuration = SignedDuration::from_hours(72);

/// What is to be in a World, however long ago it was over.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Recall {
    /// Elevations, with their grants.
    pub elevations: BTreeSet<ElevationId>,
    /// Grants, with their elevations.
    pub grants: BTreeSet<GrantId>,
    /// Private texts.
    pub texts: BTreeSet<Digest>,
}

impl Recall {
    /// What a command is about.
    #[must_use]
    pub fn of_command(command: &Command) -> Self {
        let elevations = command.elevation().into_iter().collect();
        let grants = match command {
            Command::Report(Report::Searched { marked, .. }) => {
                marked.iter().map(|found| GrantId(found.grant)).collect()
            }
            _ => BTreeSet::new(),
        };
        Self { elevations, grants, texts: BTreeSet::new() }
    }

    /// The elevations that some facts are about, which tell who may see these.
    pub fn elevations_of<'f>(facts: impl IntoIterator<Item = &'f Fact>) -> Self {
        facts.into_iter().filter_map(|fact| fact.what.about().elevation).collect()
    }

    /// The texts that the words of some facts need.
    pub fn texts_of<'f>(facts: impl IntoIterator<Item = &'f Fact>) -> Self {
        let mut texts = BTreeSet::new();
        for fact in facts {
            texts.extend(fact.from);
            // Whatever words a fact of whatever kind has: a digest is told by its form.
            texts.extend(digests_in(&serde_json::to_string(&fact.what).unwrap_or_default()));
        }
        Self { texts, ..Self::default() }
    }

    /// Those that a World has not.
    #[must_use]
    pub fn missing(mut self, world: &World) -> Self {
        self.elevations.retain(|id| world.is_forgotten(*id));
        self.grants.retain(|id| !world.grants.contains_key(id));
        self.texts.retain(|text| world.known_text(*text).is_none());
        self
    }

    /// Whether nothing is wanted.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.elevations.is_empty() && self.grants.is_empty() && self.texts.is_empty()
    }
}

impl From<ElevationId> for Recall {
    fn from(id: ElevationId) -> Self {
        Self::from_iter([id])
    }
}

impl FromIterator<ElevationId> for Recall {
    fn from_iter<I: IntoIterator<Item = ElevationId>>(ids: I) -> Self {
        Self { elevations: ids.into_iter().collect(), ..Self::default() }
    }
}

impl Elevation {
    /// From when until when an elevation was in force that is over; from its ask to its last answer where it never was.
    #[must_use]
    pub fn lasted(&self, grant: Option<&Grant>) -> (Timestamp, Timestamp) {
        let answered = self.answers().map(|answer| answer.at).max();
        match grant {
            Some(grant) => (grant.opened_at, grant.seen_at.unwrap_or(grant.until)),
            None => (self.asked_at, answered.unwrap_or(self.asked_at)),
        }
    }

    /// Texts that no other row names.
    pub fn own_texts(&self) -> impl Iterator<Item = Digest> {
        let answers = self.answers().filter_map(|answer| answer.reason);
        let debrief = self.debrief.iter().filter_map(|debrief| debrief.signed?.word);
        self.brought.texts().chain(self.end_word).chain(answers).chain(debrief)
    }
}

impl Grant {
    /// Texts that no other row names.
    pub fn own_texts(&self) -> impl Iterator<Item = Digest> {
        self.leftovers.iter().flatten().map(|one| one.what)
    }

    /// From when on nobody needs one that is gone: a login made for it might be good until its end.
    #[must_use]
    pub fn spent_at(&self) -> Timestamp {
        self.seen_at.map_or(self.until, |seen| seen.max(self.until))
    }
}

impl World {
    /// Forgets elevations that were over before then, with their demands and grants.
    pub fn forget(&mut self, before: Timestamp) {
        let over = self.indexes.over.iter().take_while(|(at, _)| *at < before);
        let over: Vec<ElevationId> = over.map(|(_, id)| *id).filter(|id| self.may_be_forgotten(*id)).collect();
        for id in over {
            let Some(elevation) = self.elevations.get(&id).cloned() else { continue };
            let grants: Vec<Grant> = self.grants_of(&elevation).cloned().collect();
            for text in elevation.own_texts().chain(grants.iter().flat_map(Grant::own_texts)) {
                self.texts.remove(&text);
            }
            self.cut(&Key { kind: Kind::Elevation, id: key_text(&id) });
            self.cut(&Key { kind: Kind::Demand, id: key_text(&id) });
            for grant in grants {
                self.cut(&Key { kind: Kind::Grant, id: key_text(&grant.id) });
            }
        }
    }

    /// Whether an elevation is over, nobody has to look at it any more, and no alarm names its grant: who may see an alarm follows
    /// from that.
    fn may_be_forgotten(&self, id: ElevationId) -> bool {
        let alarmed = |elevation: &Elevation| elevation.grants.iter().any(|grant| self.indexes.alarmed.contains(grant));
        self.elevations.get(&id).is_some_and(|elevation| elevation.is_closed() && !alarmed(elevation))
    }

    /// Whether there is such an elevation, though not in memory.
    #[must_use]
    pub fn is_forgotten(&self, id: ElevationId) -> bool {
        id.0 < self.counters.next_elevation && !self.elevations.contains_key(&id)
    }

    /// Elevations that are over and that somebody has yet to look at, which stay in memory until then.
    pub fn under_debrief(&self) -> impl DoubleEndedIterator<Item = &Elevation> {
        self.indexes.under_debrief.iter().filter_map(|id| self.elevations.get(id))
    }

    /// Grants that alarms name, which stay in memory as long as those do.
    pub fn alarmed_grants(&self) -> impl Iterator<Item = GrantId> {
        self.indexes.alarmed.iter().copied()
    }

    /// Puts back what was forgotten; what is there stays as it is.
    pub fn recall(&mut self, rows: Vec<Row>, texts: Vec<(Digest, String)>) {
        for row in rows {
            let is_there = match &row {
                Row::Elevation(elevation) => self.elevations.contains_key(&elevation.id),
                Row::Demand(demanded) => self.demands.contains_key(&demanded.elevation),
                Row::Grant(grant) => self.grants.contains_key(&grant.id),
                _ => true,
            };
            if !is_there {
                self.put(row);
            }
        }
        for (digest, text) in texts {
            self.remember(digest, text.into());
        }
    }
}
