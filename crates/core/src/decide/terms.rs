//! Terms: set, changed in place, suspended, resumed, ended; woken and put to sleep at their times.

use jiff::Timestamp;

use super::{
    alarms,
    deciding::{Deciding, Draft},
    proofs::Administers,
};
use crate::{
    AlarmKind, Approver, Dormant, Key, Refusal, Row, Said, ScopeId, SubjectId, Terms, TermsCommand, TermsId,
    TermsRefusal, What, World,
    due::Due,
    influence::{lets_through_with_less, touchers},
    terms::moments,
};

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &TermsCommand) -> Result<(), Refusal> {
    match command {
        TermsCommand::Set { terms } => set(deciding, terms),
        TermsCommand::Suspend { terms, reason } => suspend(deciding, *terms, reason),
        TermsCommand::Resume { terms } => resume(deciding, *terms),
        TermsCommand::End { terms } => end(deciding, *terms),
    }
}

/// A rule as it stood, if it did, and as it is to be, if it is.
struct Amended {
    old: Option<Terms>,
    new: Option<Terms>,
    /// What is said of it.
    what: What,
    /// Whom it names to answer.
    named: Vec<SubjectId>,
}

impl Amended {
    fn rules(&self) -> impl Iterator<Item = &Terms> {
        self.old.iter().chain(&self.new)
    }

    fn key(&self) -> Option<Key> {
        self.rules().next().map(|rule| Row::Terms(rule.clone()).key())
    }
}

/// What a filing would have of a rule.
pub(super) enum Wanted {
    /// It is set: a new one, in place of the one of its number, or under that again where that ended.
    Set(Box<Terms>),
    /// It ends.
    Ended(TermsId),
}

/// Whether a rule that is set is what the caller looked at, and there; or was looked at with all the others of a filing.
#[derive(Clone, Copy, PartialEq, Eq)]
enum LookedAtAs {
    Itself,
    APart,
}

/// Sets and ends many rules as one: what each does to whoever acts is judged by all of them together. Says which rule became of each.
pub(super) fn amend(deciding: &mut Deciding<'_>, within: ScopeId, wanted: &[Wanted]) -> Result<Vec<TermsId>, Refusal> {
    let administers = deciding.administers(within)?;
    let mut amended = Vec::new();
    for wanted in wanted {
        amended.push(match wanted {
            Wanted::Set(rule) => to_be_set(deciding, Terms::clone(rule), LookedAtAs::APart)?,
            Wanted::Ended(id) => {
                let rule = known(deciding, *id)?;
                deciding.administers(rule.scope)?;
                to_be_ended(rule)
            }
        });
    }
    let ids = amended.iter().filter_map(|one| one.rules().next().map(|rule| rule.id)).collect();
    put_in_place(deciding, administers, amended)?;
    Ok(ids)
}

fn to_be_ended(rule: Terms) -> Amended {
    let what = What::TermsEnded { terms: rule.id, scope: rule.scope };
    Amended { old: Some(rule), new: None, what, named: Vec::new() }
}

fn end(deciding: &mut Deciding<'_>, id: TermsId) -> Result<(), Refusal> {
    let rule = known(deciding, id)?;
    let administers = deciding.administers(rule.scope)?;
    put_in_place(deciding, administers, vec![to_be_ended(rule)])
}

fn suspend(deciding: &mut Deciding<'_>, id: TermsId, reason: &Said) -> Result<(), Refusal> {
    let rule = known(deciding, id)?;
    let administers = deciding.administers(rule.scope)?;
    if rule.paused.is_some() {
        return Err(TermsRefusal::RulePausedAlready { id }.into());
    }
    let paused = Some(deciding.pause(reason)?);
    let what = What::TermsSuspended { terms: rule.id, scope: rule.scope };
    let new = Some(Terms { paused, ..rule.clone() });
    put_in_place(deciding, administers, vec![Amended { old: Some(rule), new, what, named: Vec::new() }])
}

fn resume(deciding: &mut Deciding<'_>, id: TermsId) -> Result<(), Refusal> {
    let rule = known(deciding, id)?;
    let administers = deciding.administers(rule.scope)?;
    if rule.paused.is_none() {
        return Err(TermsRefusal::RuleNotPaused { id }.into());
    }
    let what = What::TermsResumed { terms: rule.id, scope: rule.scope };
    // Whoever resumes a rule answers for it as if they had set it.
    let new = Some(set_by_caller(deciding, Terms { paused: None, ..rule.clone() }));
    put_in_place(deciding, administers, vec![Amended { old: Some(rule), new, what, named: Vec::new() }])
}

fn set_by_caller(deciding: &Deciding<'_>, rule: Terms) -> Terms {
    Terms { set_by: deciding.context.caller.subject(), set_at: Some(deciding.now()), ..rule }
}

fn set(deciding: &mut Deciding<'_>, terms: &Terms) -> Result<(), Refusal> {
    let administers = deciding.administers(terms.scope)?;
    let amended = to_be_set(deciding, terms.clone(), LookedAtAs::Itself)?;
    put_in_place(deciding, administers, vec![amended])
}

/// A rule that is set: a new one, or in place of another; checked.
fn to_be_set(deciding: &mut Deciding<'_>, terms: Terms, looked_at: LookedAtAs) -> Result<Amended, Refusal> {
    deciding.administers(terms.scope)?;
    terms.check()?;
    terms.valid.check(deciding.now())?;
    terms.ensure_named_is_there(deciding.world)?;
    let named = terms.settings.answered_by().filter_map(Approver::subject);
    let named = named.flat_map(|id| deciding.world.everybody_in(id)).collect();
    if terms.asker.is_some_and(|asker| !deciding.world.subjects.contains_key(&asker)) {
        return Err(TermsRefusal::UnknownAsker.into());
    }
    let mut rule = set_by_caller(deciding, terms.at(deciding.now()));
    let old = match looked_at {
        LookedAtAs::Itself if rule.id != TermsId(0) => Some(known(deciding, rule.id)?),
        _ => deciding.world.terms.get(&rule.id).cloned(),
    };
    if let Some(old) = &old {
        deciding.administers(old.scope)?;
        if looked_at == LookedAtAs::Itself {
            deciding.ensure_as_looked_at(&old.id, Some(old.digest()))?;
        }
        rule.paused = old.paused;
    } else if rule.id == TermsId(0) {
        rule.id = deciding.id();
    }
    let what = What::TermsSet { terms: rule.id, scope: rule.scope };
    Ok(Amended { old, new: Some(rule), what, named })
}

/// Rules that are changed together, with rows that are put beside them.
struct Changed<'c> {
    amended: &'c [Amended],
    beside: &'c [Row],
}

impl<'c> Changed<'c> {
    fn rules(&self) -> impl Iterator<Item = &'c Terms> {
        self.amended.iter().flat_map(Amended::rules)
    }

    /// What is put and cut once it is done, as that stands at a moment.
    fn rows(&self, at: Timestamp) -> (Vec<Row>, Vec<Key>) {
        let put = self.amended.iter().filter_map(|one| one.new.as_ref()).map(|rule| Row::Terms(rule.at(at)));
        let gone = self.amended.iter().filter(|one| one.new.is_none());
        (self.beside.iter().cloned().chain(put).collect(), gone.filter_map(Amended::key).collect())
    }

    /// The World before and after, now and at each moment at which one of the rules wakes or goes to sleep: nobody puts off what
    /// would bind them, and nobody gets by a rule that sleeps what they wouldn't by one that is awake.
    fn worlds(&self, world: &World, now: Timestamp) -> Vec<(World, World)> {
        let at = |moment| {
            let before = self.amended.iter().filter_map(|one| one.old.as_ref());
            let before: Vec<Row> = before.map(|rule| Row::Terms(rule.at(moment))).collect();
            let (put, cut) = self.rows(moment);
            (world.tried(&before, &[]), world.tried(&put, &cut))
        };
        moments(self.rules(), now).into_iter().map(at).collect()
    }
}

/// Refuses what would take from administering that the caller lacks, at any of the rules' times.
fn ensure_still_administers(deciding: &Deciding<'_>, changed: &Changed<'_>) -> Result<(), Refusal> {
    moments(changed.rules(), deciding.now()).into_iter().try_for_each(|at| {
        let (put, cut) = changed.rows(at);
        deciding.ensure_still_administers(&put, &cut)
    })
}

fn put_in_place(deciding: &mut Deciding<'_>, permit: Administers, mut amended: Vec<Amended>) -> Result<(), Refusal> {
    // What they change is tried with the role as it is read; in the facts stands its digest.
    for rule in amended.iter_mut().filter_map(|one| one.new.as_mut()) {
        rule.role = rule.role.take().map(|role| deciding.world.words(&role).into());
    }
    let mut beside = deciding.influences(amended.iter().flat_map(|one| one.named.iter().copied()));
    let (changed, now) = (Changed { amended: &amended, beside: &beside }, deciding.now());
    ensure_still_administers(deciding, &changed)?;
    let (rules, worlds): (Vec<&Terms>, _) = (changed.rules().collect(), changed.worlds(deciding.world, now));
    let gains =
        |who: &SubjectId| worlds.iter().any(|(before, after)| lets_through_with_less(before, after, &rules, *who));
    let me = deciding.context.caller.subject();
    // Whoever gave the caller their standing within a day.
    let givers = me.map_or_else(Vec::new, |me| touchers(deciding.world, me, now));
    let favoured = givers.into_iter().find(gains);
    beside.extend(me.filter(gains).map(|me| deciding.own_influence(me)));
    let draft = &mut deciding.by(permit);
    for Amended { old, new, what, .. } in amended {
        let mut put = std::mem::take(&mut beside);
        let cut =
            if new.is_none() { old.iter().map(|old| Row::Terms(old.clone()).key()).collect() } else { Vec::new() };
        if let Some(rule) = new {
            let was = old.and_then(|old| old.role);
            let role = rule.role.as_ref().map(|role| {
                let world = draft.world;
                draft.words_again(was.as_ref(), world.words(role))
            });
            put.push(Row::Terms(Terms { role, ..rule }));
        }
        draft.fact_cutting(what, put, cut);
    }
    if let (Some(by), Some(hand)) = (favoured, me) {
        alarms::raise(draft, AlarmKind::HandedOn { by, hand });
    }
    Ok(())
}

/// Wakes the rules whose time has come, and puts those to sleep whose time is over; whether there were any. What comes of that
/// is the doing of whoever set them. By a clock that nobody has looked at none is: a rule that is over doesn't come back.
pub(super) fn tick(draft: &mut Draft<'_, '_>) -> bool {
    let (world, now) = (draft.world, draft.now());
    if world.clock_is_held() {
        return false;
    }
    let due = world.due_by(now).filter_map(|due| match due {
        Due::Terms(id) => world.terms.get(&id),
        _ => None,
    });
    let due: Vec<Terms> = due.map(|rule| Terms { dormant: rule.valid.dormant(now), ..rule.clone() }).collect();
    // Together: of two that end at one moment, neither alone may be what held somebody up.
    let put: Vec<Row> = due.iter().cloned().map(Row::Terms).collect();
    let after = world.tried(&put, &[]);
    let rules: Vec<&Terms> = due.iter().collect();
    for rule in &due {
        let (terms, scope) = (rule.id, rule.scope);
        let what = match rule.dormant {
            None => What::TermsBegan { terms, scope },
            Some(Dormant::NotYet | Dormant::Over) => What::TermsOver { terms, scope },
        };
        let maker = rule.set_by.filter(|maker| lets_through_with_less(world, &after, &rules, *maker));
        let hand = maker.map(|maker| draft.own_influence(maker));
        draft.fact(what, [Row::Terms(rule.clone())].into_iter().chain(hand).collect());
    }
    !due.is_empty()
}

fn known(deciding: &Deciding<'_>, id: TermsId) -> Result<Terms, Refusal> {
    deciding
        .world
        .terms
        .get(&id)
        .cloned()
        .ok_or_else(|| Refusal::unknown("rule of terms", id, "`tempestas terms` lists them"))
}
