//! What the console's pages gather: now, a person, the first day, search.

use std::collections::BTreeSet;

use jiff::{SignedDuration, Timestamp};
use tempestas_api::{
    Bar, FirstDayReply, FirstDayStep, GroupWay, Hit, NowReply, PersonPage, SearchQuery, SpanQuery, StandingView,
};
use tempestas_core::{
    Digest, DutyKind, Elevation, Grant, Phase, Sight, StartChoice, SubjectId, SubjectKind, Weight, What, World,
    own_rights,
};
use tempestas_store::Past;

use super::{days, ledger, subject, waiting_for};
use crate::{
    callers::{Overseer, SignedIn},
    door::{Answer, At, Json, Query},
    past::{beginning_with, belonging_to},
    problem::Failure,
    refused::EdgeRefusal,
    uses::LastUses,
    views,
};

/// Most elevations that are over in one reply about a span.
const BARS_MOST: usize = 10_000;
/// Most elevations on a person's page.
const PERSON_MOST: usize = 200;
/// Most ledger entries on a person's page.
const ENTRIES_MOST: usize = 40;
/// Most hits of a search, of each kind.
const HITS_MOST: usize = 8;
/// How many standing rights the first day proposes to convert.
const WORST: usize = 10;

/// When an elevation was, is or would be in force; while it waits, from its ask on.
pub(super) fn span(elevation: &Elevation, grant: Option<&Grant>, now: Timestamp) -> (Timestamp, Timestamp) {
    let after = |from: Timestamp| tempestas_core::later(from, elevation.duration);
    match (elevation.phase, grant) {
        (Phase::Ended(_), grant) => {
            let (from, to) = elevation.lasted(grant);
            (from, to.min(now))
        }
        (_, Some(grant)) => (grant.opened_at, grant.until),
        (Phase::Scheduled, None) => match elevation.start {
            StartChoice::At { time } => (time, after(time)),
            StartChoice::AtYes | StartChoice::OnBegin => (now, after(now)),
        },
        (_, None) => (elevation.asked_at, after(now)),
    }
}

fn bar(world: &World, elevation: &Elevation, me: SubjectId, now: Timestamp) -> Bar {
    let grant = world.grant_of(elevation);
    let (from, to) = span(elevation, grant, now);
    Bar {
        id: elevation.id.to_string(),
        who: world.subject_name(elevation.asker),
        role: world.role_name(elevation.right.role).to_owned(),
        scope: world.path(elevation.right.scope),
        target: world.target_of(elevation.right.scope).map(|target| world.path(target.scope)).unwrap_or_default(),
        weight: world.demand_of(elevation.id).map_or(Weight::Ordinary, |demand| demand.weight),
        state: elevation.phase.to_string(),
        from,
        to,
        overdue: grant.is_some_and(|grant| is_overdue(elevation, grant, now)),
        for_me: elevation.waits_for(me),
        mine: elevation.asker == me,
        reason: reason_at_present(elevation).map(|text| world.text(text)),
        leftovers: grant.and_then(|grant| grant.leftovers.as_ref()).map_or(0, Vec::len),
    }
}

/// Why it is asked for, or why it is to go on, while that waits: in words, or else out of the list of purposes.
fn reason_at_present(elevation: &Elevation) -> Option<Digest> {
    let goes_on = elevation.extension.as_ref().and_then(|_| elevation.extends().next_back());
    let brought = goes_on.map_or(&elevation.brought, |asked| &asked.brought);
    brought.reason.or(brought.purpose)
}

fn is_overdue(elevation: &Elevation, grant: &Grant, now: Timestamp) -> bool {
    elevation.phase == Phase::Closing
        && grant.ending_since.is_some_and(|since| now.duration_since(since) > SignedDuration::from_secs(5))
}

pub(super) async fn now(me: SignedIn, Query(query): Query<SpanQuery>) -> Answer<NowReply> {
    let now = Timestamp::now();
    let hours = |hours: i64| now.checked_add(SignedDuration::from_hours(hours)).unwrap_or(now);
    let (from, to) = (query.from.unwrap_or_else(|| hours(-6)), query.to.unwrap_or_else(|| hours(6)));
    let sight = me.sight();
    let world = me.app.world();
    let past = Past { seen: me.seen(&world), between: Some((from, to)), ..Past::default() };
    let found = me.app.with_past(&world, &past, BARS_MOST + 1).await?;
    let world = &found.world;
    if found.elevations().filter(|elevation| elevation.is_over()).count() > BARS_MOST {
        return Err(EdgeRefusal::TooManyBars { most: BARS_MOST, from, to }.into());
    }
    let bars: Vec<Bar> = found
        .elevations()
        .filter(|elevation| sight.sees(world, *elevation))
        .map(|elevation| bar(world, elevation, me.person, now))
        .filter(|bar| bar.from <= to && bar.to >= from)
        .collect();
    let count =
        |fits: &dyn Fn(&Elevation) -> bool| world.active().filter(|one| sight.sees(world, *one) && fits(one)).count();
    let has_duty = world.scopes.keys().any(|scope| sight.sees_scope(world, *scope));
    Ok(Json(NowReply {
        now,
        live: count(&|one| one.phase == Phase::Live),
        waiting_for_me: waiting_for(world, me.person),
        overdue: bars.iter().filter(|bar| bar.overdue).count(),
        scheduled: count(&|one| matches!(one.phase, Phase::Scheduled | Phase::Ready)),
        standing: has_duty
            .then(|| world.standing.values().filter(|held| sight.sees_scope(world, held.right.scope)).count()),
        standing_before: sight.sees_all(world).then(|| days::standing_before(world, now)).flatten(),
        bars,
    }))
}

/// Groups that a subject belongs to, nearest first, each with the way there; of others those that the caller sees.
fn group_ways(world: &World, sight: &Sight, id: SubjectId) -> Vec<GroupWay> {
    let mut ways: Vec<(SubjectId, Vec<String>)> = vec![(id, Vec::new())];
    let mut at = 0;
    while let Some((member, by)) = ways.get(at).cloned() {
        for group in world.groups_of(member) {
            if !ways.iter().any(|(known, _)| *known == group) {
                let mut by = by.clone();
                if member != id {
                    by.push(world.subject_name(member));
                }
                ways.push((group, by));
            }
        }
        at += 1;
    }
    let seen = |group: SubjectId| sight.is_of(id) || sight.sees_subject(world, group);
    ways.into_iter()
        .skip(1)
        .filter(|(group, _)| seen(*group))
        .map(|(group, by)| GroupWay { group: world.subject_name(group), by })
        .collect()
}

pub(super) async fn person(me: SignedIn, At(who): At) -> Answer<PersonPage> {
    let now = Timestamp::now();
    let sight = me.sight();
    let unknown = || Failure::unknown("person, group or program", &who, "the search finds whom you may see");
    let last = LastUses::read(&me.app).await?;
    let (id, mut page) = {
        let world = me.app.world();
        let id = subject(&world, &who).ok().filter(|id| sight.sees_subject(&world, *id)).ok_or_else(unknown)?;
        let past = Past { seen: me.seen(&world), askers: Some(belonging_to(&world, id)), ..Past::default() };
        let found = me.app.with_past(&world, &past, PERSON_MOST).await?;
        let world = &found.world;
        let known = world.subjects.get(&id).and_then(|known| sight.see(world, known)).ok_or_else(unknown)?;
        let mut elevations: Vec<&Elevation> =
            found.elevations().filter(|one| world.belongs_to(one.asker, id) && sight.sees(world, *one)).collect();
        elevations.sort_by_key(|one| (one.is_over(), std::cmp::Reverse(one.id)));
        let page = PersonPage {
            subject: views::subject(world, &sight, known),
            groups: group_ways(world, &sight, id),
            duties: world
                .duties
                .values()
                .filter(|duty| world.belongs_to(id, duty.subject))
                .filter_map(|duty| sight.see(world, duty))
                .map(|duty| views::duty(world, duty))
                .collect(),
            standing: world
                .standing_held_by(id)
                .into_iter()
                .filter_map(|held| sight.see(world, held))
                .map(|held| views::standing(world, &last, held))
                .collect(),
            eligible: own_rights(world, id, now)
                .into_iter()
                .filter_map(|held| sight.see(world, held))
                .map(|held| views::eligibility(world, held, None))
                .collect(),
            elevations: elevations.into_iter().take(PERSON_MOST).map(|one| bar(world, one, me.person, now)).collect(),
            entries: Vec::new(),
            signed_in_at: None,
        };
        (id, page)
    };
    page.entries = ledger::lately(&me, id, ENTRIES_MOST).await?;
    let signed_in =
        |entry: &&tempestas_api::LedgerEntry| matches!(entry.what, What::SignedIn { subject } if subject == id);
    page.signed_in_at = page.entries.iter().find(signed_in).map(|entry| entry.at);
    Ok(Json(page))
}

/// The worst standing rights first: critical before privileged; never seen used, then those of which nobody knows, then long
/// unused before used; and only what a person holds.
fn worst(world: &World, sight: &Sight, last: &LastUses) -> Vec<StandingView> {
    let mut held: Vec<_> = world
        .standing
        .values()
        .filter(|held| held.handle.is_some() && sight.sees_scope(world, held.right.scope))
        .filter(|held| {
            let holder = world.owner_of(held).and_then(|id| world.subjects.get(&id));
            holder.is_some_and(|holder| holder.kind == SubjectKind::Person)
        })
        .collect();
    held.sort_by_cached_key(|held| {
        let weight = world.roles.get(&held.right.role).map(|role| role.weight);
        let used = last.of(world, held);
        let known = if used.is_some() { 2 } else { u8::from(!last.are_told(held.target)) };
        (std::cmp::Reverse(weight), known, used, held.first_seen)
    });
    held.into_iter()
        .filter_map(|held| sight.see(world, held))
        .take(WORST)
        .map(|held| views::standing(world, last, held))
        .collect()
}

pub(super) async fn first_day(Overseer(me): Overseer) -> Answer<FirstDayReply> {
    let (sight, last) = (me.sight(), LastUses::read(&me.app).await?);
    let world = me.app.world();
    if !sight.sees_all(&world) {
        return Err(EdgeRefusal::NotOfEverything.into());
    }
    let keepers: BTreeSet<SubjectId> = world
        .duties
        .values()
        .filter(|duty| duty.kind == DutyKind::Administrator && Some(duty.scope) == world.root)
        .flat_map(|duty| world.people_in(duty.subject))
        .collect();
    let mut enrolled = 0;
    for keeper in &keepers {
        enrolled += usize::from(me.app.store().password_hash(*keeper).await?.is_some());
    }
    let steps = first_steps(&world, &keepers, enrolled);
    Ok(Json(FirstDayReply {
        done: steps.iter().all(|step| step.done),
        steps,
        worst: worst(&world, &sight, &last),
        conversions: world
            .conversions
            .values()
            .rev()
            .filter_map(|one| sight.see(&world, one))
            .take(5)
            .map(|one| views::conversion(&world, &sight, one))
            .collect(),
    }))
}

/// The steps of the first day, and where each stands.
fn first_steps(world: &World, keepers: &BTreeSet<SubjectId>, enrolled: usize) -> Vec<FirstDayStep> {
    let surveyed = world.targets.values().filter(|target| target.surveyed.is_some()).count();
    let owned = world.accounts.len();
    let others = world.duties.values().filter(|duty| !world.people_in(duty.subject).is_subset(keepers)).count();
    let converted: usize = world
        .conversions
        .values()
        .filter(|conversion| conversion.undone_at.is_none())
        .map(|conversion| world.items_of(conversion.id).count())
        .sum();
    let step = |step: &str, done: bool, says: &str, stands: String| FirstDayStep {
        step: step.to_owned(),
        says: says.to_owned(),
        stands,
        done,
    };
    vec![
        step(
            "second-keeper",
            enrolled >= 2,
            "Two people look after Tempestas, so that one alone is never locked out and no stop is lifted by one.",
            format!("{} named, {enrolled} enrolled", keepers.len()),
        ),
        step(
            "connect",
            !world.targets.is_empty(),
            "Connect one system. Tempestas only reads it until you convert something.",
            format!("{} connected", world.targets.len()),
        ),
        step(
            "look",
            surveyed > 0 && owned > 0,
            "Look who holds rights there all the time, and say which account is whose.",
            format!(
                "{} standing rights found on {surveyed} systems, {owned} accounts have an owner",
                world.standing.len()
            ),
        ),
        step(
            "hand-on",
            others > 0 && !world.terms.is_empty(),
            "Set terms, and hand duties on: somebody else to audit, owners who answer.",
            format!("{} rules of terms, {others} duties with others", world.terms.len()),
        ),
        step(
            "convert",
            converted > 0,
            "Convert the ten worst: taken away on the system, to be asked for when needed. One step undoes it.",
            format!("{converted} converted"),
        ),
    ]
}

pub(super) async fn search(me: SignedIn, Query(query): Query<SearchQuery>) -> Answer<Vec<Hit>> {
    let q = query.q.trim().to_lowercase();
    if q.is_empty() {
        return Ok(Json(Vec::new()));
    }
    let sight = me.sight();
    let world = me.app.world();
    let hit = |kind: &str, name: String, says: String| Hit { kind: kind.to_owned(), name, says };
    let mut hits: Vec<Hit> = Vec::new();
    let numbers = q.strip_prefix('e').map(|digits| beginning_with(digits, world.counters.next_elevation));
    let past = Past { seen: me.seen(&world), numbers: Some(numbers.unwrap_or_default()), ..Past::default() };
    let found = me.app.with_past(&world, &past, HITS_MOST).await?;
    let world = &found.world;
    let elevations = found
        .elevations()
        .rev()
        .filter(|one| sight.sees(world, *one) && one.id.to_string().to_lowercase().starts_with(&q));
    hits.extend(elevations.take(HITS_MOST).map(|one| {
        let says = format!("{}: {}, {}", world.subject_name(one.asker), world.right_name(one.right), one.phase);
        hit("elevation", one.id.to_string(), says)
    }));
    let mine = own_rights(world, me.person, Timestamp::now());
    let rights = mine.into_iter().map(|held| (world.right_name(held.right), held.right));
    hits.extend(
        rights
            .filter(|(name, _)| name.to_lowercase().contains(&q))
            .take(HITS_MOST)
            .map(|(name, right)| hit("right", name, world.role_says(right.role).to_owned())),
    );
    let subjects = world.subjects.values().filter(|known| {
        (world.text(known.name).to_lowercase().contains(&q) || world.text(known.about).to_lowercase().contains(&q))
            && sight.sees_subject(world, known.id)
    });
    hits.extend(subjects.take(HITS_MOST).map(|known| {
        let kind = match known.kind {
            SubjectKind::Person => "person",
            SubjectKind::Group => "group",
            SubjectKind::Program => "program",
        };
        hit(kind, world.text(known.name), world.text(known.about))
    }));
    let scopes = world.scopes.values().filter(|scope| {
        scope.parent.is_some() && scope.name.to_lowercase().contains(&q) && sight.sees_scope(world, scope.id)
    });
    hits.extend(scopes.take(HITS_MOST).map(|scope| {
        let kind = serde_json::to_value(scope.kind).ok().and_then(|kind| kind.as_str().map(str::to_owned));
        hit("scope", world.path(scope.id), kind.unwrap_or_default())
    }));
    Ok(Json(hits))
}
