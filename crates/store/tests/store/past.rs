//! What is over: apart from the present, found by who may see it and when it was, and given back whole.

use std::collections::BTreeSet;

use jiff::{Timestamp, civil::date};
use tempestas_core::{
    Answer, Brought, Decision, Demand, Demanded, Digest, DutyKind, Elevation, ElevationId, EligibilityId, End,
    FACT_VERSION, Fact, Grant, GrantId, Phase, PrivateText, Recall, Right, RoleId, Round, Row, ScopeId, Seen, Sight,
    Stage, SubjectId, Verdict, What, World, ledger::FactLine,
};
use tempestas_store::{Difference, Past, Store, check};

use super::{BEGAN, Kept, by, change};

/// An elevation, its demand and its grant as a fact of an earlier edition has them, to make others of.
fn sample() -> (Elevation, Demand, Grant) {
    let facts = include_str!("../../../core/tests/rules/facts-v1.jsonl").lines();
    let facts = facts.filter_map(|line| serde_json::from_str::<FactLine>(line).ok());
    let rows: Vec<Row> = facts.flat_map(|line| Fact::from_bytes(line.fact.as_bytes()).unwrap().put).collect();
    let grant =
        rows.iter().find_map(|row| if let Row::Grant(grant) = row { Some(grant.clone()) } else { None }).unwrap();
    let of_it = |row: &Row| {
        if let Row::Elevation(it) = row { Some(it.clone()).filter(|it| it.grants == [grant.id]) } else { None }
    };
    let elevation = rows.iter().find_map(of_it).unwrap();
    let demand_of_it = |row: &Row| {
        if let Row::Demand(it) = row { Some(it.clone()).filter(|it| it.elevation == elevation.id) } else { None }
    };
    let demanded = rows.iter().find_map(demand_of_it).unwrap();
    (elevation, demanded.demand, grant)
}

fn at(hours: i64) -> Timestamp {
    Timestamp::from_second(BEGAN + 3600 * hours).unwrap()
}

/// Who asked whom for what, and when; opened for an hour where it was, else refused after one.
#[derive(Clone, Copy)]
pub(super) struct Told {
    pub(super) id: u64,
    pub(super) asker: SubjectId,
    pub(super) approver: SubjectId,
    pub(super) scope: ScopeId,
    pub(super) asked: i64,
    pub(super) opened: bool,
}

impl Told {
    pub(super) fn ended_at(self) -> Timestamp {
        at(self.asked + 1)
    }

    pub(super) fn rows(self) -> Vec<Row> {
        let (elevation, mut demand, grant) = sample();
        let grant = self.opened.then(|| Grant {
            id: GrantId(self.id + 10_000),
            elevation: ElevationId(self.id),
            target: self.scope,
            opened_at: at(self.asked),
            until: at(self.asked + 2),
            wanted: false,
            seen: Seen::No,
            seen_at: Some(at(self.asked + 1)),
            ..grant
        });
        let verdict = if self.opened { Verdict::Yes } else { Verdict::No };
        let answer = Answer { by: self.approver, verdict, reason: None, less: None, at: at(self.asked + 1) };
        let (approvers, until) = ([self.approver].into(), Some(at(self.asked + 4)));
        let onward = BTreeSet::new();
        let stages = vec![Stage {
            approvers,
            yes: 1,
            no: 1,
            within: None,
            until,
            onward,
            away: Vec::new(),
            answers: vec![answer],
        }]
        .into();
        demand.eligibility = EligibilityId(self.id % 3);
        let elevation = Elevation {
            id: ElevationId(self.id),
            asker: self.asker,
            right: Right { role: RoleId(5 + self.id % 2), scope: self.scope },
            eligibility: demand.eligibility,
            asked_at: at(self.asked),
            brought: Brought { reason: Some(self.reason().digest), ..Brought::default() },
            rounds: vec![Round { extends: None, stages }],
            phase: Phase::Ended(if self.opened { End::GivenBack } else { End::Refused }),
            grants: grant.iter().map(|grant| grant.id).collect(),
            ..elevation
        };
        let demanded = Demanded { elevation: elevation.id, demand };
        [Row::Elevation(elevation), Row::Demand(demanded)].into_iter().chain(grant.map(Row::Grant)).collect()
    }

    pub(super) fn reason(self) -> PrivateText {
        PrivateText::new(&format!("the reason of {}", self.id), [7; 16])
    }
}

/// A house with what was told; the World has none of it in memory.
async fn told(kept: &mut Kept, all: &[Told]) {
    let first = kept.world.clone();
    for one in all {
        let end = What::Ended { elevation: ElevationId(one.id), end: End::GivenBack, leftovers: 0 };
        let fact = Fact {
            v: FACT_VERSION,
            at: one.ended_at(),
            by: tempestas_core::Actor::Keeper,
            from: None,
            channel: by(one.asker).channel,
            what: end,
            put: one.rows(),
            cut: Vec::new(),
        };
        kept.append(Decision { facts: vec![fact], texts: vec![one.reason()] }).await;
    }
    kept.world = first;
    kept.world.counters.next_elevation = 5000;
}

/// Somebody asked about a scope, and was answered; it is over.
pub(super) async fn told_of(kept: &mut Kept, asker: SubjectId, approver: SubjectId, scope: ScopeId) -> ElevationId {
    told(kept, &[Told { id: 1001, asker, approver, scope, asked: 0, opened: true }]).await;
    ElevationId(1001)
}

/// Everybody asks everybody for something, at every scope; half of it is opened.
async fn busy(kept: &mut Kept) -> Vec<Told> {
    let people = ["mara", "tomas", "oda", "piet"].map(|name| kept.id(name));
    let root = kept.world.root.unwrap();
    for name in ["yard", "quay"] {
        let new = tempestas_core::EstateCommand::AddFolder { parent: root, name: name.to_owned() };
        kept.does(by(people[0]), new.into()).await;
    }
    let scopes: Vec<ScopeId> = kept.world.scopes.keys().copied().collect();
    let mut all = Vec::new();
    for (n, asker) in people.iter().enumerate() {
        for (m, approver) in people.iter().enumerate().filter(|(m, _)| *m != n) {
            for (k, scope) in scopes.iter().enumerate() {
                let id = 1001 + all.len() as u64;
                let asked = 24 * (n + m) as i64 + k as i64;
                let opened = id.is_multiple_of(2);
                all.push(Told { id, asker: *asker, approver: *approver, scope: *scope, asked, opened });
            }
        }
    }
    told(kept, &all).await;
    all
}

async fn found(kept: &Kept, wanted: Past) -> Vec<u64> {
    kept.store.past(&wanted, 1000).await.unwrap().into_iter().map(|id| id.0).collect()
}

/// The numbers of those that fit, newest first.
fn those(all: &[Told], fits: impl Fn(&Told) -> bool) -> Vec<u64> {
    all.iter().filter(|one| fits(one)).map(|one| one.id).rev().collect()
}

#[tokio::test]
async fn what_is_over_is_found_by_who_asked_where_when_and_how_it_ended() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::founded(directory.path()).await;
    let all = busy(&mut kept).await;
    let (tomas, piet) = (kept.id("tomas"), kept.id("piet"));
    assert_eq!(found(&kept, Past::default()).await, those(&all, |_| true));
    assert_eq!(kept.store.past(&Past::default(), 2).await.unwrap().len(), 2);
    let askers = BTreeSet::from([tomas, piet]);
    let asked = Past { askers: Some(askers.clone()), ..Past::default() };
    assert_eq!(found(&kept, asked.clone()).await, those(&all, |one| askers.contains(&one.asker)));
    let refused = Past { state: Some("refused".to_owned()), role: Some(RoleId(6)), ..asked.clone() };
    assert_eq!(found(&kept, refused.clone()).await, those(&all, |one| askers.contains(&one.asker) && !one.opened));
    assert_eq!(kept.store.count_past(&refused).await.unwrap(), found(&kept, refused).await.len());
    let made = Past { eligibilities: Some([EligibilityId(1)].into()), ..Past::default() };
    assert_eq!(found(&kept, made).await, those(&all, |one| one.id % 3 == 1));
    let numbered = Past { numbers: Some(vec![1003..1005, 1010..1011]), ..Past::default() };
    assert_eq!(found(&kept, numbered).await, [1010, 1004, 1003]);
    let none = Past { numbers: Some(Vec::new()), ..Past::default() };
    assert_eq!(found(&kept, none).await, [0; 0]);
    // In force, or asked and answered, at some moment between the two.
    let (from, to) = (25, 49);
    let between = Past { between: Some((at(from), at(to))), ..Past::default() };
    let fits = |one: &Told| one.asked <= to && one.asked + 1 >= from;
    assert_eq!(found(&kept, between).await, those(&all, fits));
}

#[tokio::test]
async fn who_sees_a_part_finds_what_sight_shows_them_and_nothing_else() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::founded(directory.path()).await;
    let (mara, piet) = (kept.id("mara"), kept.id("piet"));
    let all = busy(&mut kept).await;
    let yard = kept.world.scope_at("/yard").unwrap().id;
    let duty = tempestas_core::PeopleCommand::GiveDuty { subject: piet, kind: DutyKind::Auditor, scope: yard };
    kept.does(by(mara), duty.into()).await;
    let mut whole = kept.world.clone();
    let every = all.iter().map(|one| ElevationId(one.id)).collect();
    kept.store.recall(&mut whole, every).await.unwrap();
    let mut seen_by = Vec::new();
    for who in ["tomas", "piet", "oda"] {
        let person = kept.id(who);
        let sight = Sight::of(&whole, person);
        let shown = |one: &Told| sight.sees(&whole, &whole.elevations[&ElevationId(one.id)]);
        let scopes = whole.scopes.keys().copied().filter(|scope| sight.sees_scope(&whole, *scope)).collect();
        let seen = Some(tempestas_store::Seen { person, scopes });
        let wide = Past { seen, ..Past::default() };
        assert_eq!(found(&kept, wide.clone()).await, those(&all, shown), "{who}");
        let last = those(&all, shown)[3];
        let paged = Past { before: Some(ElevationId(last)), ..wide.clone() };
        assert_eq!(found(&kept, paged.clone()).await, those(&all, |one| shown(one) && one.id < last), "{who}");
        assert_eq!(kept.store.past(&paged, 2).await.unwrap().len(), 2, "{who}");
        let narrow = Past { between: Some((at(0), at(72))), ..wide.clone() };
        assert_eq!(found(&kept, narrow).await, those(&all, |one| shown(one) && one.asked <= 72), "{who}");
        seen_by.push(found(&kept, wide).await.len());
    }
    let [tomas, piet, oda] = seen_by.try_into().unwrap();
    assert!(tomas > 0 && tomas < piet && piet < all.len(), "{tomas} {piet}");
    assert_eq!(oda, all.len(), "the auditor of everything");
}

#[tokio::test]
async fn what_is_recalled_is_what_was_there_with_every_text_it_names() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::founded(directory.path()).await;
    let all = busy(&mut kept).await;
    let [opened, refused] = [all[1], all[0]];
    let mut world = kept.world.clone();
    let grants = Recall { grants: [GrantId(opened.id + 10_000)].into(), ..Recall::default() };
    kept.store.recall(&mut world, grants).await.unwrap();
    assert_eq!(world.elevations.len(), 1);
    kept.store.recall(&mut world, Recall::from(ElevationId(refused.id))).await.unwrap();
    for one in [opened, refused] {
        for row in one.rows() {
            match row {
                Row::Elevation(row) => assert_eq!(world.elevations[&row.id], row),
                Row::Demand(row) => assert_eq!(world.demands[&row.elevation], row),
                Row::Grant(row) => assert_eq!(world.grants[&row.id], row),
                _ => panic!("nothing else"),
            }
        }
        assert_eq!(world.text(one.reason().digest), format!("the reason of {}", one.id));
        assert_eq!(kept.world.text(one.reason().digest), "(withheld)");
    }
    assert_eq!(world.elevations.len(), 2);
    let before = world.clone();
    let unknown = Recall { texts: [Digest([1; 32])].into(), ..Recall::from(ElevationId(4999)) };
    kept.store.recall(&mut world, unknown).await.unwrap();
    assert_eq!(world, before, "what nobody knows is left out");
}

#[tokio::test]
async fn days_and_answers_are_counted_without_reading_any_elevation() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::founded(directory.path()).await;
    let all = busy(&mut kept).await;
    let (oda, tomas) = (kept.id("oda"), kept.id("tomas"));
    // It began at eight in the morning of the fifth, so the first whole day is the sixth.
    assert_eq!(at(0), "2026-01-05T08:00:00Z".parse().unwrap());
    let first = date(2026, 1, 6);
    let days = kept.store.past_days(None, first..=date(2026, 1, 31)).await.unwrap();
    let later = |hours: i64| hours >= 16;
    assert_eq!(
        days.asked.values().map(|asked| *asked as usize).sum::<usize>(),
        those(&all, |one| later(one.asked)).len()
    );
    assert!(days.asked.keys().all(|day| *day >= first));
    let mut spans = days.in_force;
    spans.sort_unstable();
    let mut expected: Vec<_> = all
        .iter()
        .filter(|one| one.opened && later(one.asked + 1))
        .map(|one| (at(one.asked), at(one.asked + 1)))
        .collect();
    expected.sort_unstable();
    assert_eq!(spans, expected);
    let seen = tempestas_store::Seen { person: tomas, scopes: Vec::new() };
    let own = kept.store.past_days(Some(seen), first..=date(2026, 1, 31)).await.unwrap();
    let party = |one: &Told| one.asker == tomas || one.approver == tomas;
    assert_eq!(own.in_force.len(), all.iter().filter(|one| party(one) && one.opened && later(one.asked + 1)).count());

    let answered = kept.store.past_answers(&[oda].into(), at(48)).await.unwrap();
    assert_eq!(answered.len(), all.iter().filter(|one| one.approver == oda && one.asked + 1 >= 48).count());
    assert!(answered.iter().all(|(who, when)| *who == oda && *when >= at(48)));
    assert_eq!(kept.store.past_yes(1000).await.unwrap(), vec![3600; all.iter().filter(|one| one.opened).count()]);
    assert_eq!(kept.store.past_yes(2).await.unwrap(), [3600], "of the last two, one was a yes");
}

#[tokio::test]
async fn what_an_earlier_edition_kept_among_the_present_is_set_apart_and_what_is_misplaced_is_found() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::founded(directory.path()).await;
    let all = busy(&mut kept).await;
    drop(kept);
    let well = |differences: Vec<Difference>| {
        // What was told here came to be by no command.
        differences.into_iter().filter(|one| matches!(one, Difference::Past(_))).collect::<Vec<_>>()
    };
    let looked = async || well(check(directory.path(), &[]).await.unwrap().differences);
    assert_eq!(looked().await, []);
    change(
        directory.path(),
        "INSERT INTO rows SELECT 'elevation', CAST(id AS TEXT), body FROM past_elevations;
         INSERT INTO rows SELECT 'grant', CAST(id AS TEXT), body FROM past_grants;
         INSERT INTO rows SELECT 'demand', CAST(elevation AS TEXT), body FROM past_demands;
         DELETE FROM past_elevations; DELETE FROM past_grants; DELETE FROM past_demands; DELETE FROM past_approvers; DELETE FROM past_answers",
    )
    .await;
    let opened = Kept::open(directory.path()).await;
    assert_eq!(found(&opened, Past::default()).await, those(&all, |_| true));
    drop(opened);
    assert_eq!(looked().await, []);
    for (sql, misplaced) in [
        ("UPDATE past_elevations SET asker = asker + 1 WHERE id = 1001", 1001),
        ("UPDATE past_elevations SET state = 'lapsed' WHERE id = 1002", 1002),
        ("UPDATE past_elevations SET ended = ended + 1 WHERE id = 1003", 1003),
        ("DELETE FROM past_approvers WHERE elevation = 1004", 1004),
        ("UPDATE past_answers SET yes = 1 - yes WHERE elevation = 1005", 1005),
    ] {
        let (before, id) = (looked().await, Difference::Past(ElevationId(misplaced)));
        assert!(!before.contains(&id));
        change(directory.path(), sql).await;
        assert!(looked().await.contains(&id), "{sql}");
    }
}

#[tokio::test]
async fn a_start_takes_in_what_was_over_lately_and_leaves_the_rest() {
    let directory = tempfile::tempdir().unwrap();
    let mut kept = Kept::founded(directory.path()).await;
    let all = busy(&mut kept).await;
    drop(kept);
    let last = all.iter().map(|one| one.asked + 1).max().unwrap();
    // What was asked and never opened is of no use to anybody after its end; a grant until it could be no more.
    let lately = |one: &Told| if one.opened { one.asked + 2 } else { one.asked } >= last - 72;
    let in_memory = |world: &World| world.elevations.keys().map(|id| id.0).rev().collect::<Vec<_>>();
    let opened = Store::open(directory.path()).await.unwrap();
    assert_eq!(in_memory(&opened.world), those(&all, lately));
    assert!(opened.world.elevations.len() < all.len());
    let kept = opened.world.elevations.values().next().unwrap();
    assert!(opened.world.text(kept.brought.reason.unwrap()).starts_with("the reason of"));
}
