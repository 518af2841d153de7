//! Rehearsals: what was recorded, replayed against the terms that would hold.

use std::collections::BTreeSet;

use jiff::{Timestamp, tz::TimeZone};
use tempestas_api::{
    RehearsalView, RehearseRequest, RehearsedApprover, RehearsedBatch, RehearsedFigures, RehearsedHour,
    RehearsedPerson, UnseenRight,
};
use tempestas_core::{
    Plan, Seconds, Standing, SubjectId, Terms, TermsId, World, plan_conversion,
    rehearsal::{Batch, Fate, Figures, Presence, Recorded, Rehearsal, Script, approvers, rehearse},
};

use super::{conversions::chosen_ids, terms};
use crate::{
    callers::Administrator,
    door::{Answer, Body, Json},
    refused::EdgeRefusal,
    uses::{Uses, days_before, seen_at_work},
};

/// How far back, where nothing else is said.
const DAYS: u16 = 90;
/// Elevations that tell how long a yes takes.
const ANSWERS_MOST: u32 = 10_000;
/// How long somebody who is there takes to answer, where nobody has answered yet.
const ANSWERED_AFTER: Seconds = Seconds::minutes(10);

pub(super) async fn preview(
    Administrator(me): Administrator,
    Body(request): Body<RehearseRequest>,
) -> Answer<RehearsalView> {
    let days = request.days.unwrap_or(DAYS);
    if !(1..=400).contains(&days) {
        return Err(EdgeRefusal::TooFarBack { days: days.into() }.into());
    }
    let name = request.zone.unwrap_or_else(|| "UTC".to_owned());
    let zone = TimeZone::get(&name).map_err(|_| EdgeRefusal::NoZone { name: name.to_string() })?;
    let to = Timestamp::now();
    let from = days_before(to, days);
    let (chosen, plan, rules, may_answer) = {
        let (sight, world) = (me.sight(), me.app.world());
        let chosen = chosen_ids(&sight, &world, &request.chosen)?;
        let plan = plan_conversion(&world, &chosen)?;
        let mut rules: Vec<Terms> = world.terms.values().cloned().collect();
        if let Some(new) = request.rule {
            let rule = terms::rule(&world, me.person, TermsId(0), new)?;
            rule.check()?;
            rules.push(rule);
        }
        let may_answer = approvers(&world, &rules, &recorded(&world, &plan, None));
        (chosen, plan, rules, may_answer)
    };
    let uses = Uses::of(&me.app, &chosen, from).await?;
    let mut seen = Presence::default();
    for (who, at) in seen_at_work(&me.app, &may_answer, from).await? {
        seen.saw(who, at, &zone);
    }
    let world = me.app.world();
    let rights = recorded(&world, &plan, Some(&uses));
    let answered_after = usual_answer(me.app.store().past_yes(ANSWERS_MOST).await?);
    // A million uses take a second or two, and others go on meanwhile.
    let rehearsed = me.app.engine().reckon(move || {
        let script = Script { rights: &rights, seen: &seen, rules: &rules, from, to, zone: &zone, answered_after };
        view(&world, &script, &uses, &rehearse(&world, &script), &name)
    });
    Ok(Json(rehearsed.await?))
}

fn recorded(world: &World, plan: &Plan, uses: Option<&Uses>) -> Vec<Recorded> {
    let of = |item: &tempestas_core::PlanItem| {
        Some(Recorded {
            standing: item.standing,
            holder: item.holder,
            right: world.standing.get(&item.standing)?.right,
            uses: uses.map(|uses| uses.by(item.standing).to_vec()).unwrap_or_default(),
        })
    };
    plan.items.iter().filter_map(of).collect()
}

/// The median of how long yeses took.
fn usual_answer(mut took: Vec<i64>) -> Seconds {
    took.sort_unstable();
    let median = took.get(took.len() / 2).and_then(|seconds| u32::try_from(*seconds).ok());
    median.map_or(ANSWERED_AFTER, |seconds| Seconds(seconds.clamp(60, 3600)))
}

/// How many there are in a week of what there were in a script's time.
struct Weeks(f64);

impl Weeks {
    fn of(script: &Script<'_>) -> Self {
        Self(script.to.duration_since(script.from).as_secs_f64() / (7.0 * 86_400.0))
    }

    /// To one decimal.
    fn each(&self, many: u64) -> f64 {
        (many as f64 / self.0 * 10.0).round() / 10.0
    }

    fn figures(&self, figures: &Figures) -> RehearsedFigures {
        RehearsedFigures {
            uses: figures.uses,
            asks: figures.asks,
            asks_a_week: self.each(figures.asks),
            unattended: figures.unattended,
            at_night: figures.at_night,
            refused: figures.refused,
            longest_wait: figures.longest.map(|(wait, _)| wait),
            longest_at: figures.longest.map(|(_, at)| at),
        }
    }
}

fn view(world: &World, script: &Script<'_>, uses: &Uses, done: &Rehearsal, zone: &str) -> RehearsalView {
    let weeks = Weeks::of(script);
    let person = |(who, of): &(SubjectId, Figures)| RehearsedPerson {
        who: world.subject_name(*who),
        figures: weeks.figures(of),
        talk_about: talk_about(*who, of, done),
    };
    let approver = |(who, asks): &(SubjectId, u64)| RehearsedApprover {
        who: world.subject_name(*who),
        asks: *asks,
        asks_a_week: weeks.each(*asks),
    };
    let batch = |batch: &Batch| RehearsedBatch {
        who: world.subject_name(batch.holder),
        right: world.right_name(batch.right),
        when: batch.clockwork.says(),
        uses: batch.clockwork.uses,
    };
    let unseen = |held: &Standing| UnseenRight {
        standing: held.id.to_string(),
        account: world.text(held.account),
        right: world.right_name(held.right),
        told: uses.told(held.target),
    };
    RehearsalView {
        from: script.from,
        to: script.to,
        zone: zone.to_owned(),
        rights: script.rights.len(),
        all: weeks.figures(&done.all),
        people: done.people.iter().map(person).collect(),
        approvers: done.approvers.iter().map(approver).collect(),
        batches: done.batches.iter().map(batch).collect(),
        hours: (0..24).map(|hour| hour_view(done, hour)).collect(),
        unseen: done.unseen.iter().filter_map(|id| world.standing.get(id)).map(unseen).collect(),
        assumes: assumes(script.answered_after),
    }
}

fn hour_view(done: &Rehearsal, hour: u8) -> RehearsedHour {
    let of = |fate| done.hours.get(&(hour, fate)).copied().unwrap_or(0);
    RehearsedHour { hour, free: of(Fate::Free), soon: of(Fate::Soon), late: of(Fate::Late), refused: of(Fate::Refused) }
}

fn assumes(answered_after: Seconds) -> Vec<String> {
    vec![
        "each asks for the usual time when they first need the right, goes on under it until it ends, and asks again"
            .to_owned(),
        format!(
            "whoever may answer does so {answered_after} after the ask, in the hours of the week in which they were seen \
             at work; of whom too little is known, from Monday to Friday between 8 and 18"
        ),
        "programs, and what is started at a fixed minute in most weeks, can't ask".to_owned(),
    ]
}

/// What to talk about with somebody, the worst first.
fn talk_about(who: SubjectId, figures: &Figures, done: &Rehearsal) -> Option<String> {
    let mut topics = Vec::new();
    let batches: BTreeSet<String> =
        done.batches.iter().filter(|batch| batch.holder == who).map(|batch| batch.clockwork.says()).collect();
    if !batches.is_empty() {
        let when: Vec<String> = batches.into_iter().collect();
        topics.push(format!("what is started {} would break", when.join(" and ")));
    }
    let by_hand = figures.refused.saturating_sub(figures.clockwork);
    if by_hand > 0 {
        topics.push(format!("{by_hand} of {} uses would have been refused", figures.uses));
    }
    let asks = |many| if many == 1 { "1 ask".to_owned() } else { format!("{many} asks") };
    if figures.at_night > 0 {
        topics.push(format!("{} at night with nobody there to answer", asks(figures.at_night)));
    } else if figures.unattended > 0 {
        topics.push(format!("{} with nobody there to answer", asks(figures.unattended)));
    }
    (!topics.is_empty()).then(|| topics.join("; "))
}
