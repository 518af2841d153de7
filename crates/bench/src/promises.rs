//! Promises: what it takes to hold them against everybody and every right, and against one change.

use std::{hint::black_box, time::Instant};

use anyhow::Context as _;
use tempestas_core::{
    Act, Command, Connector, Context, Digest, Eligibility, EligibilityId, EstateCommand, Longest, Membership,
    PeopleCommand, Promise, PromiseCommand, Promised, RightSet, Role, RoleId, Row, Said, ScopeId, Seconds, Settings,
    SubjectId, SubjectKind, Terms, TermsCommand, Weight, World, decide,
};

use crate::{
    report::{Report, seconds},
    world::Big,
};

/// Systems, groups, and roles of each system: 100,000 rights, each of which a group may ask for.
const SYSTEMS: u64 = 50;
const GROUPS: usize = 100;
const ROLES: u64 = 2000;
/// How often one change is decided.
const TIMES: u32 = 20;

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    let big = Big::build(5000, 1000, "http://127.0.0.1:9").await?;
    let root = big.house.world().root.context("a root")?;
    let systems = (0..SYSTEMS).map(|n| EstateCommand::AddTarget {
        parent: root,
        name: format!("system-{n}"),
        connector: Connector::Brightwater { url: "http://127.0.0.1:9".to_owned() },
        emergency_least: 0,
        alarm_after: Seconds(60),
    });
    big.together(big.mara, systems).await?;
    let groups = (0..GROUPS).map(|n| PeopleCommand::AddSubject {
        kind: SubjectKind::Group,
        name: Said::new(format!("group-{n}")),
        about: Said::new("some of them"),
        second_of: None,
    });
    big.together(big.mara, groups).await?;
    let (mut plain, own) = filled(&big)?;
    decided(&big, &mut plain, rules(root, &own))?;
    let promises = promises(root);
    let mut promised = plain.clone();
    let set = promises.iter().map(|promise| PromiseCommand::Set { promise: promise.clone() });
    decided(&big, &mut promised, set)?;
    let begun = Instant::now();
    for promise in &promises {
        black_box(promise.breaches(&promised, big.now()));
    }
    let whole = begun.elapsed();
    report.add(
        "three promises held against everybody and every right (100,000 rights, 5,000 people in 100 groups, 200 rules)",
        seconds(whole),
        "-".to_owned(),
        "2 s",
    );
    of_changes(report, &big, &own, (&plain, &promised))
}

/// Decides commands of the administrator's, one after another.
fn decided(big: &Big, world: &mut World, commands: impl Iterator<Item = impl Into<Command>>) -> anyhow::Result<()> {
    for command in commands {
        let decision = decide(world, &command.into(), &context(big))?;
        decision.facts.iter().for_each(|fact| world.apply(fact));
    }
    Ok(())
}

fn context(big: &Big) -> Context {
    Context { now: big.now(), caller: big.caller(big.mara), chance: [7; 32], looked_at: None }
}

/// Rules at each system in turn, every fourth of them for a group.
fn rules(root: ScopeId, own: &Own) -> impl Iterator<Item = TermsCommand> {
    (0..200_u32).map(move |n| {
        let at = usize::try_from(n).unwrap_or(0);
        let scope = own.targets.get(at % own.targets.len()).copied().unwrap_or(root);
        let asker = own.groups.get(at % GROUPS).copied().filter(|_| n % 4 == 0);
        let settings = Settings { longest: Some(Longest(Seconds(3600 + n))), ..Settings::default() };
        TermsCommand::Set { terms: Terms { asker, ..Terms::new(scope, Act::Elevate, settings) } }
    })
}

fn promises(root: ScopeId) -> [Promise; 3] {
    let of = RightSet { scope: root, role: None, weight: Some(Weight::Privileged) };
    [
        ("answered", Promised::Answered { yes: 1 }),
        ("brief", Promised::Brief { longest: Seconds::hours(8) }),
        ("answerable", Promised::Answerable { people: 1 }),
    ]
    .map(|(name, promised)| Promise {
        name: name.to_owned(),
        of: of.clone(),
        by: None,
        promised,
        set_by: None,
        set_at: None,
    })
}

/// What one change takes to decide, without promises and with them.
fn of_changes(report: &mut Report, big: &Big, own: &Own, (plain, promised): (&World, &World)) -> anyhow::Result<()> {
    let root = plain.root.context("a root")?;
    let somewhere = own.targets.first().copied().context("a system")?;
    let settings = Settings { longest: Some(Longest(Seconds(1800))), ..Settings::default() };
    let (group, member) = (own.groups.first().copied(), big.people.get(big.people.len() / 2).copied());
    let changes: [(&str, Command); 3] = [
        (
            "a rule at one system",
            TermsCommand::Set { terms: Terms::new(somewhere, Act::Elevate, settings.clone()) }.into(),
        ),
        ("a rule at the root", TermsCommand::Set { terms: Terms::new(root, Act::Elevate, settings) }.into()),
        (
            "somebody put into a group",
            PeopleCommand::AddMember { group: group.context("a group")?, member: member.context("somebody")? }.into(),
        ),
    ];
    for (name, command) in changes {
        let took = |world: &World| -> anyhow::Result<_> {
            let begun = Instant::now();
            for _ in 0..TIMES {
                black_box(decide(world, black_box(&command), &context(big))?);
            }
            Ok(begun.elapsed() / TIMES)
        };
        report.add(
            &format!("`decide` for {name}, with those three promises"),
            seconds(took(promised)?),
            format!("{} without", seconds(took(plain)?)),
            "50 ms",
        );
    }
    Ok(())
}

/// What there is of each.
struct Own {
    targets: Vec<ScopeId>,
    groups: Vec<SubjectId>,
}

/// The World with the rights, and everybody in a group.
fn filled(big: &Big) -> anyhow::Result<(World, Own)> {
    let mut world = World::clone(&big.house.world());
    let like = world.roles.values().next().context("a role")?.clone();
    let targets: Vec<ScopeId> = world.targets.keys().copied().filter(|target| *target != big.target).collect();
    let is_group = |id: &SubjectId| world.subjects.get(id).is_some_and(|one| one.kind == SubjectKind::Group);
    let groups: Vec<SubjectId> = world.subjects.keys().copied().filter(is_group).collect();
    for (at, member) in big.people.iter().enumerate() {
        let group = *groups.get(at % groups.len()).context("a group")?;
        world.put(Row::Member(Membership { group, member: *member }));
    }
    let mut next = 1_000_000;
    for target in &targets {
        for n in 0..ROLES {
            next += 1;
            let weight = if n % 3 == 0 { Weight::Critical } else { Weight::Privileged };
            let (id, permits) = (RoleId(next), Digest::of(&[&next.to_be_bytes()]));
            let name = format!("role-{n}").as_str().into();
            world.put(Row::Role(Role { id, target: *target, name, weight, permits, ..like.clone() }));
            let subject = *groups.get(usize::try_from(next)? % groups.len()).context("a group")?;
            let right = tempestas_core::Right { role: id, scope: *target };
            let (id, from) = (EligibilityId(next), big.now());
            world.put(Row::Eligibility(Eligibility { id, subject, right, from, until: None, by: None, paused: None }));
        }
    }
    Ok((world, Own { targets, groups }))
}
