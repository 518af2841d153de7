//! What is worked out before anything is done: a rehearsal over a million uses, and the graph of who reaches what.

use std::{
    hint::black_box,
    sync::atomic::{AtomicBool, Ordering},
    time::Instant,
};

use jiff::{SignedDuration, Timestamp, tz::TimeZone};
use tempestas_core::{
    Account, Digest, Eligibility, EligibilityId, Membership, PrivateText, Right, RoleId, Row, Scope, ScopeId,
    ScopeKind, Seconds, Standing, StandingId, Subject, SubjectId, SubjectKind, Terms, Words, World,
    rehearsal::{Presence, Recorded, Script, rehearse},
    ways::Ways,
};

use crate::report::{Report, seconds};

/// Recorded uses that are replayed.
const USES: u32 = 1_000_000;
/// Rights that they are uses of.
const RIGHTS: u32 = 500;
/// Subjects of the graph.
const SUBJECTS: u64 = 20_000;
/// Standing rights and eligibilities of the graph.
const HELD: u64 = 200_000;
/// Targets of the graph.
const TARGETS: u64 = 200;
/// Questions asked of the graph.
const QUESTIONS: u64 = 20;

pub(crate) fn measure(report: &mut Report) -> anyhow::Result<()> {
    let world = estate();
    rehearsal(&world, report)?;
    graph(&world, report);
    Ok(())
}

/// A World of many people, groups, systems and rights, put in place row by row.
fn estate() -> World {
    let mut world = World::default();
    let mut texts: Vec<(Digest, String)> = Vec::new();
    let mut text = |said: &str| {
        let private = PrivateText::new(said, [0; 16]);
        texts.push((private.digest, private.text));
        private.digest
    };
    let mut rows =
        vec![Row::Scope(Scope { id: ScopeId(1), parent: None, name: String::new(), kind: ScopeKind::Folder })];
    for n in 0..TARGETS {
        let (id, kind) = (ScopeId(10 + n), ScopeKind::Target);
        rows.push(Row::Scope(Scope { id, parent: Some(ScopeId(1)), name: format!("host-{n}"), kind }));
    }
    let about = text("somebody");
    for n in 0..SUBJECTS {
        // Every tenth is a group of twenty.
        let is_group = n % 10 == 0;
        let members = if is_group { (1..=20).map(|k| SubjectId((n + k * 7) % SUBJECTS)).collect() } else { Vec::new() };
        rows.push(Row::Subject(Subject {
            id: SubjectId(n),
            kind: if is_group { SubjectKind::Group } else { SubjectKind::Person },
            name: text(&format!("person-{n}")),
            about,
            suspended: false,
            second_of: None,
            manager: None,
            manager_set: None,
        }));
        let members = members.into_iter().filter(|member: &SubjectId| !member.0.is_multiple_of(10));
        rows.extend(members.map(|member| Row::Member(Membership { group: SubjectId(n), member })));
        let target = ScopeId(10 + n % TARGETS);
        rows.push(Row::Account(Account {
            subject: SubjectId(n),
            target,
            name: text(&format!("a{n}")),
            set_by: None,
            set_at: None,
        }));
    }
    let at = Timestamp::UNIX_EPOCH;
    for n in 0..HELD {
        // Spread without a pattern, and the same each time.
        let mixed = n.wrapping_mul(0x9E37_79B9_7F4A_7C15) >> 16;
        let target = ScopeId(10 + mixed % TARGETS);
        let right = Right { role: RoleId(mixed / TARGETS % 40), scope: target };
        if n % 2 == 0 {
            let (id, subject) = (EligibilityId(n), SubjectId(mixed / 8_000 % SUBJECTS));
            rows.push(Row::Eligibility(Eligibility {
                id,
                subject,
                right,
                from: at,
                until: None,
                by: None,
                paused: None,
            }));
            continue;
        }
        rows.push(Row::Standing(Standing {
            id: StandingId(n),
            target,
            account: text(&format!("a{}", mixed / 8_000 % SUBJECTS)),
            right,
            chain: [format!("group-{}", mixed % 9), format!("team-{}", mixed % 41)]
                .map(|way| Words::Private { digest: text(&way) })
                .to_vec(),
            handle: None,
            since: None,
            first_seen: at,
            last_used: None,
        }));
    }
    rows.into_iter().for_each(|row| world.put(row));
    texts.into_iter().for_each(|(digest, text)| world.know(digest, text));
    world
}

/// Uses that were recorded of many rights, through half a year.
fn recorded(from: Timestamp) -> anyhow::Result<Vec<Recorded>> {
    let every = SignedDuration::from_hours(24 * 180) / i32::try_from(USES / RIGHTS)?;
    let right = |n: u32| Recorded {
        standing: StandingId(u64::from(n)),
        holder: SubjectId(u64::from(n) * 10 + 1),
        right: Right { role: RoleId(1), scope: ScopeId(10 + u64::from(n) % TARGETS) },
        uses: (0..USES / RIGHTS)
            .filter_map(|k| Some(from + every * i32::try_from(k).ok()? + SignedDuration::from_secs(i64::from(n) * 7)))
            .collect(),
    };
    Ok((0..RIGHTS).map(right).collect())
}

/// Rehearses them once; how many asks that would have been.
fn rehearsed(world: &World, rights: &[Recorded], from: Timestamp, zone: &TimeZone) -> u64 {
    let to = from + SignedDuration::from_hours(24 * 180);
    let mut seen = Presence::default();
    for recorded in rights {
        recorded.uses.iter().for_each(|at| seen.saw(recorded.holder, *at, zone));
    }
    let rules: Vec<Terms> = Vec::new();
    let answered_after = Seconds::minutes(10);
    let script = Script { rights, seen: &seen, rules: &rules, from, to, zone, answered_after };
    black_box(rehearse(world, &script)).all.asks
}

/// Rehearses again and again until it is enough, at least once; how often.
pub(crate) fn rehearse_until(enough: &AtomicBool) -> anyhow::Result<u32> {
    let (world, zone) = (estate(), TimeZone::get("Europe/Lisbon")?);
    let from: Timestamp = "2026-05-27T00:00:00Z".parse()?;
    let rights = recorded(from)?;
    let mut times = 0;
    loop {
        rehearsed(&world, &rights, from, &zone);
        times += 1;
        if enough.load(Ordering::Relaxed) {
            return Ok(times);
        }
    }
}

fn rehearsal(world: &World, report: &mut Report) -> anyhow::Result<()> {
    let (from, zone): (Timestamp, _) = ("2026-05-27T00:00:00Z".parse()?, TimeZone::get("Europe/Lisbon")?);
    let rights = recorded(from)?;
    let begun = Instant::now();
    let asks = rehearsed(world, &rights, from, &zone);
    let took = begun.elapsed();
    // The least that any replay must do: look at each use once.
    let begun = Instant::now();
    let sum: i64 = rights.iter().flat_map(|one| &one.uses).map(|at| i64::from(zone.to_offset(*at).seconds())).sum();
    black_box(sum);
    report.add(
        &format!("rehearsal of {USES} recorded uses of {RIGHTS} rights ({asks} asks)"),
        seconds(took),
        format!("{} to read each one's time of day", seconds(begun.elapsed())),
        "under 3 s",
    );
    Ok(())
}

fn graph(world: &World, report: &mut Report) {
    let begun = Instant::now();
    let ways = Ways::of(world);
    let built = begun.elapsed();
    let (places, steps) = ways.size();
    let mut slowest = [std::time::Duration::ZERO; 2];
    for n in 0..QUESTIONS {
        let begun = Instant::now();
        black_box(ways.to(world, ScopeId(10 + n * 7 % TARGETS), None, 500).total);
        slowest[0] = slowest[0].max(begun.elapsed());
        let begun = Instant::now();
        black_box(ways.of_subject(world, SubjectId(n * 997 + 1), 500, |_| true).total);
        slowest[1] = slowest[1].max(begun.elapsed());
    }
    report.add(
        &format!("who can reach a system, and how: slowest of {QUESTIONS}, {places} places, {steps} steps"),
        seconds(slowest[0]),
        format!("{} to build the graph, after a change", seconds(built)),
        "under 50 ms",
    );
    report.add(
        &format!("what somebody can reach, and how: slowest of {QUESTIONS}"),
        seconds(slowest[1]),
        format!("{} to build the graph, after a change", seconds(built)),
        "under 50 ms",
    );
}
