//! One path: every command, whatever the door, is decided here against the World and the present time.

mod answers;
mod appointments;
mod asks;
mod conversions;
mod drifts;
mod estate;
mod grants;
mod house;
mod notes;
mod people;
mod proofs;
mod sources;
mod stops;
mod surveys;
mod terms;

pub use notes::refusals_dropped;

use std::fmt;

use jiff::Timestamp;

use crate::{
    Actor, Caller, Command, Context, Counters, Decision, Digest, Elevation, ElevationId, FACT_VERSION, Fact, Hand, Id,
    Key, Kind, LookedAt, PrivateText, Refusal, Row, Said, ScopeId, Seconds, Sight, SubjectId, Tally, Terms, What,
    Words, World, influence::lets_through_with_less, is_deceptive,
};

/// How fresh an administrator's proof must be for changing who may do what.
const ADMINISTRATOR_PROOF: Seconds = Seconds::minutes(15);

/// Decides a command. The same World, command and context give the same answer.
///
/// # Errors
/// A [`Refusal`] that says what was wrong and what to do next; nothing has then changed.
pub fn decide(world: &World, command: &Command, context: &Context) -> Result<Decision, Refusal> {
    let mut draft = Draft::new(world, context);
    match command {
        Command::Found { .. }
        | Command::BeginEpoch { .. }
        | Command::RaiseAlarm(_)
        | Command::SettleAlarm { .. }
        | Command::Recover { .. } => house::decide(&mut draft, command)?,
        Command::Note(note) => notes::note(&mut draft, note)?,
        Command::SetCredentials { subject, step } => notes::credentials(&mut draft, *subject, *step)?,
        Command::Tick => {
            grants::tick(&mut draft);
            appointments::tick(&mut draft);
            conversions::tick(&mut draft);
            drifts::tick(&mut draft);
        }
        Command::Stop { .. } | Command::LiftStop { .. } => stops::decide(&mut draft, command)?,
        Command::AddSubject { .. }
        | Command::AddMember { .. }
        | Command::RemoveMember { .. }
        | Command::Suspend { .. }
        | Command::Resume { .. }
        | Command::SetAccount { .. }
        | Command::GiveDuty { .. }
        | Command::EndDuty { .. } => people::decide(&mut draft, command)?,
        Command::AddFolder { .. }
        | Command::AddTarget { .. }
        | Command::SetTarget { .. }
        | Command::EndTarget { .. } => estate::decide(&mut draft, command)?,
        Command::RecordSurvey { target, digest, survey, accepted } => {
            surveys::record(&mut draft, *target, *digest, survey, *accepted)?;
        }
        Command::SealedUsed { target, account, at, claimed } => {
            surveys::sealed_used(&mut draft, *target, account, *at, *claimed)?;
        }
        Command::RecordSearch { target, marked } => surveys::searched(&mut draft, *target, marked)?,
        Command::StrayEnded { target, name } => surveys::stray_ended(&mut draft, *target, name)?,
        Command::SetSource { .. } | Command::EndSource { .. } | Command::RecordImport { .. } => {
            sources::decide(&mut draft, command)?;
        }
        Command::AdoptDrift { .. } | Command::IgnoreDrift { .. } | Command::PutBackDrift { .. } => {
            drifts::decide(&mut draft, command)?;
        }
        Command::GiveEligibility { .. }
        | Command::ChangeEligibility { .. }
        | Command::SuspendEligibility { .. }
        | Command::ResumeEligibility { .. }
        | Command::EndEligibility { .. }
        | Command::Cover { .. }
        | Command::AnswerAppointment { .. }
        | Command::EndAppointment { .. } => appointments::decide(&mut draft, command)?,
        Command::SetTerms { .. }
        | Command::SuspendTerms { .. }
        | Command::ResumeTerms { .. }
        | Command::EndTerms { .. } => terms::decide(&mut draft, command)?,
        Command::Convert { .. }
        | Command::NextWave { .. }
        | Command::UndoConversion { .. }
        | Command::StandingTaken { .. }
        | Command::StandingRestored { .. }
        | Command::StandingDelayed { .. } => conversions::decide(&mut draft, command)?,
        Command::Ask { .. } | Command::Answer { .. } | Command::Withdraw { .. } | Command::Begin { .. } => {
            asks::decide(&mut draft, command)?
        }
        Command::GiveBack { .. }
        | Command::Revoke { .. }
        | Command::ShowLogin { .. }
        | Command::GrantSeen { .. }
        | Command::GrantDelayed { .. }
        | Command::GrantGone { .. } => grants::decide(&mut draft, command)?,
    }
    Ok(draft.finish())
}

/// Refuses anyone but an administrator of the scope with a fresh proof.
///
/// # Errors
/// Says which duty, or which proof, is missing.
pub fn ensure_administrator(world: &World, caller: &Caller, scope: ScopeId, now: Timestamp) -> Result<(), Refusal> {
    match caller.actor {
        Actor::Keeper => Err(Refusal::not_allowed("a keeper only reports what it saw")),
        Actor::Nobody => Err(Refusal::not_allowed("this needs a sign-in")),
        Actor::Machine => Ok(()),
        Actor::Subject(person) if Sight::is_administrator(world, person, scope) => {
            ensure_fresh(caller, ADMINISTRATOR_PROOF, now)
        }
        Actor::Subject(_) => Err(not_administrator(world, scope)),
    }
}

/// How somebody is refused who is no administrator of a scope.
#[must_use]
pub fn not_administrator(world: &World, scope: ScopeId) -> Refusal {
    Refusal::not_allowed(format!(
        "only an administrator of {} may do this; `tempestas me` shows your duties",
        world.path(scope)
    ))
}

/// Refuses a caller whose last proof is older than `max_age`.
///
/// # Errors
/// Says when the last one was.
pub fn ensure_fresh(caller: &Caller, max_age: Seconds, now: Timestamp) -> Result<(), Refusal> {
    match caller.proven_at {
        Some(at) if crate::later(at, max_age) >= now => Ok(()),
        last => Err(Refusal::StepUp { max_age, last }),
    }
}

/// A decision in the making.
struct Draft<'w> {
    world: &'w World,
    context: &'w Context,
    counters: Counters,
    written: Counters,
    drawn: u64,
    from: Option<Digest>,
    /// Standing rights there will be, once what is drafted is applied.
    standing: usize,
    decision: Decision,
}

impl<'w> Draft<'w> {
    fn new(world: &'w World, context: &'w Context) -> Self {
        Self {
            world,
            context,
            counters: world.counters.clone(),
            written: world.counters.clone(),
            drawn: 0,
            from: None,
            standing: world.standing.len(),
            decision: Decision::default(),
        }
    }

    fn now(&self) -> Timestamp {
        self.context.now
    }

    /// The person or program that gives the command.
    fn person(&self) -> Result<SubjectId, Refusal> {
        let id = self
            .context
            .caller
            .subject()
            .ok_or_else(|| Refusal::not_allowed("only a person who signed in may do this"))?;
        if self.world.is_suspended(id) {
            return Err(Refusal::not_allowed("your account is suspended; speak to an administrator"));
        }
        Ok(id)
    }

    fn administrator(&self, scope: ScopeId) -> Result<(), Refusal> {
        ensure_administrator(self.world, &self.context.caller, scope, self.now())
    }

    /// Refuses to change in place what is not as the caller saw it. Only for those who may know how it is.
    fn ensure_as_looked_at(&self, what: &impl fmt::Display, present: Option<Digest>) -> Result<(), Refusal> {
        let present = present.map_or(LookedAt::Nothing, LookedAt::This);
        let is_so = self.context.looked_at.is_none_or(|looked_at| looked_at == present);
        if is_so { Ok(()) } else { Err(Refusal::Stale(what.to_string())) }
    }

    fn root_administrator(&self) -> Result<ScopeId, Refusal> {
        let root = self
            .world
            .root
            .ok_or_else(|| Refusal::conflict("nothing was founded here yet; start `tempestasd` once"))?;
        self.administrator(root)?;
        Ok(root)
    }

    fn elevation(&self, id: ElevationId) -> Result<Elevation, Refusal> {
        let missing = || Refusal::unknown("elevation", id, "`tempestas grants` lists yours");
        let elevation = self.world.elevations.get(&id).ok_or_else(missing)?;
        match self.context.caller.subject() {
            Some(me) if !Sight::of(self.world, me).sees_elevation(self.world, elevation) => Err(missing()),
            _ => Ok(elevation.clone()),
        }
    }

    /// The next id of a kind.
    fn id<T: Id>(&mut self) -> T {
        let id = T::from(self.counters.next);
        self.counters.next += 1;
        id
    }

    fn draw(&mut self) -> [u8; 16] {
        self.drawn += 1;
        self.context.draw(self.drawn)
    }

    /// Salts a private text and keeps it for the store.
    fn text(&mut self, said: &Said) -> Digest {
        let private = PrivateText::new(&said.0, self.draw());
        let digest = private.digest;
        self.decision.texts.push(private);
        digest
    }

    /// Words that a system said, to stand in facts by their digest.
    fn words(&mut self, said: &str) -> Words {
        Words::Private { digest: self.text(&Said(said.to_owned())) }
    }

    /// The words as they stand in facts already, where they still say the same.
    fn words_again(&mut self, known: Option<&Words>, said: &str) -> Words {
        match known.filter(|known| known.is_private() && self.world.are_words(known, said)) {
            Some(known) => known.clone(),
            None => self.words(said),
        }
    }

    /// Records that the caller had a hand in `touched`'s standing as an approver.
    fn hands(&self, touched: impl IntoIterator<Item = SubjectId>) -> Vec<Row> {
        let (by, at) = (self.context.caller.subject(), self.now());
        touched
            .into_iter()
            .filter(|touched| by != Some(*touched))
            .map(|touched| Row::Hand(Hand { by, touched, at }))
            .collect()
    }

    /// Records that the caller let somebody through with less, where these rows would do that under any of `rules`: for
    /// whoever did it, nothing opens without a yes for a day. Judged by what holds before and after.
    fn own_hand_if_less(&self, put: &[Row], cut: &[Key], rules: &[&Terms]) -> Option<Row> {
        let me = self.context.caller.subject()?;
        let after = self.world.tried(put, cut);
        lets_through_with_less(self.world, &after, rules, me).then(|| self.own_hand(me))
    }

    /// Every rule that goes by who asks: what a change to a group may move somebody into or out of.
    fn rules_by_asker(&self) -> Vec<&'w Terms> {
        self.world.terms.values().filter(|rule| rule.asker.is_some()).collect()
    }

    fn own_hand(&self, me: SubjectId) -> Row {
        Row::Hand(Hand { by: Some(me), touched: me, at: self.now() })
    }

    fn fact(&mut self, what: What, put: Vec<Row>) {
        self.fact_cutting(what, put, Vec::new());
    }

    fn fact_cutting(&mut self, what: What, mut put: Vec<Row>, cut: Vec<Key>) {
        if self.from.is_none() {
            let from = self.context.caller.from.clone();
            self.from = from.as_ref().map(|address| self.text(address));
        }
        if self.counters != self.written {
            put.push(Row::Counters(self.counters.clone()));
            self.written = self.counters.clone();
        }
        put.extend(self.tally(&put, &cut));
        let caller = &self.context.caller;
        self.decision.facts.push(Fact {
            v: FACT_VERSION,
            at: self.now(),
            by: caller.actor,
            from: self.from,
            door: caller.door,
            what,
            put,
            cut,
        });
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

    fn finish(self) -> Decision {
        self.decision
    }
}

/// How many, as facts carry it.
fn count(many: usize) -> u32 {
    u32::try_from(many).unwrap_or(u32::MAX)
}

/// Checks a name that people type.
fn checked_name(what: &str, name: &str) -> Result<(), Refusal> {
    let fits = (2..=64).contains(&name.len())
        && name.chars().all(|c| c.is_ascii_lowercase() || c.is_ascii_digit() || "._-".contains(c))
        && name.starts_with(|c: char| c.is_ascii_alphanumeric())
        && name.ends_with(|c: char| c.is_ascii_alphanumeric());
    if fits {
        return Ok(());
    }
    Err(Refusal::invalid(format!(
        "`{}` can't be the name of a {what}; use 2 to 64 of a-z, 0-9, `.`, `_` and `-`, with a letter or digit at either end",
        shortened(name)
    )))
}

/// What sentences and forms say in a person's place.
const NO_NAMES: [&str; 6] = ["machine", "everything", "everybody", "administrators", "nobody", "keeper"];

/// Checks what somebody is to be called.
fn checked_subject_name(what: &str, name: &str) -> Result<(), Refusal> {
    if NO_NAMES.contains(&name) {
        return Err(Refusal::invalid(format!("`{name}` means something else here; choose another name for a {what}")));
    }
    checked_name(what, name)
}

/// Checks a free text's length.
fn checked_text(what: &str, text: &Said, most: usize) -> Result<(), Refusal> {
    let letters = text.0.chars().count();
    if letters > most {
        return Err(Refusal::invalid(format!(
            "the {what} has {letters} letters; at most {most} are kept, so say it shorter"
        )));
    }
    if text.0.chars().any(|c| is_deceptive(c) && c != '\n' && c != '\t') {
        return Err(Refusal::invalid(format!(
            "the {what} has characters in it that are invisible, or turn or steer what is shown; use plain text"
        )));
    }
    Ok(())
}

/// Checks a text of one line.
fn checked_line(what: &str, text: &Said, most: usize) -> Result<(), Refusal> {
    if text.0.contains(['\n', '\t']) {
        return Err(Refusal::invalid(format!("the {what} goes over lines; say it in one")));
    }
    checked_text(what, text, most)
}

/// How many letters and digits a text has: what it is counted by where so many are demanded.
fn letters(text: &str) -> usize {
    text.chars().filter(|c| c.is_alphanumeric()).count()
}

fn shortened(text: &str) -> String {
    if text.chars().count() > 80 { text.chars().take(80).chain(['…']).collect() } else { text.to_owned() }
}
