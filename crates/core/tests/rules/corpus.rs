//! Facts as earlier versions wrote them, replayed. The files are only ever added to, never edited.

use std::collections::BTreeSet;

use strum::VariantNames as _;
use tempestas_core::{
    Act, AlarmKind, AppointmentState, Approval, Assurance, Dormant, DriftState, End, FACT_VERSION, Fact, Finding,
    Phase, Scope, ScopeKind, StandingRule, SubjectId, UsesRule, What, World,
    ledger::{FactLine, leaf_hash},
};

/// Applies an export to an empty World, once each of its facts was read, and one of today's version was written again byte
/// for byte.
fn replayed(export: &str) -> World {
    let mut world = World::default();
    for line in export.lines() {
        let line: FactLine = serde_json::from_str(line).expect("a line of an export");
        assert_eq!(leaf_hash(line.fact.as_bytes()), line.leaf, "fact {} was edited", line.n);
        let fact = Fact::from_bytes(line.fact.as_bytes()).unwrap_or_else(|why| panic!("fact {}: {why}", line.n));
        let again = fact.to_bytes().expect("a fact can be written");
        assert_eq!(
            Fact::from_bytes(&again).as_ref(),
            Ok(&fact),
            "fact {} is read otherwise once it is rewritten",
            line.n
        );
        if line.fact.starts_with(&format!("{{\"v\":{FACT_VERSION},")) {
            assert_eq!(String::from_utf8_lossy(&again), line.fact, "fact {} is written otherwise now", line.n);
        }
        assert!(world.last_at.is_none_or(|last| last <= fact.at), "time runs backwards at fact {}", line.n);
        world.apply(&fact);
        let tag = serde_json::to_value(&fact.what).unwrap()["kind"].clone();
        assert_eq!(tag, fact.what.kind(), "fact {} is filtered by another word than it is written with", line.n);
        let said = fact.what.sentence(&world).to_string();
        assert!(!said.contains(['{', '}']), "fact {} names what it has not: {said}", line.n);
    }
    world
}

#[test]
fn facts_of_every_version_are_read_as_they_were_written_and_make_a_world() {
    let world = replayed(include_str!("facts-v1.jsonl"));
    assert_eq!(world.subjects.len(), 26);
    assert_eq!(world.targets.len(), 2);
    assert!(world.standing.len() > 60);
    assert_eq!(world.elevations.len(), 2);
    assert!(world.elevations.keys().eq(world.demands.keys()), "a demand is a row of its own");
    assert_eq!(world.active().next(), None);
}

#[test]
fn facts_of_stops_narrowed_asks_tallies_passkeys_and_devices_are_read_as_they_were_written() {
    let world = replayed(include_str!("kinds-v1.jsonl"));
    assert_eq!(world.stops.len(), 2);
    assert_eq!(world.stops.values().filter(|stop| stop.lifted_at.is_some()).count(), 1);
    assert!(!world.tallies.is_empty());
    assert!(world.elevations.values().any(|one| one.asked.is_some()), "an ask was narrowed");
}

#[test]
fn facts_of_waves_drift_and_sources_are_read_as_they_were_written() {
    let world = replayed(include_str!("foresight-v1.jsonl"));
    assert!(world.conversions.values().any(|one| one.waves.as_ref().is_some_and(|waves| waves.count == 2)));
    assert!(world.conversions.keys().all(|id| world.items_of(*id).next().is_some()), "items are rows of their own");
    assert!(world.drifts.values().any(|drift| matches!(drift.state, DriftState::Ignored { .. })));
    assert!(world.links.is_empty() && world.sources.is_empty(), "the source was ended");
    assert!(world.targets.values().any(|target| target.runs_on.is_some()));
}

#[test]
fn facts_of_wishes_covers_suspensions_labels_and_authorities_are_read_as_they_were_written() {
    let world = replayed(include_str!("appointments-v1.jsonl"));
    let states: Vec<AppointmentState> = world.appointments.values().map(|one| one.state).collect();
    assert!(states.contains(&AppointmentState::Over) && states.contains(&AppointmentState::Withdrawn), "{states:?}");
    assert!(world.targets.values().any(|target| target.labels.get("quay").is_some_and(|quay| quay == "north")));
    assert!(world.terms.values().all(|rule| rule.paused.is_none()), "what was suspended was resumed");
}

#[test]
fn facts_of_sealed_holders_and_of_a_system_let_go_are_read_as_they_were_written() {
    let world = replayed(include_str!("sealed-v1.jsonl"));
    assert!(world.alarms.values().any(|alarm| matches!(alarm.about, AlarmKind::SealedUsed { .. })));
    assert!(world.targets.values().any(|target| target.sealed.len() == 1));
    let taken_in_again = |scope: &&Scope| scope.kind == ScopeKind::Target && world.targets[&scope.id].sealed.is_empty();
    assert_eq!(world.scopes.values().filter(taken_in_again).count(), 1, "let go, and taken in again");
}

#[test]
fn facts_of_all_other_kinds_are_read_as_they_were_written() {
    assert_eq!(replayed(include_str!("rest-v1.jsonl")).rows().count(), 1, "they carry no rows");
}

#[test]
fn facts_of_version_2_are_read_as_they_were_written() {
    let world = replayed(include_str!("facts-v2.jsonl"));
    assert!(world.elevations.keys().eq(world.demands.keys()) && world.elevations.len() > 2);
    assert!(world.elevations.values().all(|one| one.holder == one.asker && one.rounds.len() <= 1));
    assert!(world.items.len() > 1 && world.members.len() > 1);
}

#[test]
fn facts_of_version_3_are_read_and_written_as_they_were_and_make_the_world_of_version_2() {
    let world = replayed(include_str!("facts-v3.jsonl"));
    assert_eq!(world, replayed(include_str!("facts-v2.jsonl")));
}

#[test]
fn facts_of_extensions_and_of_grace_are_read_as_they_were_written() {
    let world = replayed(include_str!("extensions-v3.jsonl"));
    let one = world.elevations.values().next().unwrap();
    assert_eq!((one.extended, one.grace_taken, one.extends().count()), (1, true, 3));
    let grant = world.grant_of(one).unwrap();
    let length = grant.until.duration_since(grant.opened_at).as_secs();
    assert!((2399..=2400).contains(&length), "half an hour, five minutes more, and five of grace, not {length} s");
}

#[test]
fn facts_of_stages_delegations_and_managers_are_read_as_they_were_written() {
    let world = replayed(include_str!("stages-v3.jsonl"));
    let one = world.elevations.values().next().unwrap();
    let said: Vec<usize> = one.stages().map(|stage| stage.answers.len()).collect();
    assert_eq!((said, one.stages().filter(|stage| !stage.away.is_empty()).count()), (vec![1, 1], 1));
    let wish = world.appointments.values().next_back().unwrap();
    assert_eq!((wish.state, wish.stages.all().len()), (AppointmentState::Made, 2));
    assert!(world.subjects.values().any(|subject| subject.manager_set.is_some()));
    assert_eq!(world.delegations.values().next(), None, "it was ended");
}

#[test]
fn facts_of_purposes_and_references_are_read_as_they_were_written() {
    let world = replayed(include_str!("brought-v3.jsonl"));
    let rule = world.terms.values().next().unwrap();
    assert_eq!(rule.settings.purposes.as_ref().unwrap().0.len(), 3);
    assert!(rule.settings.references.as_ref().unwrap().0["visit"].is_required());
    let asked = world.elevations.values().next().unwrap();
    assert_eq!((asked.brought.purpose.is_some(), asked.brought.texts().count()), (true, 3));
    assert_eq!(world.demands[&asked.id].demand.terms.purposes.0[2], "an incident");
}

#[test]
fn facts_of_assurances_are_read_as_they_were_written() {
    let world = replayed(include_str!("assurances-v3.jsonl"));
    let kept: Vec<&Assurance> = world.assurances.values().collect();
    let [kept] = kept[..] else { panic!("{kept:?}") };
    assert_eq!((kept.accepts.len(), kept.networks.len(), kept.watch_only), (1, 1, true));
    assert!(kept.bypass.is_some() && kept.pilot.is_some());
    assert_eq!(world.shortfalls_of(&kept.name).map(|one| one.times).sum::<u32>(), 3);
    let rule = world.terms.values().next().unwrap();
    assert_eq!((rule.act, rule.settings.assured.as_ref().unwrap().0.len()), (Act::Administer, 1));
}

#[test]
fn facts_of_hours_are_read_as_they_were_written() {
    let world = replayed(include_str!("hours-v3.jsonl"));
    let hours = world.terms.values().next().unwrap().settings.hours.clone().unwrap();
    let [week] = &hours.0.iter().collect::<Vec<_>>()[..] else { panic!("{hours:?}") };
    assert_eq!((week.zone.as_str(), week.open.first().unwrap().to_string()), ("UTC", "wed 08:00-10:00".to_owned()));
    let waits = world.elevations.values().next().unwrap();
    assert_eq!((waits.phase, world.demands[&waits.id].demand.terms.hours.clone()), (Phase::Scheduled, hours));
}

#[test]
fn facts_of_what_was_good_for_one_use_are_read_as_they_were_written() {
    let world = replayed(include_str!("uses-v3.jsonl"));
    assert_eq!(world.terms.values().next().unwrap().settings.uses, Some(UsesRule::One));
    let grant = world.grants.values().next().unwrap();
    assert!(grant.once && grant.given_at.is_some());
    assert_eq!(world.elevations[&grant.elevation].phase, Phase::Ended(End::Used));
}

#[test]
fn facts_of_a_rule_that_was_valid_for_a_while_are_read_as_they_were_written() {
    let world = replayed(include_str!("validity-v3.jsonl"));
    let rule = world.terms.values().next().unwrap();
    assert_eq!(rule.valid.from.unwrap().to_string(), "2026-01-07T08:10:00.00001Z");
    assert_eq!(rule.dormant, Some(Dormant::Over));
}

#[test]
fn facts_of_calendars_are_read_as_they_were_written() {
    let world = replayed(include_str!("calendars-v3.jsonl"));
    let [freeze] = &world.calendars.values().collect::<Vec<_>>()[..] else { panic!("one was ended") };
    assert_eq!((freeze.name.as_str(), freeze.entries.len()), ("quay-freeze", 2));
    assert_eq!(freeze.known_until.unwrap().to_string(), "2026-01-20T00:00:00Z");
    assert!(world.terms.values().next().unwrap().settings.closed.as_ref().unwrap().0.contains("quay-freeze"));
}

#[test]
fn facts_of_what_asked_nobody_by_day_are_read_as_they_were_written() {
    let world = replayed(include_str!("unasked-v3.jsonl"));
    let approval = world.terms.values().next().unwrap().settings.approval.clone().unwrap();
    assert!(matches!(approval, Approval::OutsideHours { stages, .. } if stages.len() == 1));
    assert_eq!(world.demands.values().next().unwrap().demand.terms.approval, Approval::None);
}

#[test]
fn facts_of_broken_glass_and_debriefs_are_read_as_they_were_written() {
    let world = replayed(include_str!("glass-v3.jsonl"));
    let rule = world.terms.values().last().unwrap();
    assert_eq!(rule.settings.glass.as_ref().unwrap().accepts.len(), 2);
    let debriefs = world.elevations.values().map(|one| (one.glass, one.debrief.clone().unwrap()));
    let higher: Vec<(bool, u16)> = debriefs.map(|(glass, debrief)| (glass, debrief.higher)).collect();
    assert_eq!(higher, [(true, 0), (true, 1)]);
    let signed = world.elevations.values().all(|one| {
        let signed = one.debrief.as_ref().and_then(|debrief| debrief.signed);
        signed.is_some_and(|signed| signed.finding == Finding::NotInOrder && signed.word.is_some())
    });
    assert!(signed && world.demands.values().all(|row| row.demand.glass));
}

#[test]
fn facts_of_trials_of_sealed_holders_are_read_as_they_were_written() {
    let world = replayed(include_str!("seals-v3.jsonl"));
    let trials = &world.targets.values().next().unwrap().trials;
    assert_eq!(trials.iter().map(|trial| trial.tried.is_some()).filter(|tried| *tried).count(), 1);
    assert!(trials.len() == 2 && world.alarms.values().any(|it| matches!(it.about, AlarmKind::SealUntried { .. })));
}

#[test]
fn facts_of_what_is_never_held_all_the_time_are_read_as_they_were_written() {
    let world = replayed(include_str!("standing-v3.jsonl"));
    assert_eq!(world.terms.values().next().unwrap().settings.standing, Some(StandingRule::Never));
}

#[test]
fn a_fact_of_a_newer_program_is_not_guessed_at() {
    let refused = Fact::from_bytes(br#"{"v":4,"whatever":true}"#).unwrap_err();
    assert_eq!(refused, "fact of version 4; this program reads up to 3");
}

/// A fact as version 1 wrote it, of one group with all its members.
fn group_of_version_1(members: &[u64]) -> Fact {
    let nobody = "0".repeat(64);
    let put = serde_json::json!({
        "v": 1, "at": "2026-11-20T08:00:00Z", "by": "machine", "door": "machine",
        "what": { "kind": "member-removed", "group": 7, "member": 3 },
        "put": [{ "subject": {
            "id": 7, "kind": "group", "name": nobody, "about": nobody, "second_of": null, "suspended": false, "members": members,
        } }],
    });
    Fact::from_bytes(put.to_string().as_bytes()).unwrap()
}

#[test]
fn a_fact_of_version_1_that_is_not_as_it_wrote_them_is_refused_and_breaks_nothing() {
    let good = serde_json::to_string(&serde_json::json!({
        "v": 1, "at": "2026-11-20T08:00:00Z", "by": "machine", "door": "machine",
        "what": { "kind": "founded", "installation": "x" },
    }))
    .unwrap();
    assert!(Fact::from_bytes(good.as_bytes()).is_ok());
    for put in [
        "7",
        "[7]",
        "[{}]",
        r#"[{"conversion":7}]"#,
        r#"[{"conversion":{"items":[7,"x",null]}}]"#,
        r#"[{"elevation":{"stages":7,"demand":null}}]"#,
        r#"[{"elevation":{"stages":[7],"demand":[1]}}]"#,
        r#"[{"subject":{"kind":"group","members":[7]}}]"#,
        r#"[{"subject":{"kind":"group","id":{"a":1},"members":"x"}}]"#,
    ] {
        let bad = good.replacen('{', &format!(r#"{{"put":{put},"#), 1);
        assert!(Fact::from_bytes(bad.as_bytes()).is_err(), "{put}");
    }
}

#[test]
fn whoever_was_not_among_the_members_that_version_1_put_has_left_the_group() {
    let mut world = World::default();
    let members = |world: &World| world.members_of(SubjectId(7)).map(|one| one.0).collect::<Vec<_>>();
    world.apply(&group_of_version_1(&[5, 3, 4]));
    assert_eq!(members(&world), [3, 4, 5]);
    world.apply(&group_of_version_1(&[5, 4]));
    assert_eq!(members(&world), [4, 5]);
    assert_eq!(world.groups_of(SubjectId(3)).next(), None, "who left is found in the group");
    world.apply(&group_of_version_1(&[]));
    assert_eq!(members(&world), Vec::<u64>::new());
    assert_eq!(world.members.len(), 0);
}

#[test]
fn facts_of_circumstances_are_read_as_they_were_written() {
    let world = replayed(include_str!("circumstances-v3.jsonl"));
    let kept: Vec<(&str, Option<&str>)> =
        world.circumstances.values().map(|one| (one.name.as_str(), one.of())).collect();
    assert_eq!(kept, [("incident", None), ("visit-open", Some("visit"))]);
    let heard: Vec<(&str, bool, bool)> =
        world.heard.values().map(|one| (one.circumstance.as_str(), one.of.is_some(), one.holds)).collect();
    assert_eq!(heard, [("incident", false, false), ("visit-open", true, true)]);
    let cut_short = world.elevations.values().next().unwrap();
    assert_eq!(cut_short.phase, Phase::Ended(End::CutShort));
    assert_eq!(world.demands[&cut_short.id].demand.terms.only_while.0.len(), 2);
}

#[test]
fn facts_of_separations_are_read_as_they_were_written() {
    let world = replayed(include_str!("separations-v3.jsonl"));
    let kept: Vec<(&str, usize)> =
        world.separations.values().map(|one| (one.name.as_str(), one.tolerated.len())).collect();
    assert_eq!(kept, [("apart", 0), ("few", 1), ("holders", 0)]);
    assert!(
        world
            .separations
            .values()
            .flat_map(|one| one.keeps.sets())
            .all(|set| set.role.is_some() != set.weight.is_some())
    );
    let waits = world.elevations.values().last().unwrap();
    assert!(waits.in_line && waits.phase == Phase::Scheduled);
}

#[test]
fn facts_of_promises_are_read_as_they_were_written() {
    let world = replayed(include_str!("promises-v3.jsonl"));
    let kept: Vec<&str> = world.promises.values().map(|one| one.name.as_str()).collect();
    assert_eq!(kept, ["answerable", "answered", "assured", "brief", "never", "only"]);
    assert!(world.promises.values().all(|one| one.by.is_some() == (one.name == "brief")));
    let broken = |alarm: &AlarmKind| matches!(alarm, AlarmKind::PromiseBroken { promise } if promise == "never");
    assert!(world.open_alarm(broken).is_some());
    assert!(world.alarms.values().any(|alarm| alarm.settled.is_some()));
}

#[test]
fn facts_of_terms_put_from_files_are_read_as_they_were_written() {
    let world = replayed(include_str!("filings-v3.jsonl"));
    let undone: Vec<bool> = world.filings.values().map(|filing| filing.undone_by.is_some()).collect();
    assert_eq!(undone, [false, false, true, false]);
    let mut names: Vec<&str> = world.file_marks.values().map(|mark| mark.known_as.name.as_str()).collect();
    names.sort_unstable();
    assert_eq!(names, ["assured", "brief", "cloud-keysmith", "few", "house", "sure"]);
}

#[test]
fn every_kind_of_fact_that_a_version_wrote_is_kept_as_it_was_written() {
    let exports = [
        include_str!("facts-v1.jsonl"),
        include_str!("kinds-v1.jsonl"),
        include_str!("foresight-v1.jsonl"),
        include_str!("appointments-v1.jsonl"),
        include_str!("sealed-v1.jsonl"),
        include_str!("rest-v1.jsonl"),
        include_str!("facts-v2.jsonl"),
        include_str!("facts-v3.jsonl"),
        include_str!("extensions-v3.jsonl"),
        include_str!("stages-v3.jsonl"),
        include_str!("brought-v3.jsonl"),
        include_str!("standing-v3.jsonl"),
        include_str!("assurances-v3.jsonl"),
        include_str!("validity-v3.jsonl"),
        include_str!("calendars-v3.jsonl"),
        include_str!("unasked-v3.jsonl"),
        include_str!("glass-v3.jsonl"),
        include_str!("seals-v3.jsonl"),
        include_str!("separations-v3.jsonl"),
        include_str!("circumstances-v3.jsonl"),
        include_str!("promises-v3.jsonl"),
        include_str!("filings-v3.jsonl"),
    ];
    let lines = exports.into_iter().flat_map(str::lines).map(|line| serde_json::from_str::<FactLine>(line).unwrap());
    let kept: BTreeSet<&str> = lines.map(|line| Fact::from_bytes(line.fact.as_bytes()).unwrap().what.kind()).collect();
    let missing: Vec<&&str> = What::VARIANTS.iter().filter(|kind| !kept.contains(*kind)).collect();
    assert_eq!(missing, Vec::<&&str>::new());
}
