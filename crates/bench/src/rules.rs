//! The rules alone: what one decision costs, terms of very many rights, and a survey of very many.

use std::{hint::black_box, time::Instant};

use anyhow::Context as _;
use tempestas_core::{
    Act, AnswerInput, Ask, Brings, Caller, Command, Context, Digest, ElevationCommand, EstateCommand, Longest,
    Report as Surveyed, Right, Seconds, Settings, Survey, Terms, TermsCommand, Verdict, Weight, decide, demand_for,
    effective_terms,
};

use crate::{
    report::{Report, rate, seconds},
    world::{Big, survey},
};

/// How often a decision is made.
const TIMES: u32 = 2000;
/// Rules that are about other places.
const ELSEWHERE: usize = 138;
/// Rights whose terms are worked out.
const RIGHTS: usize = 100_000;
/// Standing rights that a survey reads.
const SURVEYED: usize = 50_000;
/// How often a survey is taken in.
const SURVEYS: u32 = 5;

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    let big = Big::build(5000, 20_000, "http://127.0.0.1:9").await?;
    let longest = |seconds| Settings { longest: Some(Longest(Seconds(seconds))), ..Settings::default() };
    let rules = (0..60_u32).map(|n| TermsCommand::Set {
        terms: Terms {
            role: (n % 3 == 0).then(|| "reader".into()),
            weight: (n % 3 == 1).then_some(Weight::Critical),
            asker: (n % 3 == 2).then(|| big.people.get(usize::try_from(n).unwrap_or(0)).copied()).flatten(),
            ..Terms::new(big.target, Act::Elevate, longest(3600 + n))
        },
    });
    big.together(big.mara, rules).await?;
    elsewhere(&big).await?;
    let who = *big.people.first().context("somebody")?;
    let waiting = big.ask(who, 600).await?;
    let world = big.house.world().clone();
    let context = |who| Context { now: big.now(), caller: big.caller(who), chance: [7; 32], looked_at: None };

    let shown = Digest::of_json(&demand_for(&world, who, big.right, big.now())?);
    let ask = Command::from(ElevationCommand::Ask(Ask {
        right: big.right,
        duration: Some(Seconds(600)),
        start: None,
        glass: false,
        brings: Brings::reason("a reason that is long enough"),
        shown,
    }));
    let digest = world.elevations.get(&waiting).map_or_else(|| Digest::of(&[]), |one| one.digest);
    let answer = Command::from(ElevationCommand::Answer(AnswerInput {
        elevation: waiting,
        verdict: Verdict::Yes,
        less: None,
        reason: None,
        shown: digest,
    }));
    let mut took = Vec::new();
    for (command, who) in [(&ask, who), (&answer, big.approver)] {
        let context = context(who);
        let begun = Instant::now();
        for _ in 0..TIMES {
            black_box(decide(&world, black_box(command), &context)?);
        }
        took.push(begun.elapsed() / TIMES);
    }
    let hash = {
        let begun = Instant::now();
        for _ in 0..TIMES {
            black_box(Digest::of(&[black_box(&[7_u8; 1024])]));
        }
        begun.elapsed() / TIMES
    };
    let [ask, answer] = took.as_slice() else { anyhow::bail!("two were measured") };
    report.add(
        "`decide` for an ask, for an answer (5,000 people, 200 rules, 62 of them above what is asked for)",
        format!("{}, {}", seconds(*ask), seconds(*answer)),
        format!("{} for SHA-256 of 1 KiB", seconds(hash)),
        "-",
    );
    let scopes: Vec<_> = world.scopes.keys().copied().collect();
    let roles: Vec<_> = world.roles.keys().copied().collect();
    let begun = Instant::now();
    for n in 0..RIGHTS {
        let (Some(scope), Some(role)) = (scopes.get(n % scopes.len()), roles.get(n % roles.len())) else { continue };
        let asker = big.people.get(n % big.people.len()).copied().unwrap_or(who);
        black_box(effective_terms(&world, Act::Elevate, Right { role: *role, scope: *scope }, asker));
    }
    let span = begun.elapsed();
    report.add(
        "effective terms of 100,000 rights, 200 rules",
        format!("{}, {:.0}/s", seconds(span), rate(RIGHTS, span)),
        "-".to_owned(),
        "-",
    );
    surveys(report).await
}

/// Rules at other places, of which none is about what is asked for.
async fn elsewhere(big: &Big) -> anyhow::Result<()> {
    let parent = big.house.world().root.context("a root")?;
    let folders = (0..20).map(|n| EstateCommand::AddFolder { parent, name: format!("quay-{n}") });
    big.together(big.mara, folders).await?;
    let world = big.house.world().clone();
    let places: Vec<_> = (0..20).filter_map(|n| world.scope_at(&format!("/quay-{n}"))).map(|scope| scope.id).collect();
    let settings = Settings { longest: Some(Longest(Seconds(1800))), ..Settings::default() };
    let rules = places.iter().cycle().take(ELSEWHERE).map(|place| TermsCommand::Set {
        terms: Terms { weight: Some(Weight::Critical), ..Terms::new(*place, Act::Elevate, settings.clone()) },
    });
    big.together(big.mara, rules).await?;
    Ok(())
}

/// What it takes to decide what a survey changes: where it found what was there, and where every tenth right is another one.
async fn surveys(report: &mut Report) -> anyhow::Result<()> {
    let big = Big::build(2000, SURVEYED, "http://127.0.0.1:9").await?;
    let world = big.house.world().clone();
    let same = survey(big.now(), SURVEYED, big.people.len());
    let mut changed = same.clone();
    for right in changed.rights.iter_mut().step_by(10) {
        right.handle = right.handle.as_deref().map(|handle| format!("{handle}-again"));
        right.role = if right.role == "reader" { "writer" } else { "reader" }.to_owned();
    }
    let context = Context { now: big.now(), caller: Caller::keeper_of(big.target), chance: [7; 32], looked_at: None };
    let mut took = Vec::new();
    for survey in [&same, &changed] {
        let surveyed = Surveyed::Surveyed {
            target: big.target,
            digest: Digest::of_json(survey),
            survey: Box::new(survey.clone()),
        };
        let command = Command::from(surveyed);
        let begun = Instant::now();
        for _ in 0..SURVEYS {
            black_box(decide(&world, black_box(&command), &context)?);
        }
        took.push(begun.elapsed() / SURVEYS);
    }
    let text = serde_json::to_vec(&same)?;
    let begun = Instant::now();
    black_box(serde_json::from_slice::<Survey>(black_box(&text))?);
    let read = begun.elapsed();
    let [same, changed] = took.as_slice() else { anyhow::bail!("two were measured") };
    report.add(
        "`decide` for a survey of 50,000 rights: nothing new, every tenth another one",
        format!("{}, {}", seconds(*same), seconds(*changed)),
        format!("{} to read it as JSON", seconds(read)),
        "300 ms",
    );
    Ok(())
}
