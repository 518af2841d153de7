//! What is over leaves memory; who asks for it gets it back, and a command about it is decided as ever.

use jiff::Timestamp;
use tempestas_core::{
    Act, Approval, Ask, Brings, Caller, Command, Connector, DebriefInput, DebriefRule, DebriefTerms, Digest,
    ElevationCommand, ElevationId, EligibilityCommand, End, EstateCommand, Finding, HoldRefusal, KEPT_FOR, Lapse,
    Longest, PeopleCommand, Phase, Refusal, Report, Right, RoleFound, Said, ScopeId, Seconds, Settings, StartChoice,
    SubjectId, Survey, Terms, TermsCommand, Weight, What, demand_for,
};

use super::{Running, by};

const HOUR: i64 = 3600;

/// Somebody who may have a right on a target without anybody's yes.
struct Holder {
    running: Running,
    tomas: SubjectId,
    right: Right,
}

impl Holder {
    async fn new(directory: &std::path::Path) -> Self {
        let running = Running::new(directory).await;
        let tomas = running.add("tomas").await.unwrap().subject_named("tomas").unwrap().id;
        let root = running.engine.world().root.unwrap();
        let connector = Connector::Brightwater { url: "http://127.0.0.1:1".to_owned() };
        let target = EstateCommand::AddTarget {
            parent: root,
            name: "cloud".to_owned(),
            connector,
            emergency_least: 1,
            alarm_after: Seconds(60),
        };
        running.does(running.mara(), target.into()).await;
        let target = running.engine.world().scope_at("/cloud").unwrap().id;
        let now = running.engine.world().last_at.unwrap();
        let survey = Report::Surveyed { target, digest: Digest([1; 32]), survey: Box::new(survey(now)) };
        running.does(Caller::keeper_of(target), survey.into()).await;
        running
            .does(
                running.mara(),
                PeopleCommand::SetAccount { subject: tomas, target, account: Said::new("t.reyes") }.into(),
            )
            .await;
        let right = running.engine.world().right_from("writer@/cloud").unwrap();
        let eligible = EligibilityCommand::Give { subject: tomas, right, from: None, until: None, reason: None };
        running.does(running.mara(), eligible.into()).await;
        running.does(running.mara(), TermsCommand::Set { terms: terms(root) }.into()).await;
        running.at(48 * HOUR);
        Self { running, tomas, right }
    }

    fn tomas(&self) -> Caller {
        by(self.tomas, self.running.now.load(std::sync::atomic::Ordering::Relaxed))
    }

    /// Asked for, opened, given back and gone.
    async fn held(&self) -> ElevationId {
        let world = self.running.engine.world();
        let now = Timestamp::from_second(self.running.now.load(std::sync::atomic::Ordering::Relaxed)).unwrap();
        let shown = Digest::of_json(&demand_for(&world, self.tomas, self.right, now).unwrap());
        let ask = ElevationCommand::Ask(Ask {
            right: self.right,
            duration: Some(Seconds(600)),
            start: Some(StartChoice::AtYes),
            glass: false,
            brings: Brings::reason("a reason that is long enough"),
            shown,
        });
        let asked = self.running.does(self.tomas(), ask.into()).await;
        let id = asked
            .iter()
            .find_map(|what| if let What::Asked { elevation, .. } = what { Some(*elevation) } else { None });
        let elevation = id.unwrap();
        let grant = self.running.engine.world().elevations[&elevation].grants[0];
        self.running.does(Caller::keeper_of(self.right.scope), Report::GrantSeen { grant, there: true }.into()).await;
        self.running.does(self.tomas(), ElevationCommand::GiveBack { elevation }.into()).await;
        let done = self.running.engine.submit(
            Caller::keeper_of(self.right.scope),
            None,
            Report::GrantGone { grant, leftovers: Vec::new() },
        );
        let over = done.await.unwrap().world;
        assert!(over.elevations[&elevation].is_over(), "the reply still has what has just come to its end");
        elevation
    }
}

impl Running {
    async fn does(&self, caller: Caller, command: Command) -> Vec<What> {
        self.engine.submit(caller, None, command).await.unwrap().whats
    }
}

fn survey(clock: Timestamp) -> Survey {
    let lapse = Lapse {
        by_itself: true,
        within: Seconds(1),
        holder_can_undo: false,
        movable: true,
        says: "it ends by itself".to_owned(),
    };
    let role = RoleFound {
        name: "writer".to_owned(),
        says: "writes".to_owned(),
        weight: Weight::Privileged,
        permits: Digest([2; 32]),
        lapse,
    };
    Survey {
        attributes: Default::default(),
        sealed: Vec::new(),
        complete: true,
        clock,
        broker: "broker".to_owned(),
        parts: Vec::new(),
        roles: vec![role],
        accounts: Vec::new(),
        rights: Vec::new(),
        marked: Vec::new(),
    }
}

fn terms(scope: ScopeId) -> Terms {
    let settings =
        Settings { longest: Some(Longest(Seconds::hours(2))), approval: Some(Approval::None), ..Settings::default() };
    Terms::new(scope, Act::Elevate, settings)
}

#[tokio::test]
async fn what_was_over_long_since_is_in_no_snapshot_and_yet_decided_and_shown() {
    let directory = tempfile::tempdir().unwrap();
    let holder = Holder::new(directory.path()).await;
    let running = &holder.running;
    let id = holder.held().await;
    let kept = running.engine.world();
    running.at(48 * HOUR + KEPT_FOR.as_secs() / 2);
    running.add("oda").await.unwrap();
    assert!(running.engine.world().elevations.contains_key(&id), "for some days it stays");
    running.at(48 * HOUR + KEPT_FOR.as_secs() + 2 * HOUR);
    running.add("piet").await.unwrap();
    let present = running.engine.world();
    assert!(present.is_forgotten(id) && present.grants.is_empty());
    assert!(kept.elevations.contains_key(&id), "who kept a snapshot keeps all of it");

    let recalled = running.engine.recall(&present, id).await.unwrap();
    assert_eq!(recalled.elevations[&id], kept.elevations[&id]);
    assert_eq!(recalled.text(kept.elevations[&id].brought.reason.unwrap()), "a reason that is long enough");
    assert_eq!(recalled.size(), present.size());
    assert!(running.engine.world().is_forgotten(id), "for whoever asked, and nobody else");

    // Its holder is told how it stands; somebody who doesn't see it, that it isn't there: as ever.
    let withdraw = || ElevationCommand::Withdraw { elevation: id };
    let refused = running.engine.submit(holder.tomas(), None, withdraw()).await.unwrap_err();
    assert_eq!(refused, HoldRefusal::PastWithdrawing { id, phase: Phase::Ended(End::GivenBack) }.into());
    running.add("edda").await.unwrap();
    assert!(running.engine.world().is_forgotten(id), "and it is not kept for having been asked about");
    let oda = by(present.subject_named("oda").unwrap().id, running.now.load(std::sync::atomic::Ordering::Relaxed));
    let refused = running.engine.submit(oda.clone(), None, withdraw()).await.unwrap_err();
    assert!(matches!(refused, Refusal::Unknown { .. }), "{refused:?}");
    let never = ElevationCommand::Withdraw { elevation: ElevationId(4711) };
    let refused = running.engine.submit(oda, None, never).await.unwrap_err();
    assert!(matches!(refused, Refusal::Unknown { .. }), "{refused:?}");
}

#[tokio::test]
async fn a_mark_of_a_grant_long_over_is_still_explained_by_it() {
    let directory = tempfile::tempdir().unwrap();
    let holder = Holder::new(directory.path()).await;
    let running = &holder.running;
    let id = holder.held().await;
    let world = running.engine.world();
    let grant = &world.grants[&world.elevations[&id].grants[0]];
    let marked = |name: &str| tempestas_core::Marked { grant: grant.id.0, name: name.to_owned() };
    let target = grant.target;
    let search = |marked| Report::Searched { target, marked: vec![marked] };
    let strays = || running.engine.world().targets[&target].strays.clone();
    running.does(Caller::keeper_of(target), search(marked(&grant.name)).into()).await;
    let at_once = strays();
    running.at(48 * HOUR + KEPT_FOR.as_secs() + 2 * HOUR);
    running.add("piet").await.unwrap();
    assert!(running.engine.world().is_forgotten(id));
    running.does(Caller::keeper_of(target), search(marked(&grant.name)).into()).await;
    assert_eq!(strays(), at_once, "the same is said of it, however long ago it was");
    running.does(Caller::keeper_of(target), search(marked("tpsomethingelse")).into()).await;
    assert_eq!(strays(), ["tpsomethingelse"]);
}

#[tokio::test]
async fn a_service_that_starts_again_has_no_more_in_memory_than_one_that_went_on() {
    let directory = tempfile::tempdir().unwrap();
    let holder = Holder::new(directory.path()).await;
    let id = holder.held().await;
    holder.running.at(48 * HOUR + KEPT_FOR.as_secs() + 2 * HOUR);
    let again = holder.held().await;
    assert_eq!(holder.running.engine.world().elevations.keys().copied().collect::<Vec<_>>(), [again]);
    let before = holder.running.engine.world();
    let Holder { running: Running { engine, committer, .. }, .. } = holder;
    drop(engine);
    committer.await.unwrap().unwrap();
    let loaded = tempestas_store::Store::open(directory.path()).await.unwrap();
    assert!(loaded.world.is_forgotten(id));
    assert_eq!(loaded.world.elevations[&again].phase, Phase::Ended(tempestas_core::End::GivenBack));
    assert_eq!(loaded.world.rows().collect::<Vec<_>>(), before.rows().collect::<Vec<_>>());
    assert_eq!(loaded.world.text(before.elevations[&again].brought.reason.unwrap()), "a reason that is long enough");
}

#[tokio::test]
async fn what_somebody_has_yet_to_look_at_is_there_after_a_start_however_long_ago_it_was_over() {
    let directory = tempfile::tempdir().unwrap();
    let holder = Holder::new(directory.path()).await;
    let root = holder.running.engine.world().root.unwrap();
    let settings =
        Settings { debrief: Some(DebriefRule::Wanted(DebriefTerms::default())), ..terms(root).settings.clone() };
    let rule = Terms::new(holder.right.scope, Act::Elevate, settings);
    holder.running.does(holder.running.mara(), TermsCommand::Set { terms: rule }.into()).await;
    let (id, other) = (holder.held().await, holder.held().await);
    let finding = Finding::InOrder;
    let sign = |elevation, word| ElevationCommand::Debrief(DebriefInput { elevation, finding, word });
    holder.running.does(holder.running.mara(), sign(other, None).into()).await;
    holder.running.at(48 * HOUR + KEPT_FOR.as_secs() * 5);
    holder.running.add("piet").await.unwrap();
    let before = holder.running.engine.world();
    assert_eq!(before.elevations.keys().copied().collect::<Vec<_>>(), [id]);
    let Holder { running: Running { engine, committer, now, mara }, tomas, right } = holder;
    drop(engine);
    committer.await.unwrap().unwrap();
    let loaded = tempestas_store::Store::open(directory.path()).await.unwrap();
    assert_eq!(loaded.world.rows().collect::<Vec<_>>(), before.rows().collect::<Vec<_>>());
    assert_eq!(loaded.world.text(before.elevations[&id].brought.reason.unwrap()), "a reason that is long enough");

    let (engine, committer) = Running::engine(loaded, &now);
    let holder = Holder { running: Running { engine, committer, now, mara }, tomas, right };
    let word = Some(Said::new("the log there says nothing else"));
    holder.running.does(holder.running.mara(), sign(id, word).into()).await;
    holder.running.at(48 * HOUR + KEPT_FOR.as_secs() * 5 + 2 * HOUR);
    holder.running.add("edda").await.unwrap();
    let present = holder.running.engine.world();
    assert!(present.is_forgotten(id));
    let recalled = holder.running.engine.recall(&present, id).await.unwrap();
    let signed = recalled.elevations[&id].debrief.as_ref().unwrap().signed.unwrap();
    assert_eq!((signed.by, recalled.text(signed.word.unwrap())), (mara, "the log there says nothing else".to_owned()));
    drop(holder.running.engine);
    holder.running.committer.await.unwrap().unwrap();
    let checked = tempestas_store::check(directory.path(), &[]).await.unwrap();
    // Its survey is made up.
    let others = checked.differences.iter().filter(|one| !matches!(one, tempestas_store::Difference::Survey(_)));
    assert_eq!(
        others.count(),
        0,
        "it is entered among what is over as if nobody had waited: {:?}",
        checked.differences
    );
}
