//! The demand: all that an ask will need, worked out before it is made, in one plain sentence.

use std::collections::BTreeSet;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{
    Act, Approval, Approver, AskRefusal, AtOnce, Counts, Effective, ElevationId, Eligibility, EligibilityId, Grace,
    Lapse, LapseRule, Opening, Refusal, Right, SeparationRefusal, Setting as _, Stage, StageAsked, StageTerms,
    StartChoice, SubjectId, Surety, UsesRule, Weight, World,
    approvers::{Concern, Shortage, asked_in_stages, manager_of, shortage},
    effective_terms,
    influence::{INFLUENCE_LASTS, is_touched, weakened_lately},
    later, moment,
    separation::{Gain, ensure_apart, has_no_room},
    text::Digest,
    time::Seconds,
};

/// What an ask demands, frozen when it is made.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct Demand {
    /// What is asked for.
    pub right: Right,
    /// The eligibility that allows the ask.
    pub eligibility: EligibilityId,
    /// When that eligibility ends, which a grant never outlives.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub eligible_until: Option<Timestamp>,
    /// The role's weight at that moment.
    pub weight: Weight,
    /// Digest of what the role permits at that moment.
    pub permits: Digest,
    /// How a grant of it will end.
    pub ends: Lapse,
    /// The terms that hold.
    pub terms: Effective,
    /// Who may answer, stage by stage; none where nobody is asked.
    #[serde(rename = "approvers", with = "kept_stages")]
    #[schemars(with = "Vec<StageAsked>")]
    pub stages: Vec<StageAsked>,
    /// Whether the glass is broken for it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub glass: bool,
    /// The asker's own account that it is put on, where it is put on one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub account: Option<Digest>,
}

/// How facts have who is asked: of one stage that comes to nobody else the people alone, as before there could be more.
mod kept_stages {
    use std::collections::BTreeSet;

    use serde::{Deserialize, Deserializer, Serialize, Serializer};

    use crate::{StageAsked, SubjectId};

    #[derive(Deserialize)]
    #[serde(untagged)]
    enum Kept {
        People(BTreeSet<SubjectId>),
        Stages(Vec<StageAsked>),
    }

    pub(super) fn serialize<S: Serializer>(stages: &[StageAsked], serializer: S) -> Result<S::Ok, S::Error> {
        match stages {
            [StageAsked { approvers, onward, away }] if onward.is_empty() && away.is_empty() => {
                approvers.serialize(serializer)
            }
            stages => stages.serialize(serializer),
        }
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(deserializer: D) -> Result<Vec<StageAsked>, D::Error> {
        Ok(match Kept::deserialize(deserializer)? {
            Kept::People(people) if people.is_empty() => Vec::new(),
            Kept::People(approvers) => vec![StageAsked { approvers, ..StageAsked::default() }],
            Kept::Stages(stages) => stages,
        })
    }
}

/// The demand of one elevation, a row of its own: it is long, and frozen, while the elevation goes on.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Demanded {
    /// Of which elevation.
    pub elevation: ElevationId,
    /// What it demands.
    pub demand: Demand,
}

impl Effective {
    /// What an asker has to bring beside a proof of themselves, each in words.
    #[must_use]
    pub fn wanted(&self) -> Vec<String> {
        let said = [self.purposes.need(), self.reason.need(), self.ticket.0.need("ticket")];
        let references = self.references.0.iter().filter_map(|(name, rule)| rule.need(name));
        said.into_iter().flatten().chain(references).collect()
    }
}

impl Demand {
    /// How sure it must be of the asker.
    #[must_use]
    pub fn takes(&self) -> Surety {
        let takes = Surety::of(&self.terms);
        if !self.glass {
            return takes;
        }
        Surety { accepts: &takes.accepts & &self.terms.glass.accepts, ..takes }
    }

    /// The whole demand as one plain sentence, as it is at a moment. Without a `start` where the asker has to set a time, and
    /// hasn't yet.
    #[must_use]
    pub fn sentence(&self, world: &World, duration: Seconds, start: Option<StartChoice>, at: Timestamp) -> String {
        let starts = match start {
            Some(StartChoice::AtYes) if self.stages.is_empty() => "the time runs at once".to_owned(),
            Some(StartChoice::AtYes) => "the time runs from the last yes".to_owned(),
            Some(StartChoice::At { time }) => format!("the time runs from {}", moment(time)),
            None => "the time runs from when you set it to".to_owned(),
            Some(StartChoice::OnBegin) => format!(
                "the time runs when you begin, within {} of the yes",
                self.terms.starts.begin_within.unwrap_or(Seconds(0))
            ),
        };
        let account =
            self.account.map_or_else(String::new, |account| format!(" with the account `{}`", world.text(account)));
        let grace = match self.terms.grace {
            Grace(Seconds(0)) => String::new(),
            Grace(grace) => format!(" (you may take {grace} more then, once)"),
        };
        let begins = match start {
            Some(StartChoice::At { time }) => time,
            _ => at,
        };
        let held = self.held(world, begins, duration);
        let once = match self.terms.uses {
            UsesRule::Any => "",
            UsesRule::One => ", it ends once its first use is seen",
        };
        let at_once = self.at_once(world, at);
        let only_while = self.only_while(world);
        let what = if self.glass { "To break the glass and hold" } else { "To hold" };
        let debrief = self.debrief(world);
        format!(
            "{what} {}{account} for {duration} you need {}; {starts}{held}{only_while}{once}{at_once}, and at its end{grace} {}{debrief}.",
            world.right_name(self.right),
            self.needs(world),
            self.ends.says
        )
    }

    /// When it may be held, with what cuts short what begins at a moment, or puts it off.
    fn held(&self, world: &World, begins: Timestamp, duration: Seconds) -> String {
        let opening = Opening::of(world, &self.terms);
        if opening.is_always() {
            return String::new();
        }
        let words = format!(", it may be held {}", opening.words(world));
        let until = later(begins, duration);
        match (opening.closing(begins), opening.opens(begins)) {
            (Some((closes, why)), _) if closes < until => {
                format!("{words}, is over at {} at the latest ({why})", moment(closes))
            }
            (Some(_), _) => words,
            (None, Some(opens)) if opens > begins => {
                let why = opening.closed_by(begins).map_or_else(String::new, |why| format!(" ({why})"));
                format!("{words}, begins at {} at the earliest{why}", moment(opens))
            }
            (None, _) => words,
        }
    }

    /// How many may hold it at one time, with what that comes to at a moment.
    fn at_once(&self, world: &World, at: Timestamp) -> String {
        let said = AtOnce::of(world, self.right, None, at).map(|one| {
            let waits = one.frees.filter(|_| one.is_full() && !self.glass);
            let waits = waits.map(|frees| {
                // One that should have ended, and isn't read back as gone, is still held.
                let until = if frees > at { format!("do until {}", moment(frees)) } else { "still do".to_owned() };
                format!(", as many {until}: it begins when one is done")
            });
            let (most, waits) = (one.most, waits.unwrap_or_default());
            format!(", {most} at most hold{} one like it at one time{waits}", if most == 1 { "s" } else { "" })
        });
        said.collect()
    }

    /// Who looks at what was done, as the end of a sentence.
    fn debrief(&self, world: &World) -> String {
        self.terms.debrief.wanted().map_or_else(String::new, |terms| {
            format!("; then what was done is looked at by {}, within {}", terms.by_whom(world), terms.within)
        })
    }

    /// The whole demand of going on with `elevation`, as one plain sentence.
    #[must_use]
    pub fn sentence_to_go_on(&self, world: &World, elevation: ElevationId, until: Timestamp) -> String {
        let (right, needs, ends) = (world.right_name(self.right), self.needs(world), &self.ends.says);
        format!("To go on with {elevation} ({right}) until {} you need {needs}; at its end {ends}.", moment(until))
    }

    /// All that must be brought, as a list in words.
    fn needs(&self, world: &World) -> String {
        let mut needs = vec![self.takes().words(world)];
        needs.extend(self.terms.wanted());
        let yes = self.in_turn().map(|(stage, terms)| {
            let (yes, within) = (terms.yes, terms.within);
            let others = match stage.onward.is_empty() {
                true => String::new(),
                false => format!(" (after that also from {})", names(world, stage, &stage.onward, 4)),
            };
            format!("{yes} yes within {within} from {}{others}", names(world, stage, &stage.approvers, 4))
        });
        let yes: Vec<String> = yes.collect();
        needs.extend((!yes.is_empty()).then(|| yes.join(", then ")));
        and(&needs)
    }

    /// Each stage with what it takes.
    fn in_turn(&self) -> impl Iterator<Item = (&StageAsked, &StageTerms)> {
        self.stages.iter().zip(self.terms.approval.stages())
    }

    /// Its stages, none of them begun.
    pub(crate) fn waiting(&self) -> Vec<Stage> {
        self.in_turn().map(|(asked, terms)| Stage::of(terms, asked.clone())).collect()
    }

    /// The demand at a glance: the longest time, and what must be brought, with the same words in the same order.
    #[must_use]
    pub fn brief(&self, world: &World) -> String {
        let terms = &self.terms;
        let mut parts = vec![format!("up to {}", terms.longest.0)];
        let opening = Opening::of(world, terms);
        parts.extend(opening.hours(world));
        parts.extend((!terms.only_while.0.is_empty()).then(|| format!("only while {}", terms.only_while.words(world))));
        parts.extend((terms.uses == UsesRule::One).then(|| "one use".to_owned()));
        let most = AtOnce::most(world, self.right);
        parts.extend(most.map(|most| format!("{most} at a time")));
        let assured = Surety::of(terms).names(world).join(" + ");
        parts.push(if assured.is_empty() { "fresh proof".to_owned() } else { format!("proof {assured}") });
        parts.extend(terms.purposes.need().map(|_| "purpose".to_owned()));
        parts.extend(terms.reason.need().map(|_| "reason".to_owned()));
        parts.extend(terms.ticket.0.is_required().then(|| "ticket".to_owned()));
        let references = terms.references.0.iter().filter(|(_, rule)| rule.is_required());
        parts.extend(references.map(|(name, _)| name.clone()));
        let yes: Vec<String> = self
            .in_turn()
            .map(|(stage, terms)| match terms.yes {
                1 => format!("yes of {}", some(&stage.approvers, 1, |id| world.subject_name(*id))),
                yes => format!("{yes} yes of {}", some(&stage.approvers, 1, |id| world.subject_name(*id))),
            })
            .collect();
        parts.push(if yes.is_empty() { "no yes needed".to_owned() } else { yes.join(", then ") });
        parts.extend(terms.debrief.wanted().map(|_| "debrief".to_owned()));
        parts.extend(opening.not_during());
        parts.join(" · ")
    }
}

/// `a, b and c`.
pub(crate) fn and(parts: &[String]) -> String {
    match parts {
        [] => String::new(),
        [one] => one.clone(),
        [head @ .., last] => format!("{} and {last}", head.join(", ")),
    }
}

/// `a, b (for c, who is away) or 3 more`: so many by name.
fn names(world: &World, stage: &StageAsked, people: &BTreeSet<SubjectId>, shown: usize) -> String {
    some(people, shown, |id| {
        let away = stage.away.iter().filter(|away| away.delegate == *id).map(|away| world.subject_name(away.who));
        let away: Vec<String> = away.collect();
        let name = world.subject_name(*id);
        match away.as_slice() {
            [] => name,
            [one] => format!("{name} (for {one}, who is away)"),
            all => format!("{name} (for {}, who are away)", and(all)),
        }
    })
}

/// `a, b or 3 more`: so many, each as it is said.
fn some(people: &BTreeSet<SubjectId>, shown: usize, say: impl Fn(&SubjectId) -> String) -> String {
    let mut names: Vec<String> = people.iter().take(shown).map(say).collect();
    if people.len() > names.len() {
        names.push(format!("{} more", people.len() - names.len()));
    }
    match names.as_slice() {
        [] => "nobody".to_owned(),
        [one] => one.clone(),
        [head @ .., last] => format!("{} or {last}", head.join(", ")),
    }
}

/// Works out what `asker` would have to bring to hold `right`.
///
/// # Errors
/// Refuses where there is no eligibility, where the terms rule the right out, and where nobody could answer.
pub fn demand_for(world: &World, asker: SubjectId, right: Right, now: Timestamp) -> Result<Demand, Refusal> {
    demand_to_hold(world, asker, right, now, Manner::default())
}

/// How something is asked for.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Manner {
    /// From when on; at once where nothing is said.
    pub start: Option<StartChoice>,
    /// For how long; as long as is usual where nothing is said.
    pub duration: Option<Seconds>,
    /// Whether the glass is broken for it.
    pub glass: bool,
}

/// The same of what is asked for in a manner: within some hours nobody need be asked, perhaps, and whoever breaks the glass asks
/// nobody.
///
/// # Errors
/// As above.
pub fn demand_to_hold(
    world: &World,
    asker: SubjectId,
    right: Right,
    now: Timestamp,
    manner: Manner,
) -> Result<Demand, Refusal> {
    let Manner { start, duration, glass } = manner;
    let mut terms = effective_terms(world, Act::Elevate, right, asker);
    if glass {
        terms = terms.through_glass(world, asker, right)?;
    }
    let from = match start {
        Some(StartChoice::At { time }) => time,
        _ => now,
    };
    terms.approval = terms.approval.of_time(from, duration.unwrap_or(terms.usual.0));
    // Whoever breaks the glass doesn't wait for others to be done.
    if let Some(AtOnce { separation, most, frees: None, .. }) = has_no_room(world, asker, right, now).filter(|_| !glass)
    {
        return Err(SeparationRefusal::NoRoom { separation, right: world.right_name(right), most }.into());
    }
    Ok(Demand { glass, ..demanded(world, terms, asker, right, now)? })
}

/// What an act on a right by its holder demands, to hold it or to go on holding it.
pub(crate) fn demand_of(
    world: &World,
    act: Act,
    asker: SubjectId,
    right: Right,
    now: Timestamp,
) -> Result<Demand, Refusal> {
    demanded(world, effective_terms(world, act, right, asker), asker, right, now)
}

fn demanded(
    world: &World,
    terms: Effective,
    asker: SubjectId,
    right: Right,
    now: Timestamp,
) -> Result<Demand, Refusal> {
    let role = world
        .roles
        .get(&right.role)
        .filter(|role| !role.gone)
        .ok_or_else(|| Refusal::unknown("role", right.role, "`tempestas eligible` lists what you may ask for"))?;
    let eligibility = fitting_eligibility(world, asker, right, now)?;
    if let Some(stop) = world.stop_on(asker, right) {
        let (reach, by, word) = (world.reach_name(stop.reach), world.subject_name(stop.by), world.text(stop.word));
        return Err(AskRefusal::Stopped { reach, since: stop.at, by, word, stop: stop.id }.into());
    }
    if terms.lapse == LapseRule::ByItself && (!role.lapse.by_itself || role.lapse.holder_can_undo) {
        return Err(AskRefusal::EndsByUs { right: world.right_name(right), says: role.lapse.says.clone() }.into());
    }
    let gain = Gain { who: asker, rights: &[right], by: Counts::Held, told: Some(asker) };
    ensure_apart(world, &gain, now)?;
    terms.assured.ensure_can_be_met(world)?;
    let told = world.target_of(right.scope).is_some_and(|target| target.connector.tells_of_uses());
    if terms.uses == UsesRule::One && !told {
        return Err(AskRefusal::UsesUntold { right: world.right_name(right) }.into());
    }
    if terms.approval == Approval::None {
        refuse_own_terms(world, &terms, asker, now)?;
    }
    let parties = std::slice::from_ref(&asker);
    let concern = Concern { scope: right.scope, wider: None, holder: asker, parties };
    let stages = asked_in_stages(world, &terms.approval, concern, now);
    let demand = Demand {
        right,
        eligibility: eligibility.id,
        eligible_until: eligibility.until,
        weight: role.weight,
        permits: role.permits,
        ends: role.lapse.clone(),
        terms,
        stages,
        glass: false,
        account: own_account(world, asker, right),
    };
    match shortage(world, &demand.waiting()) {
        None => Ok(demand),
        Some(short) => Err(too_few(world, &demand, short, concern, now)),
    }
}

fn too_few(world: &World, demand: &Demand, short: Shortage, concern: Concern<'_>, now: Timestamp) -> Refusal {
    let asks_manager = |stage: usize| {
        let terms = demand.terms.approval.in_turn().nth(stage - 1);
        terms.is_some_and(|(stage, next)| stage.named(next).any(|approver| *approver == Approver::Manager))
    };
    let right = world.right_name(demand.right);
    match short {
        Shortage::Stage { stage, yes, free } => {
            let no_manager = asks_manager(stage) && manager_of(world, concern, now).is_none();
            AskRefusal::TooFewApprovers { right, stage, yes, free, no_manager }
        }
        Shortage::Together { humans } => AskRefusal::TooFewTogether { right, humans },
    }
    .into()
}

/// The account of `asker`'s that `right` would be put on; none where it gets a login of its own, or nobody said which.
fn own_account(world: &World, asker: SubjectId, right: Right) -> Option<Digest> {
    let target = world.target_of(right.scope).filter(|target| target.connector.uses_own_account())?;
    world.account_of(asker, target.scope).map(|account| account.name)
}

/// Whoever lets themselves in without a yes, by terms of their own making or by those of somebody who is their hand, waits a
/// day like anyone's hand.
pub(crate) fn refuse_own_terms(
    world: &World,
    terms: &Effective,
    asker: SubjectId,
    now: Timestamp,
) -> Result<(), Refusal> {
    if weakened_lately(world, asker, now) {
        return Err(AskRefusal::Weakened.into());
    }
    let rule = terms.trace::<Approval>().and_then(|trace| world.terms.get(&trace.rule?));
    let own = rule.and_then(|rule| {
        let (by, until) = (rule.set_by?, later(rule.set_at?, INFLUENCE_LASTS));
        let is_own = world.human(by) == world.human(asker) || is_touched(world, by, asker, now);
        (is_own && until > now).then_some((rule.id, until))
    });
    match own {
        Some((terms, until)) => Err(AskRefusal::OwnTerms { terms, until }.into()),
        None => Ok(()),
    }
}

/// The eligibility that reaches `right` and lasts longest.
fn fitting_eligibility(world: &World, asker: SubjectId, right: Right, now: Timestamp) -> Result<&Eligibility, Refusal> {
    let of_role: Vec<&Eligibility> =
        world.eligibilities_of(asker).filter(|held| held.right.role == right.role).collect();
    let reaching: Vec<&Eligibility> =
        of_role.iter().copied().filter(|held| world.is_within(right.scope, held.right.scope)).collect();
    let best =
        reaching.iter().copied().filter(|held| held.holds(now)).max_by_key(|held| (held.until.is_none(), held.until));
    best.ok_or_else(|| {
        let name = world.right_name(right);
        let why = match (reaching.first(), of_role.first()) {
            (Some(Eligibility { paused: Some(pause), .. }), _) => {
                AskRefusal::Suspended { right: name, since: pause.at, reason: world.text(pause.reason) }
            }
            (Some(held), _) if held.from > now => AskRefusal::NotYet { right: name, from: held.from },
            (Some(_), _) => AskRefusal::NoLonger { right: name },
            (None, Some(held)) => {
                AskRefusal::Outside { scope: world.path(right.scope), reaches: world.path(held.right.scope) }
            }
            (None, None) => AskRefusal::NotEligible { right: name },
        };
        why.into()
    })
}

/// The rights that `subject` may ask for at `now`, through itself or a group.
#[must_use]
pub fn own_rights(world: &World, subject: SubjectId, now: Timestamp) -> Vec<&Eligibility> {
    let mut held: Vec<&Eligibility> = world
        .eligibilities_of(subject)
        .filter(|eligibility| eligibility.until.is_none_or(|until| now < until))
        .collect();
    held.sort_by_key(|eligibility| eligibility.right);
    held.dedup_by_key(|eligibility| eligibility.right);
    held
}
