//! Lapse without us: the service is dead, and the right ends all the same; what the holder tries meanwhile is
//! prevented, or found.

use serde_json::json;
use tempestas_api::{LoginAsk, TargetSettings};
use tempestas_demo::{cluster, quillhaven::BERTHS};

use crate::house::{House, MARA, ODA, Plan, TOMAS, eventually, on_berths, on_cloud};

/// Waits until the cluster cut a session off, which it does with one after the other; within two seconds of the end.
async fn cut_off(what: &str, sql: &tokio_postgres::Client, until: jiff::Timestamp) {
    while sql.batch_execute("SELECT 1").await.is_ok() {
        let late = jiff::Timestamp::now().duration_since(until);
        assert!(late.as_millis() < 2000, "{what} goes on {late} after its end");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn with_the_service_dead_the_cluster_refuses_new_sign_ins_and_ends_the_open_session() {
    let mut house = House::new(Plan::whole()).await;
    let asked = house.ask(TOMAS, &on_berths("harbour_dba"), 6).await.unwrap();
    house.yes(ODA, &asked.id).await.unwrap();
    let until = house.live(&asked.id).await.elevation.grant.unwrap().until;
    let login = house.client(TOMAS).login(&asked.id, &LoginAsk::default()).await.unwrap();
    let (user, password, port) = (login.user.unwrap(), login.password.unwrap(), house.cluster().port);
    let sql = cluster::connect(port, &user, &password, "berths").await.unwrap();
    house.service.kill();

    // What a holder might try, through a role that may make roles.
    for attempt in [
        "SET ROLE NONE".to_owned(),
        "SET ROLE harbour_dba".to_owned(),
        format!("ALTER ROLE {user} VALID UNTIL 'infinity'"),
        format!("ALTER ROLE {user} CONNECTION LIMIT -1"),
        "CREATE ROLE second LOGIN PASSWORD 'second' IN ROLE harbour_operator".to_owned(),
        "GRANT berth_writer TO second WITH ADMIN OPTION".to_owned(),
        "ALTER ROLE second SET search_path = hidden".to_owned(),
        "RESET ROLE".to_owned(),
        "CREATE TABLE kept AS SELECT * FROM berths".to_owned(),
        "CREATE FUNCTION as_owner() RETURNS int LANGUAGE sql SECURITY DEFINER AS 'SELECT 1'".to_owned(),
        "CREATE FUNCTION again() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN NEW; END'".to_owned(),
        "CREATE TRIGGER again BEFORE INSERT ON kept FOR EACH ROW EXECUTE FUNCTION again()".to_owned(),
        "SELECT lo_create(4711)".to_owned(),
        "GRANT SELECT ON kept TO aosei".to_owned(),
        "ALTER DEFAULT PRIVILEGES GRANT SELECT ON TABLES TO aosei".to_owned(),
    ] {
        sql.batch_execute(&attempt).await.unwrap_or_else(|error| panic!("{attempt}: {error:?}"));
    }
    let refused = sql.batch_execute("ALTER ROLE mlindqvist PASSWORD 'x'").await.unwrap_err();
    assert!(refused.as_db_error().is_some(), "a superuser can't be touched by it");
    let other = cluster::connect(port, &user, &password, "postgres").await.unwrap();
    let temporary = other.batch_execute("CREATE SCHEMA hidden").await;
    assert!(temporary.is_err(), "nobody may make a schema in that database");
    let options = tokio_postgres::Config::new()
        .host("127.0.0.1")
        .port(port)
        .user(&user)
        .password(&password)
        .dbname("berths")
        .options("-c role=none")
        .connect(tokio_postgres::NoTls)
        .await;
    let (unbound, connection) = options.unwrap();
    tokio::spawn(connection);

    // Busy past the end: the cluster itself must cut it off.
    let busy = sql.batch_execute("SELECT pg_sleep(60)").await.unwrap_err();
    let ended = jiff::Timestamp::now();
    assert!(busy.is_closed() || busy.as_db_error().is_some(), "{busy:?}");
    let late = ended.duration_since(until);
    assert!(!late.is_negative() && late.as_millis() < 2000, "ended {late} after its end");
    println!("the open session ended {} ms after the grant's end, with the service dead", late.as_millis());
    cut_off("a session with role=none", &unbound, until).await;
    cut_off("a session in another database", &other, until).await;
    // Sessions end first, so a sign-in in the very moment of that may be let in once more, and is cut off like the others.
    while let Ok(again) = cluster::connect(port, &user, &password, "berths").await {
        cut_off("a session that began at the end", &again, until).await;
    }

    house.start_again(&[]);
    let over = house.over(&asked.id).await;
    assert_eq!(over.elevation.state, "lapsed");
    let found: Vec<String> =
        over.elevation.grant.unwrap().leftovers.unwrap().into_iter().map(|leftover| leftover.what).collect();
    for expected in [
        "the login role `second`",
        "membership of `second` in `harbour_operator`, given",
        "membership of `second` in `berth_writer`, with the right to hand it on",
        "table public.kept in database `berths`",
        "function `public.as_owner()`, which runs with the power of",
        "trigger `again` on `public.kept` in database `berths`",
        "large object 4711",
        "a grant to `aosei` in database `berths`",
        "privileges by default for what",
        "a setting of `second`: search_path",
        "itself: objects hang on it",
    ] {
        assert!(found.iter().any(|what| what.contains(expected)), "{expected} is not among {found:?}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn with_the_service_dead_the_cluster_takes_a_right_from_a_persons_own_login() {
    let mut house = House::new(Plan::whole()).await;
    let target = TargetSettings { target: BERTHS.to_owned(), own_login: Some(true), ..TargetSettings::default() };
    house.set_target(&target).await;
    let port = house.cluster().port;
    let root = house.cluster().connect("berths").await.unwrap();
    root.batch_execute("ALTER ROLE treyes PASSWORD 'berth-and-tide'").await.unwrap();
    let own = async || cluster::connect(port, "treyes", "berth-and-tide", "berths").await.unwrap();
    let before = own().await;
    before.batch_execute("SET ROLE harbour_dba").await.expect_err("it is not held yet");
    let asked = house.ask(TOMAS, &on_berths("harbour_dba"), 6).await.unwrap();
    house.yes(ODA, &asked.id).await.unwrap();
    let until = house.live(&asked.id).await.elevation.grant.unwrap().until;
    let login = house.client(TOMAS).login(&asked.id, &LoginAsk::default()).await.unwrap();
    assert!(login.password.is_none() && login.says.contains("your own login `treyes`"), "{}", login.says);
    let standing = house.client(MARA).standing(&tempestas_api::StandingFilter::default()).await.unwrap();
    assert!(!standing.iter().any(|held| held.role.starts_with("tp")), "a grant of ours shows as a standing right");
    house.service.kill();

    // An old session takes the role on and stays in it; a new one makes things.
    before.batch_execute("SET ROLE harbour_dba").await.unwrap();
    let during = own().await;
    during.batch_execute("SET ROLE harbour_dba; CREATE TABLE kept_by_role AS SELECT * FROM berths").await.unwrap();
    during.batch_execute("RESET ROLE; CREATE TABLE kept_by_login (at timestamptz)").await.unwrap();
    during.batch_execute("SELECT pg_sleep(60)").await.expect_err("it goes on past the end");
    let late = jiff::Timestamp::now().duration_since(until);
    assert!(!late.is_negative() && late.as_millis() < 2000, "ended {late} after its end");
    cut_off("the older session, in the role by now", &before, until).await;
    eventually("a new session lasts", async || own().await.batch_execute("SELECT pg_sleep(0.5)").await.is_ok()).await;
    let after = own().await;
    after.batch_execute("SET ROLE harbour_dba").await.expect_err("the right is still there");
    after.batch_execute("SET ROLE harbour_operator").await.expect("what it holds all the time was touched");

    house.start_again(&[]);
    let over = house.over(&asked.id).await;
    assert_eq!(over.elevation.state, "lapsed");
    let found: Vec<String> =
        over.elevation.grant.unwrap().leftovers.unwrap().into_iter().map(|leftover| leftover.what).collect();
    for expected in [
        "table public.kept_by_role in database `berths`, of `harbour_dba`",
        "table public.kept_by_login in database `berths`, of `treyes`",
    ] {
        assert!(found.iter().any(|what| what.contains(expected)), "{expected} is not among {found:?}");
    }
    let carriers = "SELECT count(*) FROM pg_roles WHERE rolname LIKE 'tp%'";
    assert_eq!(root.query_one(carriers, &[]).await.unwrap().get::<_, i64>(0), 0, "the grant's role is left");
}

#[tokio::test(flavor = "multi_thread")]
async fn with_the_service_dead_brightwater_ends_the_posting_and_what_was_kept_is_shown_afterwards() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("harbour-warden", "/reports")).await;
    let asked = house.ask(TOMAS, &on_cloud("harbour-warden", "/reports"), 4).await.unwrap();
    house.live(&asked.id).await;
    let key = house.cloud_key("t.reyes");
    assert!(house.may(&key, "make", "posting", &["reports"]).await);
    let token =
        house.cloud(&key, "/tokens", Some(json!({ "minutes": 30 }))).await["token"].as_str().unwrap().to_owned();
    let kept = json!({ "identity": "ironquay-service", "role": "tide-writer", "basin": ["reports", "cranes"] });
    house.cloud(&token, "/postings", Some(kept)).await;
    let function = json!({ "name": "tide-clock", "basin": ["reports"], "runs_as": "m.lindqvist" });
    house.cloud(&token, "/functions", Some(function)).await;
    house.service.kill();
    eventually("the posting ends by itself", async || !house.may(&key, "make", "posting", &["reports"]).await).await;
    // The token outlives it, as its lapse says, until somebody ends it.
    assert!(house.may(&token, "make", "posting", &["reports"]).await);
    house.start_again(&[]);
    let over = house.over(&asked.id).await;
    assert!(!house.may(&token, "make", "posting", &["reports"]).await, "the token was ended");
    let found = over.elevation.grant.unwrap().leftovers.unwrap();
    let said: Vec<(&str, bool)> = found.iter().map(|leftover| (leftover.what.as_str(), leftover.ended)).collect();
    assert!(said.iter().any(|(what, ended)| what.starts_with("a token minted") && *ended), "{said:?}");
    let posting = "ironquay-service as tide-writer at /reports/cranes";
    assert!(said.iter().any(|(what, ended)| what.contains(posting) && !ended), "{said:?}");
    let function = "the function tide-clock at /reports made while elevated, which runs as m.lindqvist";
    assert!(said.contains(&(function, false)), "{said:?}");
    // What the token did past the posting's end stands in the cloud's own trail.
    let trail = house.cloud(&house.cloud_key("tempestas-broker"), "/trail", None).await;
    let refused = |entry: &&serde_json::Value| entry["identity"] == "t.reyes" && entry["allowed"] == false;
    assert!(trail["items"].as_array().unwrap().iter().any(|entry| refused(&entry)), "{trail}");
}

#[tokio::test(flavor = "multi_thread")]
async fn overlapping_grants_and_a_standing_right_beside_them_end_separately() {
    let house = House::new(Plan::whole()).await;
    let tomas = house.client(TOMAS);
    // On the cluster: `etan` and `treyes` hold harbour_operator all the time, and go on.
    house.eligible(TOMAS, &on_berths("harbour_operator")).await;
    let mut logins = Vec::new();
    for _ in 0..2 {
        let asked = house.ask(TOMAS, &on_berths("harbour_operator"), 600).await.unwrap();
        house.yes(ODA, &asked.id).await.unwrap();
        house.live(&asked.id).await;
        let login = tomas.login(&asked.id, &LoginAsk::default()).await.unwrap();
        logins.push((asked.id, login.user.unwrap(), login.password.unwrap()));
    }
    let port = house.cluster().port;
    let (first, second) = (&logins[0], &logins[1]);
    tomas.give_back(&first.0).await.unwrap();
    house.over(&first.0).await;
    cluster::connect(port, &first.1, &first.2, "berths").await.expect_err("the first has ended");
    let sql = cluster::connect(port, &second.1, &second.2, "berths").await.unwrap();
    sql.batch_execute("UPDATE berths SET vessel = NULL WHERE name = 'S1'").await.unwrap();
    let root = house.cluster().connect("berths").await.unwrap();
    let standing = "SELECT pg_has_role('treyes', 'harbour_operator', 'MEMBER')";
    tomas.give_back(&second.0).await.unwrap();
    house.over(&second.0).await;
    assert!(root.query_one(standing, &[]).await.unwrap().get::<_, bool>(0), "the standing right was touched");

    // On the cloud: t.reyes holds tide-writer at /lake all the time.
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let (one, two) = (house.ask(TOMAS, &right, 600).await.unwrap(), house.ask(TOMAS, &right, 600).await.unwrap());
    house.live(&one.id).await;
    house.live(&two.id).await;
    assert_eq!(house.cloud_marks().await, 2);
    tomas.give_back(&one.id).await.unwrap();
    house.over(&one.id).await;
    assert_eq!(house.cloud_marks().await, 1);
    tomas.give_back(&two.id).await.unwrap();
    house.over(&two.id).await;
    assert_eq!(house.cloud_marks().await, 0);
    assert!(
        house.may(&house.cloud_key("t.reyes"), "write", "table", &["lake"]).await,
        "the standing right was touched"
    );
    let held = house
        .client(MARA)
        .elevations(&tempestas_api::ElevationFilter { all: true, ended: false, ..Default::default() })
        .await
        .unwrap();
    assert!(held.is_empty());
}
