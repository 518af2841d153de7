//! Asking, answering, withdrawing, beginning; and the step from all-said-yes to opening.

use std::collections::BTreeSet;

use jiff::{SignedDuration, Timestamp};

use super::{
    Draft,
    answers::{Saying, answered},
    checked_line, checked_text, ensure_fresh, letters, shortened,
};
use crate::{
    Approval, Command, Demand, Digest, Elevation, ElevationId, End, Grant, Phase, ReasonRule, Refusal, Right, Row,
    Said, ScopeId, Seconds, Seen, Stage, StartChoice, SubjectId, TicketRule, Verdict, What, World, demand_for, later,
};

/// How many asks one person may have waiting, scheduled or ready.
pub(super) const WAITING_MOST: usize = 10;
/// How many elevations of one person on one target may be open at a time.
const OPEN_MOST: usize = 10;
/// How many asks one person may make in a minute, whatever becomes of them.
const ASKS_A_MINUTE: usize = 100;

pub(super) fn decide(draft: &mut Draft<'_>, command: &Command) -> Result<(), Refusal> {
    match command {
        Command::Ask { right, duration, start, reason, ticket, shown } => {
            let ask = Ask {
                right: *right,
                duration: *duration,
                start: *start,
                reason: reason.as_ref(),
                ticket: ticket.as_ref(),
            };
            asked(draft, &ask, *shown)
        }
        Command::Answer { elevation, verdict, less, reason, shown } => {
            let said = Saying { verdict: *verdict, less: *less, reason: reason.as_ref(), shown: *shown };
            answered(draft, *elevation, &said)
        }
        Command::Withdraw { elevation } => {
            let me = draft.person()?;
            let elevation = draft.elevation(*elevation)?;
            if elevation.asker != me {
                return Err(Refusal::not_allowed("only its asker withdraws an ask; an approver can answer no"));
            }
            if !elevation.is_before_opening() {
                return Err(Refusal::conflict(format!(
                    "{} is {} and can't be withdrawn any more{}",
                    elevation.id,
                    elevation.phase,
                    if elevation.is_over() { "" } else { "; `tempestas give-back` ends it" }
                )));
            }
            never_begun(draft, elevation, End::Withdrawn, None);
            Ok(())
        }
        Command::Begin { elevation } => {
            let me = draft.person()?;
            let elevation = draft.elevation(*elevation)?;
            if elevation.asker != me {
                return Err(Refusal::not_allowed("only its holder begins an elevation"));
            }
            if elevation.phase != Phase::Ready {
                return Err(Refusal::conflict(format!("{} is {}, not ready to begin", elevation.id, elevation.phase)));
            }
            ensure_fresh(&draft.context.caller, elevation.demand.terms.assurance, draft.now())?;
            open(draft, elevation);
            Ok(())
        }
        _ => Ok(()),
    }
}

/// An ask as it came in.
struct Ask<'a> {
    right: Right,
    duration: Option<Seconds>,
    start: Option<StartChoice>,
    reason: Option<&'a Said>,
    ticket: Option<&'a Said>,
}

fn asked(draft: &mut Draft<'_>, ask: &Ask<'_>, shown: Digest) -> Result<(), Refusal> {
    let me = draft.person()?;
    let now = draft.now();
    let demand = demand_for(draft.world, me, ask.right, now)?;
    if Digest::of_json(&demand) != shown {
        return Err(Refusal::Changed("the terms, the role or who may answer is different now".to_owned()));
    }
    let duration = checked_duration(draft, &demand, ask)?;
    let starts = &demand.terms.starts;
    let unsaid = || Refusal::invalid(format!("say when it starts; {}", ways(starts)));
    let start = ask.start.or_else(|| starts.unsaid()).ok_or_else(unsaid)?;
    checked_start(now, starts, start)?;
    checked_words(&demand, ask)?;
    ensure_has_account(draft, me, ask.right)?;
    ensure_not_too_many(draft, me, ask.right)?;
    ensure_fresh(&draft.context.caller, demand.terms.assurance, now)?;

    let id = ElevationId(draft.counters.next_elevation);
    draft.counters.next_elevation += 1;
    let reason = ask.reason.filter(|text| !text.0.is_empty()).map(|text| draft.text(text));
    let ticket = ask.ticket.filter(|text| !text.0.is_empty()).map(|text| draft.text(text));
    let digest = Digest::of_json(&(id, &demand, duration, start, reason, ticket));
    let stages = stage_of(&demand, now).into_iter().collect();
    let elevation = Elevation {
        id,
        asker: me,
        right: ask.right,
        demand,
        digest,
        asked_at: now,
        duration,
        start,
        reason,
        ticket,
        asked: None,
        stages,
        phase: Phase::Waiting,
        begin_by: None,
        grant: None,
        end_word: None,
        trouble: None,
    };
    let unasked = elevation.stages.is_empty();
    draft.fact(What::Asked { elevation: id, right: ask.right }, vec![Row::Elevation(elevation.clone())]);
    if unasked {
        proceed(draft, elevation);
    }
    Ok(())
}

/// Refuses where the right would be put on the asker's own account, and nobody said which that is.
fn ensure_has_account(draft: &Draft<'_>, me: SubjectId, right: Right) -> Result<(), Refusal> {
    if let Some(target) = draft.world.target_of(right.scope)
        && target.connector.uses_own_account()
        && draft.world.account_of(me, target.scope).is_none()
    {
        return Err(Refusal::conflict(format!(
            "nobody has said which account on {} is yours; ask an administrator for `tempestas people account`",
            draft.world.path(target.scope)
        )));
    }
    Ok(())
}

/// Refuses what would let one person take a target, the approvers or the writer from everybody else.
fn ensure_not_too_many(draft: &Draft<'_>, me: SubjectId, right: Right) -> Result<(), Refusal> {
    let world = draft.world;
    let target = world.target_of(right.scope).map(|target| target.scope);
    let sign_ins = world.sign_ins_of(world.human(me));
    let here = sign_ins
        .iter()
        .flat_map(|one| world.asked_by(*one))
        .filter(|one| !one.is_over() && !one.is_before_opening())
        .filter(|one| world.target_of(one.right.scope).map(|target| target.scope) == target)
        .count();
    if here >= OPEN_MOST {
        return Err(Refusal::Limit(format!(
            "you have {here} elevations open on that system, and {OPEN_MOST} is the most; give one back first: `tempestas grants`"
        )));
    }
    let a_minute_ago = draft.now().checked_sub(SignedDuration::from_mins(1)).unwrap_or(Timestamp::MIN);
    let lately = |one: SubjectId| world.asked_by(one).rev().take_while(|asked| asked.asked_at > a_minute_ago).count();
    if sign_ins.iter().map(|one| lately(*one)).sum::<usize>() >= ASKS_A_MINUTE {
        return Err(Refusal::Limit(format!("you asked {ASKS_A_MINUTE} times within a minute; wait for the next")));
    }
    let waiting = world.asked_by(me).filter(|open| open.is_before_opening()).count();
    if waiting >= WAITING_MOST {
        return Err(Refusal::Limit(format!(
            "you have {waiting} asks waiting, and {WAITING_MOST} is the most; withdraw one first: `tempestas grants`"
        )));
    }
    Ok(())
}

fn stage_of(demand: &Demand, now: Timestamp) -> Option<Stage> {
    match &demand.terms.approval {
        Approval::None => None,
        Approval::Stage { yes, no, within, .. } => Some(Stage {
            approvers: demand.approvers.clone(),
            yes: *yes,
            no: *no,
            until: later(now, *within),
            answers: Vec::new(),
        }),
    }
}

fn checked_duration(draft: &Draft<'_>, demand: &Demand, ask: &Ask<'_>) -> Result<Seconds, Refusal> {
    let duration = ask.duration.unwrap_or(demand.terms.usual);
    if duration.0 == 0 {
        return Err(Refusal::invalid("a duration of nothing; ask for at least a second"));
    }
    if duration > demand.terms.longest {
        return Err(Refusal::invalid(format!(
            "{duration} is too long: the terms allow {} at most for {}",
            demand.terms.longest,
            draft.world.right_name(ask.right)
        )));
    }
    Ok(duration)
}

pub(super) fn checked_start(now: Timestamp, starts: &crate::Starts, start: StartChoice) -> Result<(), Refusal> {
    match start {
        StartChoice::AtYes if starts.at_yes => Ok(()),
        StartChoice::OnBegin if starts.begin_within.is_some() => Ok(()),
        StartChoice::At { time } => {
            let Some(within) = starts.at_time_within else {
                return Err(Refusal::invalid(format!("a set time is not among the ways to start; {}", ways(starts))));
            };
            if time < now {
                return Err(Refusal::invalid(format!("the start {time} is past; it is {now} now")));
            }
            if time > later(now, within) {
                return Err(Refusal::invalid(format!(
                    "the start {time} is more than {within} ahead, which is as far as the terms allow"
                )));
            }
            Ok(())
        }
        StartChoice::AtYes | StartChoice::OnBegin => {
            Err(Refusal::invalid(format!("this way to start is not allowed here; {}", ways(starts))))
        }
    }
}

fn ways(starts: &crate::Starts) -> String {
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

fn checked_words(demand: &Demand, ask: &Ask<'_>) -> Result<(), Refusal> {
    let given = |said: Option<&Said>| said.map(|said| said.0.clone()).filter(|text| !text.is_empty());
    let (reason, ticket) = (given(ask.reason), given(ask.ticket));
    if let Some(text) = &reason {
        checked_text("reason", &Said(text.clone()), 2000)?;
    }
    if let ReasonRule::Required { at_least } = demand.terms.reason {
        let letters = reason.as_deref().map_or(0, letters);
        if letters < usize::from(at_least.max(1)) {
            return Err(Refusal::invalid(format!(
                "a reason of at least {} letters is required, and yours has {letters} letters and digits; say what you are going to do",
                at_least.max(1)
            )));
        }
    }
    if demand.terms.reason == ReasonRule::Hidden && reason.is_some() {
        return Err(Refusal::invalid("no reason is asked for here; leave it out"));
    }
    match (&demand.terms.ticket, &ticket) {
        (TicketRule::Off, Some(_)) => Err(Refusal::invalid("no ticket is asked for here; leave it out")),
        (TicketRule::Required { pattern }, None) => Err(Refusal::invalid(format!(
            "a ticket is required{}: `--ticket`",
            pattern.as_ref().map_or_else(String::new, |pattern| format!(", of the form {pattern}"))
        ))),
        (rule, Some(text)) => {
            checked_line("ticket", &Said(text.clone()), 100)?;
            if rule.fits(text) {
                return Ok(());
            }
            Err(Refusal::invalid(format!(
                "the ticket `{}` does not have the form {}",
                shortened(text),
                rule.pattern().unwrap_or_default()
            )))
        }
        (_, None) => Ok(()),
    }
}

/// All that was needed is said: on to opening, or to waiting for its start.
pub(super) fn proceed(draft: &mut Draft<'_>, mut elevation: Elevation) {
    match elevation.start {
        StartChoice::AtYes => return open(draft, elevation),
        StartChoice::At { time } if time <= draft.now() => return open(draft, elevation),
        StartChoice::At { .. } => elevation.phase = Phase::Scheduled,
        StartChoice::OnBegin => {
            elevation.phase = Phase::Ready;
            let window = elevation.demand.terms.starts.begin_within.unwrap_or(Seconds(0));
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
pub(super) fn open(draft: &mut Draft<'_>, mut elevation: Elevation) {
    let now = draft.now();
    if draft.world.clock_is_held() {
        let trouble = Some("held until an administrator has looked at this machine's clock".to_owned());
        if elevation.trouble != trouble || elevation.phase != Phase::Scheduled {
            elevation.phase = Phase::Scheduled;
            elevation.trouble.clone_from(&trouble);
            draft.fact(What::Delayed { elevation: elevation.id, trouble }, vec![Row::Elevation(elevation)]);
        }
        return;
    }
    if draft.world.is_suspended(elevation.asker) {
        return never_begun(draft, elevation, End::Failed, Some("the holder is suspended".to_owned()));
    }
    let demand = match demand_for(draft.world, elevation.asker, elevation.right, now) {
        Ok(demand) => demand,
        // Not its words, which may be somebody's: a fact holds no private text.
        Err(refusal) => {
            let why = format!("it may not be opened any more ({}); asking again says why", refusal.code());
            return never_begun(draft, elevation, End::Failed, Some(why));
        }
    };
    let moved = is_on_another_account(draft.world, &elevation.demand, &demand);
    if moved && demand.terms.approval == Approval::None {
        return never_begun(draft, elevation, End::Failed, Some(MOVED.to_owned()));
    }
    let moved = moved.then(|| MOVED.to_owned());
    if let Some(why) = moved.or_else(|| needs_another_yes(draft, &elevation, &demand)) {
        return send_back(draft, elevation, demand, why);
    }
    elevation.duration = elevation.duration.min(demand.terms.longest);
    let asked_end = later(now, elevation.duration);
    let end = demand.eligible_until.map_or(asked_end, |until| until.min(asked_end));
    // Rounded down, so that no target that counts in whole seconds ends it later.
    let until = Timestamp::from_second(end.as_second()).unwrap_or(end);
    let Some(target) = draft.world.target_of(elevation.right.scope) else {
        return never_begun(draft, elevation, End::Failed, Some("its target is not looked after any more".to_owned()));
    };
    let account = draft.world.account_of(elevation.asker, target.scope).map(|account| account.name);
    if target.connector.uses_own_account() && account.is_none() {
        return never_begun(
            draft,
            elevation,
            End::Failed,
            Some("the holder has no account on the target any more".to_owned()),
        );
    }
    let account = account.filter(|_| target.connector.uses_own_account());
    let grant = new_grant(draft, &elevation, target.scope, account, until);
    elevation.phase = Phase::Opening;
    elevation.grant = Some(grant.id);
    elevation.trouble = None;
    draft.fact(
        What::Opening { elevation: elevation.id, grant: grant.id, until },
        vec![Row::Elevation(elevation), Row::Grant(grant)],
    );
}

/// A grant that is wanted, and that nobody has looked for yet.
fn new_grant(
    draft: &mut Draft<'_>,
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

/// Why an ask goes back that was for another account.
const MOVED: &str = "it would be put on another account than when it was asked for";

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
fn needs_another_yes(draft: &Draft<'_>, elevation: &Elevation, now: &Demand) -> Option<String> {
    let Approval::Stage { yes, .. } = &now.terms.approval else { return None };
    let frozen = &elevation.demand;
    let said_yes = elevation
        .stages
        .last()
        .into_iter()
        .flat_map(|stage| &stage.answers)
        .filter(|answer| answer.verdict == Verdict::Yes && now.approvers.contains(&answer.by))
        .map(|answer| draft.world.human(answer.by))
        .collect::<BTreeSet<_>>()
        .len();
    if now.weight > frozen.weight || now.permits != frozen.permits {
        return Some("the role permits something else than when it was asked for".to_owned());
    }
    (said_yes < usize::from(*yes)).then(|| format!("the terms now want {yes} yes from those who may answer"))
}

fn send_back(draft: &mut Draft<'_>, mut elevation: Elevation, demand: Demand, why: String) {
    elevation.stages.extend(stage_of(&demand, draft.now()));
    elevation.demand = demand;
    elevation.digest = Digest::of_json(&(elevation.digest, &elevation.demand, elevation.stages.len()));
    elevation.phase = Phase::Waiting;
    elevation.begin_by = None;
    draft.fact(What::SentBack { elevation: elevation.id, why }, vec![Row::Elevation(elevation)]);
}

/// Ends an elevation that never reached its target.
pub(super) fn never_begun(draft: &mut Draft<'_>, mut elevation: Elevation, end: End, trouble: Option<String>) {
    elevation.phase = Phase::Ended(end);
    elevation.trouble = trouble;
    draft.fact(What::Ended { elevation: elevation.id, end, leftovers: 0 }, vec![Row::Elevation(elevation)]);
}

/// A name of 80 random bits, fit for a login role or a key: `tp` and sixteen of a-z and 2-7.
fn unguessable(bytes: &[u8; 16]) -> String {
    const LETTERS: &[u8; 32] = b"abcdefghijklmnopqrstuvwxyz234567";
    let letter = |byte: &u8| LETTERS.get(usize::from(byte % 32)).copied().unwrap_or(b'a') as char;
    std::iter::once("tp".to_owned()).chain(bytes.iter().map(|byte| letter(byte).to_string())).collect()
}
