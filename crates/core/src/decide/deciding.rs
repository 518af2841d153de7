//! A decision in the making: what is looked at, and the facts that come of it.

use std::{
    collections::BTreeMap,
    fmt,
    ops::{Deref, DerefMut},
};

use jiff::Timestamp;

use super::{assurances, proofs::Permit};
use crate::{
    Act, Brings, Brought, CallerRefusal, Context, Counters, Decision, Demand, Digest, Elevation, ElevationId,
    FACT_VERSION, Fact, Id, Influence, Key, Kind, Lack, LookedAt, PrivateText, Refusal, Row, Said, Sight, SubjectId,
    Surety, Tally, Terms, What, Words, World, influence::lets_through_with_less,
};

/// What is asked, and what is known. Nothing is written here: that takes a [`Draft`], which only a [`Permit`] gives.
pub(super) struct Deciding<'w> {
    pub(super) world: &'w World,
    pub(super) context: &'w Context,
    counters: Counters,
    written: Counters,
    drawn: u64,
    from: Option<Digest>,
    /// Standing rights there will be, once what is drafted is applied.
    standing: usize,
    decision: Decision,
    /// What assurances that only watch would have refused.
    watched: BTreeMap<String, Lack>,
}

impl<'w> Deciding<'w> {
    pub(super) fn new(world: &'w World, context: &'w Context) -> Self {
        Self {
            world,
            context,
            counters: world.counters.clone(),
            written: world.counters.clone(),
            drawn: 0,
            from: None,
            standing: world.standing.len(),
            decision: Decision::default(),
            watched: BTreeMap::new(),
        }
    }

    pub(super) fn now(&self) -> Timestamp {
        self.context.now
    }

    /// Refuses to change in place what is not as the caller saw it. Only for those who may know how it is.
    pub(super) fn ensure_as_looked_at(&self, what: &impl fmt::Display, present: Option<Digest>) -> Result<(), Refusal> {
        let present = present.map_or(LookedAt::Nothing, LookedAt::This);
        let is_so = self.context.looked_at.is_none_or(|looked_at| looked_at == present);
        if is_so { Ok(()) } else { Err(CallerRefusal::Stale { what: what.to_string() }.into()) }
    }

    pub(super) fn elevation(&self, id: ElevationId) -> Result<Elevation, Refusal> {
        let missing = || Refusal::unknown("elevation", id, "`tempestas grants` lists yours");
        let elevation = self.world.elevations.get(&id).ok_or_else(missing)?;
        match self.context.caller.subject() {
            Some(me) if !Sight::of(self.world, me).sees(self.world, elevation) => Err(missing()),
            _ => Ok(elevation.clone()),
        }
    }

    /// An elevation, with what it demands.
    pub(super) fn demanded(&self, id: ElevationId) -> Result<(Elevation, Demand), Refusal> {
        let elevation = self.elevation(id)?;
        let unknown = || Refusal::unknown("demand of", id, "`tempestasd rebuild --check` says what is missing");
        Ok((elevation, self.world.demand_of(id).ok_or_else(unknown)?.clone()))
    }

    /// How sure it must be of the holder of what was asked under a demand: by the stricter of then and now.
    pub(super) fn takes_still(&self, elevation: &Elevation, demand: &Demand) -> Surety {
        let now = Surety::to_act(self.world, Act::Elevate, elevation.right, elevation.holder);
        demand.takes().and(now)
    }

    /// The next id of a kind.
    pub(super) fn id<T: Id>(&mut self) -> T {
        let id = T::from(self.counters.next);
        self.counters.next += 1;
        id
    }

    /// The next elevation's id.
    pub(super) fn elevation_id(&mut self) -> ElevationId {
        let id = ElevationId(self.counters.next_elevation);
        self.counters.next_elevation += 1;
        id
    }

    /// Begins the next epoch, in which every number skips ahead.
    pub(super) fn next_epoch(&mut self, skip: u64) -> u32 {
        let Counters { next, next_elevation, epoch } = self.counters;
        self.counters = Counters { next: next + skip, next_elevation: next_elevation + skip, epoch: epoch + 1 };
        self.counters.epoch
    }

    /// Random bytes that nobody has drawn yet.
    pub(super) fn draw(&mut self) -> [u8; 16] {
        self.drawn += 1;
        self.context.draw(self.drawn)
    }

    /// Salts a private text and keeps it for the store.
    pub(super) fn text(&mut self, said: &Said) -> Digest {
        let private = PrivateText::new(&said.0, self.draw());
        let digest = private.digest;
        self.decision.texts.push(private);
        digest
    }

    /// A private text where there is one: an empty one is none.
    pub(super) fn said(&mut self, said: Option<&Said>) -> Option<Digest> {
        said.filter(|said| !said.0.is_empty()).map(|said| self.text(said))
    }

    /// What an asker brings, to be kept by its digests.
    pub(super) fn brought(&mut self, brings: &Brings) -> Brought {
        let purpose = self.said(brings.purpose.as_ref());
        let (reason, ticket) = (self.said(brings.reason.as_ref()), self.said(brings.ticket.as_ref()));
        let given = brings.references.iter().filter(|(_, said)| !said.0.is_empty());
        let references = given.map(|(name, said)| (name.clone(), self.text(said))).collect();
        Brought { purpose, reason, ticket, references }
    }

    /// Words that a system said, to stand in facts by their digest.
    pub(super) fn words(&mut self, said: &str) -> Words {
        Words::Private { digest: self.text(&Said(said.to_owned())) }
    }

    /// The words as they stand in facts already, where they still say the same.
    pub(super) fn words_again(&mut self, known: Option<&Words>, said: &str) -> Words {
        match known.filter(|known| known.is_private() && self.world.are_words(known, said)) {
            Some(known) => known.clone(),
            None => self.words(said),
        }
    }

    /// Records that the caller had a hand in `touched`'s standing as an approver.
    pub(super) fn influences(&self, touched: impl IntoIterator<Item = SubjectId>) -> Vec<Row> {
        let (by, at) = (self.context.caller.subject(), self.now());
        touched
            .into_iter()
            .filter(|touched| by != Some(*touched))
            .map(|touched| Row::Influence(Influence { by, touched, at }))
            .collect()
    }

    /// Records that the caller let somebody through with less, where these rows would do that under any of `rules`: for
    /// whoever did it, nothing opens without a yes for a day. Judged by what holds before and after.
    pub(super) fn own_influence_if_less(&self, put: &[Row], cut: &[Key], rules: &[&Terms]) -> Option<Row> {
        let me = self.context.caller.subject()?;
        let after = self.world.tried(put, cut);
        lets_through_with_less(self.world, &after, rules, me).then(|| self.own_influence(me))
    }

    /// Every rule that goes by who asks, itself or through an assurance that some are let through without: what a change to a
    /// group may move somebody into or out of.
    pub(super) fn rules_by_asker(&self) -> Vec<&'w Terms> {
        let by_group = |name: &String| {
            let assurance = self.world.assurances.get(name);
            assurance.is_some_and(|it| it.bypass.is_some() || it.pilot.is_some())
        };
        let goes_by_asker = |rule: &&Terms| {
            rule.asker.is_some()
                || rule.settings.glass.is_some()
                || rule.settings.assured.iter().any(|assured| assured.0.iter().any(by_group))
        };
        self.world.terms.values().filter(goes_by_asker).collect()
    }

    pub(super) fn own_influence(&self, me: SubjectId) -> Row {
        Row::Influence(Influence { by: Some(me), touched: me, at: self.now() })
    }

    /// The day's count of standing rights, where a fact changes it.
    fn tally(&mut self, put: &[Row], cut: &[Key]) -> Option<Row> {
        let new = |row: &&Row| matches!(row, Row::Standing(right) if !self.world.standing.contains_key(&right.id));
        let (added, gone) =
            (put.iter().filter(new).count(), cut.iter().filter(|key| key.kind == Kind::Standing).count());
        if added == 0 && gone == 0 {
            return None;
        }
        self.standing = (self.standing + added).saturating_sub(gone);
        let standing = count(self.standing);
        Some(Row::Tally(Tally { day: self.now().strftime("%F").to_string(), standing }))
    }

    /// Notes what those assurances would have refused that only watch.
    pub(super) fn watch(&mut self, takes: &Surety) {
        let lacking = takes.lacking(self.world, &self.context.caller, self.now());
        self.watched.extend(lacking.into_iter().flatten());
    }

    /// What is decided so far.
    pub(super) fn decided(&self) -> &[Fact] {
        &self.decision.facts
    }

    /// The World as that makes it.
    pub(super) fn after(&self) -> World {
        let Decision { facts, texts } = &self.decision;
        let mut after = self.world.clone();
        texts.iter().for_each(|private| after.know(private.digest, private.text.clone()));
        facts.iter().fold(after, |after, fact| after.tried(&fact.put, &fact.cut))
    }

    /// Decides more, on the World as what is decided so far makes it, and takes in what comes of that. What the caller looked at is
    /// what all of it together is about, and no part.
    pub(super) fn going_on<T>(
        &mut self,
        decide: impl FnOnce(&mut Deciding<'_>) -> Result<T, Refusal>,
    ) -> Result<T, Refusal> {
        let world = self.after();
        let context = Context { looked_at: None, ..self.context.clone() };
        let mut next = Deciding {
            counters: self.counters.clone(),
            written: self.written.clone(),
            drawn: self.drawn,
            from: self.from,
            ..Deciding::new(&world, &context)
        };
        let said = decide(&mut next)?;
        let Deciding { counters, written, drawn, from, standing, decision, watched, .. } = next;
        (self.counters, self.written, self.drawn, self.from, self.standing) =
            (counters, written, drawn, from, standing);
        self.decision.facts.extend(decision.facts);
        self.decision.texts.extend(decision.texts);
        self.watched.extend(watched);
        Ok(said)
    }

    /// Facts that follow of themselves from what is decided, which somebody was permitted.
    pub(super) fn following(&mut self) -> Option<Draft<'_, 'w>> {
        (!self.decision.facts.is_empty()).then_some(Draft(self))
    }

    /// What comes of it. What was let through that would have been refused is told with it, where it came to anything.
    pub(super) fn finish(mut self) -> Decision {
        if !self.decision.facts.is_empty() {
            for (assurance, lack) in std::mem::take(&mut self.watched) {
                if let Some((what, put)) = assurances::watched(&self, assurance, lack) {
                    Draft(&mut self).fact(what, put);
                }
            }
        }
        self.decision
    }

    /// Facts of the caller's, who may have them written.
    pub(super) fn by(&mut self, _: impl Permit) -> Draft<'_, 'w> {
        Draft(self)
    }
}

/// Facts in the making, by somebody who may.
pub(super) struct Draft<'d, 'w>(&'d mut Deciding<'w>);

impl<'w> Deref for Draft<'_, 'w> {
    type Target = Deciding<'w>;

    fn deref(&self) -> &Deciding<'w> {
        self.0
    }
}

impl DerefMut for Draft<'_, '_> {
    fn deref_mut(&mut self) -> &mut Self::Target {
        self.0
    }
}

impl Draft<'_, '_> {
    pub(super) fn fact(&mut self, what: What, put: Vec<Row>) {
        self.fact_cutting(what, put, Vec::new());
    }

    pub(super) fn fact_cutting(&mut self, what: What, mut put: Vec<Row>, cut: Vec<Key>) {
        if self.0.from.is_none() {
            let from = self.context.caller.from.clone();
            self.0.from = from.as_ref().map(|address| self.0.text(address));
        }
        if self.0.counters != self.0.written {
            put.push(Row::Counters(self.0.counters.clone()));
            self.0.written = self.0.counters.clone();
        }
        put.extend(self.0.tally(&put, &cut));
        let caller = &self.context.caller;
        let (at, by, from, channel) = (self.now(), caller.actor, self.from, caller.channel);
        self.0.decision.facts.push(Fact { v: FACT_VERSION, at, by, from, channel, what, put, cut });
    }
}

/// How many, as facts carry it.
pub(super) fn count(many: usize) -> u32 {
    u32::try_from(many).unwrap_or(u32::MAX)
}
