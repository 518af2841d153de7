//! An elevation's way: from all that was said to opening, and the ends of what was never begun.

use jiff::Timestamp;

use super::{
    brought::still_enough,
    debriefs,
    deciding::{Deciding, Draft, count},
    extensions,
    proofs::{FreshProof, Person},
};
use crate::{
    Approval, AskRefusal, AtOnce, Brought, Demand, Demanded, Digest, Elevation, ElevationId, End, Grant, HoldRefusal,
    Manner, Opening, Phase, Refusal, Right, Round, Row, ScopeId, Seconds, Seen, SentBackBecause, StageTerms, Stages,
    StartChoice, Starts, UsesRule, Verdict, What, World,
    approvers::{Concern, humans, still_asked},
    demand_to_hold, later,
    separation::{are_one_at_a_time, has_no_room},
};

/// Takes an ask back, or an ask to go on.
pub(super) fn withdraw(deciding: &mut Deciding<'_>, person: Person, id: ElevationId) -> Result<(), Refusal> {
    let elevation = deciding.elevation(id)?;
    if elevation.asker != person.id() {
        return Err(HoldRefusal::NotAsker.into());
    }
    if elevation.extension.is_some() {
        extensions::over(&mut deciding.by(person), elevation, End::Withdrawn, None);
        return Ok(());
    }
    if !elevation.is_before_opening() {
        return Err(HoldRefusal::PastWithdrawing { id, phase: elevation.phase }.into());
    }
    never_begun(&mut deciding.by(person), elevation, End::Withdrawn, None);
    Ok(())
}

/// Begins what is ready.
pub(super) fn begin(deciding: &mut Deciding<'_>, person: Person, id: ElevationId) -> Result<(), Refusal> {
    let (elevation, demand) = deciding.demanded(id)?;
    if elevation.holder != person.id() {
        return Err(HoldRefusal::NotHolder.into());
    }
    if elevation.phase != Phase::Ready {
        return Err(HoldRefusal::NotReady { id, phase: elevation.phase }.into());
    }
    let opening = Opening::of_elevation(deciding.world, &elevation);
    if opening.open_until(deciding.now()).is_none() {
        return Err(HoldRefusal::OutsideHours { id, opens: opening.opens(deciding.now()) }.into());
    }
    let proof = deciding.proven(&deciding.takes_still(&elevation, &demand))?;
    opened(&mut deciding.by(person), proof, elevation, &demand);
    Ok(())
}

fn opened(draft: &mut Draft<'_, '_>, _: FreshProof, elevation: Elevation, demand: &Demand) {
    open(draft, elevation, demand);
}

/// All that was needed is said: on to opening, or to waiting for its start.
pub(super) fn proceed(draft: &mut Draft<'_, '_>, mut elevation: Elevation, demand: &Demand) {
    match elevation.start {
        StartChoice::AtYes => return open(draft, elevation, demand),
        StartChoice::At { time } if time <= draft.now() => return open(draft, elevation, demand),
        StartChoice::At { .. } => elevation.phase = Phase::Scheduled,
        StartChoice::OnBegin => {
            elevation.phase = Phase::Ready;
            let window = demand.terms.starts.begin_within.unwrap_or(Seconds(0));
            elevation.begin_by = Some(later(draft.now(), window));
        }
    }
    let begins = match elevation.start {
        StartChoice::At { time } => Some(time),
        StartChoice::AtYes | StartChoice::OnBegin => None,
    };
    let what = What::Readied { elevation: elevation.id, begins, begin_by: elevation.begin_by };
    draft.fact(what, vec![Row::Elevation(elevation)]);
}

/// Checks everything again, fixes the end, and orders the grant. The stricter of then and now wins.
pub(super) fn open(draft: &mut Draft<'_, '_>, mut elevation: Elevation, frozen: &Demand) {
    let now = draft.now();
    if draft.world.clock_is_held() {
        return wait_for_clock(draft, elevation);
    }
    if draft.world.is_suspended(elevation.holder) {
        return never_begun(draft, elevation, End::Failed, Some("the holder is suspended".to_owned()));
    }
    let (start, duration, glass) = (Some(StartChoice::At { time: now }), Some(elevation.duration), elevation.glass);
    let manner = Manner { start, duration, glass };
    let demand = match demand_to_hold(draft.world, elevation.holder, elevation.right, now, manner) {
        Ok(demand) => demand,
        Err(refusal) => {
            let why = format!("it may not be opened any more ({}); asking again says why", cause(&refusal));
            return never_begun(draft, elevation, End::Failed, Some(why));
        }
    };
    if let Some(why) = lacking(draft.world, frozen, &demand, &elevation.brought) {
        return never_begun(draft, elevation, End::Failed, Some(why));
    }
    // What is opened as it is asked for was held against them by that.
    if draft.world.elevations.contains_key(&elevation.id)
        && let Err(refusal) = draft.world.ensure_may_begin(&demand.terms, &elevation.brought)
    {
        let why =
            format!("what it may be held only while of does not hold ({}); ask again once it does", cause(&refusal));
        return never_begun(draft, elevation, End::Failed, Some(why));
    }
    let moved = is_on_another_account(draft.world, frozen, &demand);
    if moved && demand.terms.approval == Approval::None {
        return never_begun(draft, elevation, End::Failed, Some(SentBackBecause::OtherAccount.to_string()));
    }
    let moved = moved.then_some(SentBackBecause::OtherAccount);
    if let Some(why) = moved.or_else(|| needs_another_yes(draft, &elevation, frozen, &demand)) {
        return send_back(draft, elevation, demand, why);
    }
    elevation.in_line = false;
    if let Some(full) = has_no_room(draft.world, elevation.holder, elevation.right, now).filter(|_| !elevation.glass) {
        return wait_for_room(draft, elevation, &full);
    }
    let opening = Opening::stricter(draft.world, &frozen.terms, &demand.terms);
    let Some(open_until) = opening.open_until(now) else {
        return wait_for_opening(draft, elevation, opening.opens(now));
    };
    elevation.duration = elevation.duration.min(demand.terms.longest.0);
    let asked_end = later(now, elevation.duration).min(open_until);
    let end = demand.eligible_until.map_or(asked_end, |until| until.min(asked_end));
    // Rounded down, so that no target that counts in whole seconds ends it later.
    let until = Timestamp::from_second(end.as_second()).unwrap_or(end);
    let Some(target) = draft.world.target_of(elevation.right.scope) else {
        return never_begun(draft, elevation, End::Failed, Some("its target is not looked after any more".to_owned()));
    };
    let account = draft.world.account_of(elevation.holder, target.scope).map(|account| account.name);
    if target.connector.uses_own_account() && account.is_none() {
        return never_begun(
            draft,
            elevation,
            End::Failed,
            Some("the holder has no account on the target any more".to_owned()),
        );
    }
    let account = account.filter(|_| target.connector.uses_own_account());
    let once = frozen.terms.uses.max(demand.terms.uses) == UsesRule::One;
    let grant = Grant { once, ..new_grant(draft, &elevation, target.scope, account, until) };
    elevation.phase = Phase::Opening;
    elevation.grants = vec![grant.id];
    elevation.trouble = None;
    draft.fact(
        What::Opening { elevation: elevation.id, grant: grant.id, until },
        vec![Row::Elevation(elevation), Row::Grant(grant)],
    );
}

/// By a clock that nobody has looked at nothing is opened. Said once.
fn wait_for_clock(draft: &mut Draft<'_, '_>, mut elevation: Elevation) {
    let trouble = Some("held until an administrator has looked at this machine's clock".to_owned());
    if elevation.trouble != trouble || elevation.phase != Phase::Scheduled {
        elevation.phase = Phase::Scheduled;
        elevation.trouble.clone_from(&trouble);
        draft.fact(What::Delayed { elevation: elevation.id, trouble }, vec![Row::Elevation(elevation)]);
    }
}

/// Outside its hours, and while a calendar closes it, nothing is opened: it begins when it may.
fn wait_for_opening(draft: &mut Draft<'_, '_>, mut elevation: Elevation, opens: Option<Timestamp>) {
    let Some(time) = opens else {
        let why = "its terms don't let it be held within a month".to_owned();
        return never_begun(draft, elevation, End::Failed, Some(why));
    };
    elevation.start = StartChoice::At { time };
    elevation.phase = Phase::Scheduled;
    elevation.begin_by = None;
    let what = What::Readied { elevation: elevation.id, begins: Some(time), begin_by: None };
    draft.fact(what, vec![Row::Elevation(elevation)]);
}

/// How long is waited at least before it is looked at again whether somebody is done.
const LOOK_AGAIN_IN: Seconds = Seconds::minutes(1);

/// While as many hold one like it as may, nothing is opened: it begins when one of them is done.
fn wait_for_room(draft: &mut Draft<'_, '_>, elevation: Elevation, full: &AtOnce) {
    let trouble = format!("waits until one of those is done who hold one like it (`{}`)", full.separation);
    let soonest = later(draft.now(), LOOK_AGAIN_IN);
    let frees = full.frees.map(|frees| frees.max(soonest));
    wait_for_opening(draft, Elevation { trouble: Some(trouble), in_line: true, ..elevation }, frees);
}

/// Something is over: whoever waits the longest for one like it begins.
pub(super) fn next_in_line(draft: &mut Draft<'_, '_>, done: Right) {
    let (world, time) = (draft.world, draft.now());
    let waits = |one: &&Elevation| one.in_line && one.phase == Phase::Scheduled;
    let next = world.active().filter(waits).find(|one| are_one_at_a_time(world, one.right, done)).cloned();
    if let Some(next) = next {
        let what = What::Readied { elevation: next.id, begins: Some(time), begin_by: None };
        draft.fact(what, vec![Row::Elevation(Elevation { start: StartChoice::At { time }, ..next })]);
    }
}

/// Why something is refused, in a word: not in its words, which may be somebody's, for a fact holds no private text.
pub(super) fn cause(refusal: &Refusal) -> &'static str {
    refusal.cause().unwrap_or(refusal.code())
}

/// What was brought lacks of what the terms have come to want since, if anything: nobody can bring it afterwards.
pub(super) fn lacking(world: &World, frozen: &Demand, now: &Demand, brought: &Brought) -> Option<String> {
    let refusal = still_enough(world, (&frozen.terms, &now.terms), brought).err()?;
    Some(format!("it lacks what the terms have come to want ({}); ask anew with it", cause(&refusal)))
}

/// A grant that is wanted, and that nobody has looked for yet.
fn new_grant(
    draft: &mut Draft<'_, '_>,
    elevation: &Elevation,
    target: ScopeId,
    account: Option<Digest>,
    until: Timestamp,
) -> Grant {
    Grant {
        id: draft.id(),
        elevation: elevation.id,
        target,
        right: elevation.right,
        name: unguessable(&draft.draw()),
        account,
        opened_at: draft.now(),
        until,
        moving_to: None,
        once: false,
        given_at: None,
        wanted: true,
        ending: None,
        ending_since: None,
        seen: Seen::Unknown,
        seen_at: None,
        verified_at: None,
        login_shown: false,
        leftovers: None,
    }
}

/// Whether a right would be put on another account than the one that was looked at.
fn is_on_another_account(world: &World, asked: &Demand, now: &Demand) -> bool {
    match (asked.account, now.account) {
        (Some(asked), Some(now)) => asked != now && world.text(asked) != world.text(now),
        // Asked before demands said so.
        (None, _) => false,
        (Some(_), None) => true,
    }
}

/// Why what was answered isn't enough any more, if it isn't. Counted are humans who answered what is asked now.
pub(super) fn needs_another_yes(
    deciding: &Deciding<'_>,
    elevation: &Elevation,
    frozen: &Demand,
    now: &Demand,
) -> Option<SentBackBecause> {
    let wanted = now.terms.approval.stages();
    if !wanted.is_empty() && (now.weight > frozen.weight || now.permits != frozen.permits) {
        return Some(SentBackBecause::OtherPermits);
    }
    let answered = elevation.rounds.last().map_or(&[][..], |round| round.stages.all());
    let concern = Concern::of(elevation);
    let short = wanted.iter().enumerate().find(|(at, wanted)| {
        let Some(stage) = answered.get(*at) else { return true };
        let free = still_asked(deciding.world, &now.terms.approval, (*at, stage), concern, deciding.now());
        let yes = stage.answers.iter().filter(|answer| answer.verdict == Verdict::Yes).map(|answer| &answer.by);
        humans(deciding.world, yes.filter(|by| free.contains(*by))).len() < usize::from(wanted.yes)
    });
    short.map(|(at, StageTerms { yes, .. })| SentBackBecause::MoreYes { yes: *yes, stage: number(Some(at)) })
}

fn send_back(draft: &mut Draft<'_, '_>, mut elevation: Elevation, demand: Demand, why: SentBackBecause) {
    elevation.rounds.push(Round { extends: None, stages: begun(&demand, draft.now(), Timestamp::MAX) });
    elevation.eligibility = demand.eligibility;
    elevation.digest = Digest::of_json(&(elevation.digest, &demand, elevation.rounds.len()));
    elevation.phase = Phase::Waiting;
    elevation.begin_by = None;
    let demanded = Row::Demand(Demanded { elevation: elevation.id, demand });
    draft.fact(What::SentBack { elevation: elevation.id, why }, vec![Row::Elevation(elevation), demanded]);
}

/// Ends an elevation that never reached its target.
pub(super) fn never_begun(draft: &mut Draft<'_, '_>, mut elevation: Elevation, end: End, trouble: Option<String>) {
    elevation.phase = Phase::Ended(end);
    elevation.trouble = trouble;
    ended(draft, elevation, (end, 0), Vec::new());
}

/// Enters an elevation that is over, with how many leftovers, and has somebody look at what was done, where it is wanted.
pub(super) fn ended(
    draft: &mut Draft<'_, '_>,
    mut elevation: Elevation,
    (end, leftovers): (End, u32),
    beside: Vec<Row>,
) {
    elevation.debrief = debriefs::of_ended(draft, &elevation);
    let (id, debrief) = (elevation.id, elevation.debrief.clone());
    let put = [Row::Elevation(elevation)].into_iter().chain(beside).collect();
    draft.fact(What::Ended { elevation: id, end, leftovers }, put);
    debriefs::asked(draft, id, debrief.as_ref());
}

/// A name of 80 random bits, fit for a login role or a key: `tp` and sixteen of a-z and 2-7.
fn unguessable(bytes: &[u8; 16]) -> String {
    const LETTERS: &[u8; 32] = b"abcdefghijklmnopqrstuvwxyz234567";
    let letter = |byte: &u8| LETTERS.get(usize::from(byte % 32)).copied().unwrap_or(b'a') as char;
    std::iter::once("tp".to_owned()).chain(bytes.iter().map(|byte| letter(byte).to_string())).collect()
}

/// The stages that a demand wants, the first one begun. None waits longer than until `latest`.
pub(super) fn begun(demand: &Demand, now: Timestamp, latest: Timestamp) -> Stages {
    let mut stages = Stages::from(demand.waiting());
    stages.begin_next(now, latest);
    stages
}

/// Until when answers can be waited for: to go on with something only while there is something to go on with.
pub(super) fn waits_until(world: &World, elevation: &Elevation) -> Timestamp {
    let goes_on = elevation.extension.as_ref().and_then(|_| world.grant_of(elevation));
    goes_on.map_or(Timestamp::MAX, |grant| grant.until)
}

/// A stage's number, the first being 1.
pub(super) fn number(at: Option<usize>) -> u32 {
    count(at.map_or(0, |at| at + 1))
}

pub(super) fn checked_start(now: Timestamp, starts: &Starts, start: StartChoice) -> Result<(), Refusal> {
    match start {
        StartChoice::AtYes if starts.at_yes => Ok(()),
        StartChoice::OnBegin if starts.begin_within.is_some() => Ok(()),
        StartChoice::At { time } => {
            let Some(within) = starts.at_time_within else {
                return Err(AskRefusal::NoSetTime { ways: ways(starts) }.into());
            };
            if time < now {
                return Err(AskRefusal::StartPast { start: time, now }.into());
            }
            if time > later(now, within) {
                return Err(AskRefusal::StartTooFar { start: time, within }.into());
            }
            Ok(())
        }
        StartChoice::AtYes | StartChoice::OnBegin => Err(AskRefusal::StartNotAllowed { ways: ways(starts) }.into()),
    }
}

/// How an elevation may start, in words.
pub(super) fn ways(starts: &Starts) -> String {
    let mut ways = Vec::new();
    if starts.at_yes {
        ways.push("at the yes".to_owned());
    }
    if let Some(within) = starts.at_time_within {
        ways.push(format!("at a set time within {within} (`--at`)"));
    }
    if let Some(within) = starts.begin_within {
        ways.push(format!("when you begin, within {within} of the yes (`--on-begin`)"));
    }
    format!("it can start {}", ways.join(", or "))
}
