//! The story from a standing right to an ended grant, and the ledger that explains every row of it.

use std::collections::BTreeSet;

use sqlx::{ConnectOptions as _, sqlite::SqliteConnectOptions};
use tempestas_api::{
    AnswerRequest, Chosen, ConvertRequest, LedgerFilter, LoginAsk, NewStop, StandingFilter, SuspendRequest, WaitQuery,
    WordRequest,
};
use tempestas_core::{
    StartChoice, Verdict,
    ledger::{FactLine, Verifier, leaf_hash},
};
use tempestas_demo::{cluster, quillhaven::BERTHS};

use crate::house::{HENRIK, House, INES, MARA, ODA, Plan, TOMAS, ask, eventually, on_berths, on_cloud};

async fn standing(house: &House, account: &str, role: &str) -> Option<String> {
    let all = house.client(MARA).standing(&StandingFilter::default()).await.unwrap();
    all.into_iter().find(|one| one.account == account && one.role == role && one.direct).map(|one| one.id)
}

/// Converts, and waits until it was read back. Returns the conversion's reference.
async fn convert(house: &House, chosen: Vec<String>) -> String {
    let mara = house.client(MARA);
    let plan = mara.preview_conversion(&Chosen { chosen: chosen.clone() }).await.unwrap();
    let request = ConvertRequest::at_once(chosen, plan.digest);
    let id = mara.convert(&request).await.unwrap().id;
    settled(house, &id).await;
    id
}

async fn settled(house: &House, id: &str) {
    eventually("the conversion is read back", async || {
        let all = house.client(MARA).conversions().await.unwrap();
        all.iter().any(|one| one.id == id && one.settled)
    })
    .await;
}

async fn holds_on_cluster(house: &House, account: &str, role: &str) -> bool {
    let sql = house.cluster().connect("postgres").await.unwrap();
    let found = "SELECT EXISTS (SELECT FROM pg_auth_members m JOIN pg_roles p ON p.oid = m.roleid JOIN pg_roles h ON h.oid = m.member WHERE h.rolname = $1 AND p.rolname = $2)";
    sql.query_one(found, &[&account, &role]).await.unwrap().get(0)
}

/// Converts, asks, answers, holds, lapses, revokes, undoes: a ledger with something of everything.
async fn tell(house: &House) {
    let chosen = standing(house, "treyes", "harbour_operator").await.unwrap();
    let conversion = convert(house, vec![chosen]).await;
    assert!(!holds_on_cluster(house, "treyes", "harbour_operator").await);
    let right = on_berths("harbour_operator");
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    assert_eq!(asked.state, "waiting");
    house.yes(ODA, &asked.id).await.unwrap();
    let live = house.live(&asked.id).await;
    assert!(live.elevation.grant.unwrap().verified_at.is_some());
    let first = house.client(TOMAS).login(&asked.id, &LoginAsk::default()).await.unwrap();
    let again = house.client(TOMAS).login(&asked.id, &LoginAsk::default()).await.unwrap();
    assert!(!first.replaced && again.replaced);
    let port = house.cluster().port;
    let (user, void, good) = (first.user.unwrap(), first.password.unwrap(), again.password.unwrap());
    cluster::connect(port, &user, &void, "berths").await.expect_err("the first password is void");
    let sql = cluster::connect(port, &user, &good, "berths").await.unwrap();
    sql.batch_execute("UPDATE berths SET vessel = 'Grey Petrel' WHERE name = 'N2'").await.unwrap();
    let word = WordRequest { word: "the work is done".to_owned() };
    house.client(ODA).revoke(&asked.id, &word).await.unwrap();
    let over = house.over(&asked.id).await;
    assert_eq!(
        (over.elevation.state.as_str(), over.elevation.end_word.as_deref()),
        ("revoked", Some("the work is done"))
    );
    sql.batch_execute("SELECT 1").await.expect_err("the open session was ended");
    cluster::connect(port, &user, &good, "berths").await.expect_err("the login is gone");
    house.client(MARA).undo_conversion(&conversion).await.unwrap();
    settled(house, &conversion).await;
    assert!(holds_on_cluster(house, "treyes", "harbour_operator").await);
    let cloud = house.client(TOMAS);
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let short = house.ask(TOMAS, &on_cloud("tide-writer", "/lake/raw"), 2).await.unwrap();
    house.live(&short.id).await;
    assert_eq!(house.over(&short.id).await.elevation.state, "lapsed");
    let given = house.ask(TOMAS, &on_cloud("tide-writer", "/lake/raw"), 600).await.unwrap();
    house.live(&given.id).await;
    cloud.give_back(&given.id).await.unwrap();
    assert_eq!(house.over(&given.id).await.elevation.state, "given-back");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_ledger_explains_every_row_and_whatever_was_changed_by_hand_is_named() {
    let mut house = House::new(Plan::whole()).await;
    let backup = house.path().join("yesterday");
    let output = house.setup.run(&["backup", &backup.to_string_lossy()]).unwrap();
    assert!(output.status.success());
    tell(&house).await;
    let (well, text) = house.rebuild();
    assert!(well, "{text}");
    passwords_are_nowhere(&house);
    let home = house.path().join("ines");
    verified_against_the_public_key_alone(&house, &home);
    house.service.stop().unwrap();

    let database = house.setup.state().join("tempestas.sqlite");
    let open = async || SqliteConnectOptions::new().filename(&database).connect().await.unwrap();
    let edit = async |from: &str, to: &str| {
        let edit = sqlx::query("UPDATE past_elevations SET body = replace(body, ?1, ?2) WHERE id = 1002");
        edit.bind(from.to_owned()).bind(to.to_owned()).execute(&mut open().await).await.unwrap();
    };
    edit("lapsed", "failed").await;
    let (well, text) = house.rebuild();
    assert!(!well && text.contains("the row elevation 1002 is not what the facts make it: phase differ"), "{text}");

    edit("failed", "lapsed").await;
    sqlx::query("DELETE FROM facts WHERE seq > (SELECT max(seq) - 3 FROM facts)")
        .execute(&mut open().await)
        .await
        .unwrap();
    let (well, text) = house.rebuild();
    assert!(!well && text.contains("the tail was cut"), "{text}");
    house.setup.start(&[]).err().expect("a cut ledger must not be served");

    // Yesterday's copy put in place by hand is found; put back by command it is a new epoch.
    for name in ["tempestas.sqlite", "observed.sqlite"] {
        std::fs::copy(backup.join(name), house.setup.state().join(name)).unwrap();
        for end in ["-wal", "-shm"] {
            let _ = std::fs::remove_file(house.setup.state().join(format!("{name}{end}")));
        }
    }
    let refused = house.setup.start(&[]).err().expect("an older copy must not be served").to_string();
    assert!(refused.contains("a checkpoint written to"), "{refused}");
    let output = house.setup.run(&["restore", &backup.to_string_lossy()]).unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    let (well, text) = house.rebuild();
    assert!(well && text.contains("epoch 2 began with fact"), "{text}");
    house.start_again(&[]);
    let text = house.sign_in_at_a_terminal(&home, INES);
    assert!(text.contains("A backup was restored since: epoch 2 began"), "{text}");
}

/// What a stranger can check: the exported file, against the public key alone and a checkpoint seen earlier.
fn verified_against_the_public_key_alone(house: &House, home: &std::path::Path) {
    house.sign_in_at_a_terminal(home, INES);
    let mode =
        std::os::unix::fs::PermissionsExt::mode(&std::fs::metadata(home.join("sign-in.json")).unwrap().permissions());
    assert_eq!(mode & 0o777, 0o600);
    let (file, key) = (house.path().join("ledger.jsonl"), house.path().join("key"));
    let name = file.to_string_lossy().into_owned();
    assert_eq!(house.tempestas(home, &["ledger", "export", &name], "").0, 0);
    let kept: serde_json::Value =
        serde_json::from_slice(&std::fs::read(home.join("checkpoint.json")).unwrap()).unwrap();
    std::fs::write(&key, kept["public_key"].as_str().unwrap()).unwrap();
    let stranger = house.path().join("stranger");
    let verify =
        |file: &str| house.tempestas(&stranger, &["ledger", "verify", file, "--key", &key.to_string_lossy()], "");
    let (exit, text) = verify(&name);
    assert!(exit == 0 && text.contains("Genuine"), "{text}");
    let whole = std::fs::read_to_string(&file).unwrap();
    let changed = house.path().join("changed.jsonl");
    std::fs::write(&changed, whole.replacen("answered", "answereD", 1)).unwrap();
    let (exit, text) = verify(&changed.to_string_lossy());
    assert!(exit == 6 && text.contains("NOT GENUINE: fact "), "{text}");
    // Another fact with a leaf hash of its own is named all the same.
    let lines: Vec<&str> = whole.split_inclusive('\n').collect();
    let mut other: FactLine = serde_json::from_str(lines[3]).unwrap();
    let version = format!("\"v\":{}", tempestas_core::FACT_VERSION);
    assert!(other.fact.contains(&version), "{}", other.fact);
    other.fact = other.fact.replacen(&version, "\"v\":9", 1);
    other.leaf = leaf_hash(other.fact.as_bytes());
    let exchanged = format!("{}\n", serde_json::to_string(&other).unwrap());
    std::fs::write(&changed, [&lines[..3], &[exchanged.as_str()], &lines[4..]].concat().concat()).unwrap();
    let (exit, text) = verify(&changed.to_string_lossy());
    assert!(exit == 6 && text.contains("fact 2 was changed, and its leaf hash with it"), "{text}");
    // Cut before the checkpoint that this client saw at sign-in.
    let facts = lines.iter().filter(|line| line.starts_with("{\"n\":")).count();
    std::fs::write(&changed, lines[..facts - 4].concat()).unwrap();
    let (exit, text) = house.tempestas(home, &["ledger", "verify", &changed.to_string_lossy()], "");
    assert!(exit == 6 && text.contains("the tail was cut"), "{text}");
    held_against_what_was_seen(house, home, &name, &key.to_string_lossy());
}

/// Every file that tells of a checkpoint will do, and a verifier that knows our papers alone comes to the same.
fn held_against_what_was_seen(house: &House, home: &std::path::Path, name: &str, key: &str) {
    let fresh = house.path().join("fresh.jsonl").to_string_lossy().into_owned();
    // An export is a fact itself, so that what is seen now is more than the first file has.
    assert_eq!(house.tempestas(home, &["ledger", "export", &fresh], "").0, 0);
    let (exit, printed) = house.tempestas(home, &["ledger", "checkpoint"], "");
    assert_eq!(exit, 0, "{printed}");
    let note = printed.split_inclusive('\n').take(6).collect::<String>();
    let verifier = Verifier::from_line(&std::fs::read_to_string(key).unwrap()).unwrap();
    let seen = verifier.open(&note).unwrap().checkpoint;
    // As it stood, and with a root that it never had.
    let elsewhere = format!("{} {} {}\n", seen.size, seen.root, serde_json::to_string(&note).unwrap());
    // The present file goes on from all of them.
    assert_eq!(house.tempestas(home, &["ledger", "export", &fresh], "").0, 0);
    let stranger = house.path().join("stranger");
    let path = house.path().join("seen");
    let kept = std::fs::read_to_string(home.join("checkpoint.json")).unwrap();
    for (what, text) in [("a note", &note), ("what was printed", &printed), ("kept", &kept), ("elsewhere", &elsewhere)]
    {
        std::fs::write(&path, text).unwrap();
        let seen = path.to_string_lossy().into_owned();
        let verify =
            |file: &str| house.tempestas(&stranger, &["ledger", "verify", file, "--key", key, "--seen", &seen], "");
        let (exit, text) = verify(&fresh);
        assert!(exit == 0 && text.contains("goes on from the checkpoint of"), "{what}: {text}");
        // The older file has not yet what was seen since.
        let (exit, text) = verify(name);
        assert!(exit == 6 && text.contains("the tail was cut"), "{what}: {text}");
    }
    for text in ["", "\n", "not a checkpoint\n", "1 2 3\n"] {
        std::fs::write(&path, text).unwrap();
        let seen = path.to_string_lossy().into_owned();
        let (exit, said) = house.tempestas(&stranger, &["ledger", "verify", &fresh, "--key", key, "--seen", &seen], "");
        assert_eq!(exit, 1, "{text:?}: {said}");
    }
    std::fs::write(&path, elsewhere).unwrap();
    let changed = house.path().join("changed.jsonl");
    let whole = std::fs::read_to_string(&fresh).unwrap();
    let (seen, line) = (path.to_string_lossy().into_owned(), std::fs::read_to_string(key).unwrap());
    let by_the_papers = |file: &str| {
        let script = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/stranger/verify.py");
        let ran = std::process::Command::new("python3").args([script, file, line.trim(), &seen]).output().unwrap();
        (ran.status.code().unwrap(), String::from_utf8_lossy(&ran.stdout).into_owned())
    };
    let ours = |file: &str| house.tempestas(&stranger, &["ledger", "verify", file, "--key", key, "--seen", &seen], "");
    for (what, text, genuine) in [
        ("as it is", whole.clone(), true),
        ("a fact changed", whole.replacen("verified", "verifieD", 1), false),
        (
            "a line left out",
            whole.split_inclusive('\n').enumerate().filter(|(n, _)| *n != 7).map(|(_, line)| line).collect(),
            false,
        ),
        ("a space more", whole.replacen("\"n\":5,", "\"n\": 5,", 1), false),
        ("another signer", whole.replacen("epoch 1", "epoch 2", 1), false),
        ("no end", whole.trim_end().to_owned(), false),
    ] {
        std::fs::write(&changed, &text).unwrap();
        assert_eq!(text == whole, genuine, "{what}");
        let file = changed.to_string_lossy().into_owned();
        let (theirs, ours) = (by_the_papers(&file), ours(&file));
        assert_eq!((theirs.0 == 0, ours.0 == 0), (genuine, genuine), "{what}: {theirs:?} {ours:?}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn private_words_stand_nowhere_but_where_they_can_be_taken_out() {
    let house = House::new(Plan::whole()).await;
    tell(&house).await;
    let (mara, tomas) = (house.client(MARA), house.client(TOMAS));
    let right = on_cloud("tide-writer", "/lake");
    let waits = ask(tomas, &right, None, StartChoice::OnBegin, None).await.unwrap();
    let held = mara.eligibilities().await.unwrap().into_iter().find(|held| held.right == right).unwrap();
    let why = SuspendRequest { reason: "his father is ill, spare him the nights".to_owned() };
    mara.suspend_eligibility(&held.id, &why).await.unwrap();
    let failed = tomas.begin(&waits.id).await.unwrap().trouble.unwrap();
    assert!(failed.contains("(suspended)"), "{failed}");
    let stop =
        NewStop { person: Some(TOMAS.to_owned()), scope: None, word: "odd sign-ins from the old harbour".to_owned() };
    mara.stop(&stop).await.unwrap();
    let stopped = house.ask(TOMAS, &on_berths("harbour_operator"), 60).await.unwrap_err().to_string();

    let words = ["because the work needs it", "the work is done", &why.reason, &stop.word, "Tomas Reyes", TOMAS];
    // Whatever the systems call their accounts and roles, and the ways by which these are held.
    let standing = mara.standing(&StandingFilter::default()).await.unwrap();
    // The accounts that we work with ourselves are part of how a target is reached.
    let ours = |name: &String| name.contains("broker");
    let names = standing.into_iter().flat_map(|held| [held.chain, vec![held.account, held.role]].concat());
    let found: BTreeSet<String> = names.filter(|name| !ours(name)).collect();
    assert!(["treyes", "harbour_dba", "tide-writer"].iter().all(|name| found.contains(*name)), "{found:?}");
    let ledger = mara.export().await.unwrap().text().await.unwrap();
    let log = std::fs::read_to_string(house.setup.log()).unwrap();
    let database = house.setup.state().join("passing.sqlite");
    let mut sql = SqliteConnectOptions::new().filename(&database).read_only(true).connect().await.unwrap();
    let keyed: Vec<String> =
        sqlx::query_scalar("SELECT COALESCE(reply, '') FROM idempotency").fetch_all(&mut sql).await.unwrap();
    for word in words.into_iter().chain(found.iter().map(String::as_str)) {
        let within = |text: &str| {
            text.match_indices(word)
                .map(|(at, _)| text[at.saturating_sub(120)..].chars().take(200).collect::<String>())
                .next()
        };
        assert_eq!(within(&ledger), None, "`{word}` is in the ledger");
        assert_eq!(within(&log), None, "`{word}` is in our log");
    }
    let secrets: Vec<&str> =
        house.people.iter().flat_map(|one| [one.password.as_str(), one.totp_secret.as_str()]).collect();
    for secret in secrets.into_iter().chain([house.broker_password.as_str()]) {
        for text in [&ledger, &log, &failed, &stopped].into_iter().chain(&keyed) {
            assert!(!text.contains(secret), "a secret is told");
        }
    }
}

/// Neither the cluster's log, with every statement in it, nor ours holds a password of the story.
fn passwords_are_nowhere(house: &House) {
    let cluster = std::fs::read_to_string(house.cluster().log()).unwrap();
    let ours = std::fs::read_to_string(house.setup.log()).unwrap();
    assert!(cluster.contains("tempestas"), "the cluster logs statements");
    for secret in
        house.people.iter().flat_map(|person| [&person.password, &person.totp_secret]).chain([&house.broker_password])
    {
        assert!(!ours.contains(secret.as_str()), "a secret is in our log");
    }
    let set = cluster.lines().filter(|line| line.contains("ALTER ROLE") && line.contains("PASSWORD"));
    for line in set {
        assert!(line.contains("SCRAM-SHA-256$"), "a password was sent in clear: {line}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_no_ends_an_ask_with_its_reason_and_later_starts_wait_for_their_time() {
    let house = House::new(Plan::whole()).await;
    let right = on_berths("harbour_dba");
    let asked = house.ask(TOMAS, &right, 60).await.unwrap();
    let oda = house.client(ODA);
    let no = |reason: Option<&str>| AnswerRequest {
        verdict: Verdict::No,
        less: None,
        reason: reason.map(str::to_owned),
        shown: asked.digest,
    };
    let refused = oda.answer(&asked.id, &no(None)).await.unwrap_err();
    assert_eq!(refused.to_string(), "a no needs a reason, which the asker will read");
    let answered = oda.answer(&asked.id, &no(Some("not during the audit"))).await.unwrap();
    assert_eq!(answered.state, "refused");
    let seen = house.client(TOMAS).elevation(&asked.id, &WaitQuery::default()).await.unwrap();
    assert_eq!(seen.elevation.rounds[0].stages[0].answers[0].reason.as_deref(), Some("not during the audit"));

    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let raw = on_cloud("tide-writer", "/lake/raw");
    let soon = jiff::Timestamp::now() + jiff::SignedDuration::from_secs(2);
    let scheduled = ask(house.client(TOMAS), &raw, Some(600), StartChoice::At { time: soon }, None).await.unwrap();
    assert_eq!(scheduled.state, "scheduled");
    let ready = ask(house.client(TOMAS), &raw, Some(600), StartChoice::OnBegin, None).await.unwrap();
    assert_eq!(ready.state, "ready");
    let live = house.live(&scheduled.id).await.elevation.grant.unwrap();
    assert!(live.until >= soon + jiff::SignedDuration::from_secs(598));
    house.client(TOMAS).begin(&ready.id).await.unwrap();
    house.live(&ready.id).await;
    let entries = house
        .client(INES)
        .ledger(&LedgerFilter { kind: Some("asked".to_owned()), ..LedgerFilter::default() })
        .await
        .unwrap();
    assert_eq!(entries.entries.len(), 3);
    let csv = house
        .client(INES)
        .ledger_csv(&LedgerFilter { who: Some(TOMAS.to_owned()), ..LedgerFilter::default() })
        .await
        .unwrap();
    assert!(
        csv.starts_with("number,when,who,from,kind,what\n") && csv.contains(",asked,asked E1001 for harbour_dba@"),
        "{csv}"
    );
    assert!(entries.entries.iter().all(|entry| entry.who == TOMAS && entry.from.as_deref() == Some("127.0.0.1")));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_conversion_never_locks_everyone_out_and_its_undo_says_what_others_changed() {
    let house = House::new(Plan::whole()).await;
    let mut critical = Vec::new();
    for (account, role) in [
        ("old_admin", "SUPERUSER"),
        ("ironquay_support", "SUPERUSER"),
        ("mlindqvist", "SUPERUSER"),
        ("hvoss", "CREATEROLE"),
        ("obrandt", "harbour_dba"),
        ("psol", "harbour_dba"),
    ] {
        critical.push(standing(&house, account, role).await.unwrap());
    }
    let mara = house.client(MARA);
    let refused = mara.preview_conversion(&Chosen { chosen: critical.clone() }).await.unwrap_err();
    assert!(refused.to_string().contains("this would leave 1 of the emergency holders"), "{refused}");
    let broker = standing(&house, "tempestas_broker", "SUPERUSER").await.unwrap();
    let refused = mara.preview_conversion(&Chosen { chosen: vec![broker] }).await.unwrap_err();
    assert!(refused.to_string().contains("the account Tempestas itself works with"), "{refused}");

    let conversion = convert(&house, critical[..2].to_vec()).await;
    let sql = house.cluster().connect("postgres").await.unwrap();
    sql.batch_execute("ALTER ROLE old_admin SUPERUSER").await.unwrap();
    mara.undo_conversion(&conversion).await.unwrap();
    settled(&house, &conversion).await;
    let all = mara.conversions().await.unwrap();
    let trouble = |account: &str| all[0].items.iter().find(|item| item.account == account).unwrap().trouble.as_deref();
    assert_eq!(trouble("old_admin"), Some("somebody had put it back on the target before the undo"));
    assert_eq!(trouble("ironquay_support"), None);
    let eligible = house.client(HENRIK).eligibilities().await.unwrap();
    assert!(!eligible.iter().any(|one| one.right == format!("SUPERUSER@{BERTHS}")));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_posting_is_converted_and_put_back_and_its_holder_may_ask_in_between() {
    let house = House::new(Plan::cloud_only()).await;
    let key = house.cloud_key("t.reyes");
    let writes = async || house.may(&key, "write", "table", &["lake", "raw"]).await;
    assert!(writes().await);
    let chosen = standing(&house, "t.reyes", "tide-writer").await.unwrap();
    let conversion = convert(&house, vec![chosen]).await;
    assert!(!writes().await, "the standing right is gone");
    let asked = house.ask(TOMAS, &on_cloud("tide-writer", "/lake/raw"), 600).await.unwrap();
    house.live(&asked.id).await;
    assert!(writes().await, "it is there on request");
    assert!(!house.may(&key, "write", "table", &["lake", "curated"]).await, "and no wider than asked");
    house.client(TOMAS).give_back(&asked.id).await.unwrap();
    house.over(&asked.id).await;
    house.client(MARA).undo_conversion(&conversion).await.unwrap();
    settled(&house, &conversion).await;
    assert!(writes().await, "the undo put it back");
    let twice = house.client(MARA).undo_conversion(&conversion).await.unwrap_err();
    assert!(twice.to_string().contains("was undone at"), "{twice}");
    let refused = house.ask(TOMAS, &on_cloud("tide-writer", "/lake/raw"), 600).await.unwrap_err();
    assert_eq!(refused.code(), Some("not-allowed"), "with the undo the eligibility went too");
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_restored_backup_does_not_know_is_found_on_its_target_and_ended() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let backup = house.path().join("yesterday");
    assert!(house.setup.run(&["backup", &backup.to_string_lossy()]).unwrap().status.success());
    let since = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 3600).await.unwrap();
    house.live(&since.id).await;
    assert_eq!(house.cloud_marks().await, 1);
    house.service.stop().unwrap();
    assert!(house.setup.run(&["restore", &backup.to_string_lossy()]).unwrap().status.success());
    house.start_again(&[]);
    eventually("the unexplained posting is ended", async || house.cloud_marks().await == 0).await;
    // Mara's sign-in of before the backup still holds.
    eventually("its alarm settles", async || {
        let alarms = house.client(MARA).alarms().await.unwrap();
        alarms.iter().any(|alarm| alarm.kind == "stray" && alarm.settled.is_some())
    })
    .await;
    let fresh = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
    assert_eq!(fresh.id, "E11001", "references skip ahead, so that none is used twice");
    house.live(&fresh.id).await;
    let (well, text) = house.rebuild();
    assert!(well && text.contains("epoch 2 began"), "{text}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_right_taken_away_behind_our_back_is_an_alarm() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let held = house.ask(TOMAS, &on_cloud("tide-writer", "/lake/raw"), 600).await.unwrap();
    house.live(&held.id).await;
    let broker = house.cloud_key("tempestas-broker");
    let all = house.cloud(&broker, "/postings", None).await;
    let ours = |posting: &&serde_json::Value| posting["note"].as_str().unwrap().starts_with("tempestas/");
    let key = all["items"].as_array().unwrap().iter().find(ours).unwrap()["key"].as_str().unwrap().to_owned();
    let url = format!("{}/postings/{key}", house.brightwater.address);
    reqwest::Client::new().delete(url).bearer_auth(&broker).send().await.unwrap();
    let missing = async || {
        let alarms = house.client(MARA).alarms().await.unwrap();
        alarms.iter().any(|alarm| alarm.kind == "missing" && alarm.settled.is_none())
    };
    eventually("it is noticed", missing).await;
    let shown = house.client(TOMAS).elevation(&held.id, &WaitQuery::default()).await.unwrap().elevation;
    assert!(shown.trouble.unwrap().contains("somebody took it away there"));
    house.client(TOMAS).give_back(&held.id).await.unwrap();
    house.over(&held.id).await;
    assert!(!missing().await, "with its end the alarm settles");
}
