//! Operating: one instance, newer databases, keys that rotate, recovery, draining, a configuration that is checked.

use base64::{Engine as _, engine::general_purpose::STANDARD};
use sqlx::{ConnectOptions as _, sqlite::SqliteConnectOptions};
use tempestas_demo::{codes::next_code, processes::program, seed};

use crate::house::{House, MARA, Plan, TOMAS, eventually, on_cloud};

fn printed(output: &std::process::Output) -> String {
    String::from_utf8_lossy(&output.stdout).into_owned() + String::from_utf8_lossy(&output.stderr).as_ref()
}

#[tokio::test(flavor = "multi_thread")]
async fn one_directory_serves_one_instance_and_a_foreign_writer_stops_it() {
    let mut house = House::new(Plan::cloud_only()).await;
    let second = house.setup.run(&["recover", MARA]).unwrap();
    assert!(
        !second.status.success() && printed(&second).contains("another tempestasd works in"),
        "{}",
        printed(&second)
    );
    let database = house.setup.state().join("tempestas.sqlite");
    let mut foreign = SqliteConnectOptions::new().filename(&database).connect().await.unwrap();
    sqlx::query("UPDATE rows SET body = body || ' '").execute(&mut foreign).await.unwrap();
    // The next commit notices, and nothing is answered for that could be lost.
    house.client(MARA).sign_out().await.unwrap_err();
    house.service.wait_for_end(std::time::Duration::from_secs(20)).unwrap();
    let log = std::fs::read_to_string(house.setup.log()).unwrap();
    assert!(log.contains("something else wrote to the database"), "{log}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_database_of_a_newer_program_is_refused() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.service.stop().unwrap();
    let database = house.setup.state().join("tempestas.sqlite");
    let mut connection = SqliteConnectOptions::new().filename(&database).connect().await.unwrap();
    let newer = "INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) VALUES (99, 'later', 1, x'00', 0)";
    sqlx::query(newer).execute(&mut connection).await.unwrap();
    drop(connection);
    let refused = house.setup.start(&[]).err().unwrap().to_string();
    assert!(refused.contains("written by a newer tempestasd (schema 99, this program knows 9)"), "{refused}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_backup_is_made_before_the_schema_changes() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.service.stop().unwrap();
    let database = house.setup.state().join("tempestas.sqlite");
    let mut connection = SqliteConnectOptions::new().filename(&database).connect().await.unwrap();
    // As if an older program had written it; the change then fails, since its tables are there.
    sqlx::query("DELETE FROM _sqlx_migrations").execute(&mut connection).await.unwrap();
    drop(connection);
    let refused = house.setup.start(&[]).err().unwrap().to_string();
    assert!(refused.contains("the backup made before is beside it"), "{refused}");
    let backup = house.setup.state().join("before-schema-9.sqlite");
    let mut backup = SqliteConnectOptions::new().filename(backup).read_only(true).connect().await.unwrap();
    let facts: i64 = sqlx::query_scalar("SELECT count(*) FROM facts").fetch_one(&mut backup).await.unwrap();
    assert!(facts > 50, "the backup holds {facts} facts");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_store_of_the_schema_before_is_brought_up_to_date_with_a_backup_beside_it() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.service.stop().unwrap();
    let database = house.setup.state().join("tempestas.sqlite");
    let mut connection = SqliteConnectOptions::new().filename(&database).connect().await.unwrap();
    let passing = house.setup.state().join("passing.sqlite");
    sqlx::query("ATTACH ?1 AS passing")
        .bind(passing.to_string_lossy().into_owned())
        .execute(&mut connection)
        .await
        .unwrap();
    let first = include_str!("../../../store/migrations/0001_first.sql").split_once("-- Passing").unwrap().1;
    let tables = first.split_once('\n').unwrap().1;
    for undo in [
        "DROP TABLE enrolments",
        tables,
        "INSERT INTO sign_ins SELECT id, token, person, address, began_at, used_at, proven_at FROM passing.sign_ins",
        "INSERT INTO totp_steps SELECT person, step FROM passing.totp_steps",
        "DETACH passing",
        "DROP TABLE passkeys",
        "DROP TABLE entries",
        "INSERT INTO rows SELECT 'elevation', CAST(id AS TEXT), body FROM past_elevations",
        "INSERT INTO rows SELECT 'grant', CAST(id AS TEXT), body FROM past_grants",
        "INSERT INTO rows SELECT 'demand', CAST(elevation AS TEXT), body FROM past_demands",
        "PRAGMA user_version = 0",
        "DROP TABLE past_demands",
        "DROP TABLE past_elevations",
        "DROP TABLE past_grants",
        "DROP TABLE past_approvers",
        "DROP TABLE past_answers",
        "INSERT INTO past_texts SELECT * FROM texts",
        "DROP TABLE texts",
        "ALTER TABLE past_texts RENAME TO texts",
        "DELETE FROM _sqlx_migrations WHERE version >= 2",
    ] {
        sqlx::raw_sql(sqlx::AssertSqlSafe(undo.to_owned())).execute(&mut connection).await.unwrap();
    }
    drop(connection);
    for end in ["", "-wal", "-shm"] {
        let _ = std::fs::remove_file(house.setup.state().join(format!("passing.sqlite{end}")));
    }
    house.start_again(&[]);
    assert!(house.setup.state().join("before-schema-9.sqlite").exists());
    assert_eq!(house.client(TOMAS).me().await.unwrap().name, TOMAS, "sign-ins go on as they were");
}

#[tokio::test(flavor = "multi_thread")]
async fn secrets_move_to_a_new_master_key_and_the_old_one_is_needed_no_more() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.service.stop().unwrap();
    let file = house.path().join("master.key");
    let old = std::fs::read_to_string(&file).unwrap();
    let new = format!("k2:{}\n", STANDARD.encode([42; 32]));
    std::fs::write(&file, format!("{new}{old}")).unwrap();
    let output = house.setup.run(&["rotate-key"]).unwrap();
    assert!(output.status.success() && printed(&output).contains("anew under k2"), "{}", printed(&output));
    std::fs::write(&file, &new).unwrap();
    house.start_again(&[]);
    house.token(TOMAS).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let asked = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
    house.live(&asked.id).await;
    house.service.stop().unwrap();
    std::fs::write(&file, old).unwrap();
    let refused = house.setup.start(&[]).err().unwrap().to_string();
    assert!(refused.contains("sealed under the master key k2, which is not there"), "{refused}");

    // The same key handed over by systemd instead of a file.
    std::fs::write(house.path().join("handed-over"), &new).unwrap();
    let config = std::fs::read_to_string(house.setup.config()).unwrap();
    let by_file = format!("file = \"{}\"", file.display());
    std::fs::write(house.setup.config(), config.replace(&by_file, "credential = \"handed-over\"")).unwrap();
    let refused = house.setup.start(&[]).err().unwrap().to_string();
    assert!(refused.contains("systemd handed no credentials over"), "{refused}");
    let handed = house.path().display().to_string();
    house.start_again(&[("CREDENTIALS_DIRECTORY", &handed)]);
    house.token(TOMAS).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn recovery_on_the_machine_is_loud_and_holds_its_answers_back_for_a_day() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.service.stop().unwrap();
    let output = house.setup.run(&["recover", "nobody.known"]).unwrap();
    assert!(printed(&output).contains("there is nobody named `nobody.known`"));
    let output = house.setup.run(&["recover", MARA]).unwrap();
    assert!(output.status.success(), "{}", printed(&output));
    let secret = String::from_utf8(output.stdout).unwrap().trim().to_owned();
    house.start_again(&[]);
    let person = seed::enrol(house.client("nobody"), "administrator", &secret).await.unwrap();
    std::fs::remove_file(house.path().join(format!("step-{MARA}"))).unwrap();
    let code = next_code(house.path(), MARA, &person.totp_secret).unwrap();
    let token = house.try_sign_in(MARA, &person.password, &code).await.unwrap();
    let mara = house.client("nobody").with_token(token);
    let alarms = mara.alarms().await.unwrap();
    assert_eq!(alarms[0].kind, "recovered");
    mara.settle_alarm(&alarms[0].id).await.unwrap();
    // Tomas's eligibility without terms of its own needs a yes of an administrator: Mara's does not count today.
    let rule = "scope = \"/analytics/brightwater\"\nasker = \"tomas.reyes\"\n[settings.approval]\nis = \"stage\"\napprovers = [\"mara.lindqvist\"]\nyes = 1\nno = 1\nwithin = 600\n";
    mara.add_terms(&toml::from_str(rule).unwrap()).await.unwrap();
    let right = on_cloud("tide-writer", "/lake");
    let new = tempestas_api::NewEligibility::for_good(TOMAS, &right);
    mara.give_eligibility(&new).await.unwrap();
    let refused = house.ask(TOMAS, &right, 600).await.unwrap_err();
    assert!(refused.to_string().contains("only 0 who may answer are free to answer you"), "{refused}");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_open_request_is_answered_before_the_service_ends() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let asked = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
    house.live(&asked.id).await;
    let client = house.client(TOMAS).clone();
    let wait = tempestas_api::WaitQuery { unlike: Some("live".to_owned()), seconds: Some(2), ..Default::default() };
    let id = asked.id.clone();
    let open = tokio::spawn(async move { client.elevation(&id, &wait).await });
    tokio::task::yield_now().await;
    eventually_open(&house).await;
    house.service.stop().unwrap();
    assert_eq!(open.await.unwrap().unwrap().elevation.state, "live");
    let log = std::fs::read_to_string(house.setup.log()).unwrap();
    assert!(log.contains("draining") && !log.contains("still held the writer"), "it waited for nobody: {log}");
}

/// A second request is answered while the first one waits, so that both have reached the service.
async fn eventually_open(house: &House) {
    for _ in 0..3 {
        house.client(TOMAS).me().await.unwrap();
    }
}

#[test]
fn a_configuration_is_checked_by_command() {
    let directory = tempfile::tempdir().unwrap();
    let path = directory.path().join("tempestas.toml");
    std::fs::write(
        &path,
        "[service]\nlisten = \"192.0.2.1:80\"\nstate = \"x\"\n[master_key]\nfile = \"k\"\n[ledger]\norigin = \"o\"\n",
    )
    .unwrap();
    let run = || {
        std::process::Command::new(program("tempestasd").unwrap())
            .arg("--config")
            .arg(&path)
            .arg("check-config")
            .output()
            .unwrap()
    };
    let output = run();
    assert!(!output.status.success());
    assert!(printed(&output).contains("line 2: 192.0.2.1:80 is beyond loopback"), "{}", printed(&output));
    let text = std::fs::read_to_string(&path).unwrap().replace("192.0.2.1", "127.0.0.1");
    std::fs::write(&path, text).unwrap();
    assert!(run().status.success());
}

#[tokio::test(flavor = "multi_thread")]
async fn a_service_whose_keepers_ended_ends_and_says_so_instead_of_calling_itself_well() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.service.stop().unwrap();
    // It may have said where it listens before it ends.
    let started = house.setup.start(&[("TEMPESTAS_CRASH_AT", "keepers")]);
    if let Ok(mut service) = started {
        service.wait_for_end(std::time::Duration::from_secs(20)).unwrap();
    }
    let log = std::fs::read_to_string(house.setup.log()).unwrap();
    assert!(log.contains("what gives and ends rights on the targets ended"), "{log}");
}

/// Changes one byte of a row or fact, past the service and its count of foreign writers.
async fn change_a_byte(house: &House, sql: &str) {
    let database = house.setup.state().join("tempestas.sqlite");
    let mut connection = SqliteConnectOptions::new().filename(&database).connect().await.unwrap();
    let done = sqlx::query(sqlx::AssertSqlSafe(sql.to_owned())).execute(&mut connection).await.unwrap();
    assert!(done.rows_affected() > 0, "{sql} changed nothing");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_changed_byte_is_found_at_the_start_or_soon_after_and_nothing_critical_opens_meanwhile() {
    let mut house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("harbour-warden", "/reports")).await;
    house.service.stop().unwrap();
    // Somebody makes a right harmless in the rows, and leaves the facts alone.
    change_a_byte(
        &house,
        "UPDATE rows SET body = replace(body, '\"emergency_least\":1', '\"emergency_least\":0') WHERE kind = 'target'",
    )
    .await;
    house.start_again(&[]);
    let mara = house.client(MARA);
    let differs = async || {
        let alarms = mara.alarms().await.unwrap();
        alarms.into_iter().find(|alarm| alarm.kind == "ledger-differs" && alarm.settled.is_none())
    };
    eventually("the difference is an alarm", async || differs().await.is_some()).await;
    let alarm = differs().await.unwrap();
    assert!(alarm.says.contains("tempestasd rebuild --check"), "{}", alarm.says);
    let asked = house.ask(TOMAS, &on_cloud("harbour-warden", "/reports"), 600).await.unwrap();
    let opening = mara.wait_past(&asked.id, &["waiting"], crate::house::SOON).await.unwrap().elevation;
    eventually("it is said why it waits", async || {
        let seen = mara.elevation(&asked.id, &tempestas_api::WaitQuery::default()).await.unwrap().elevation;
        seen.trouble.is_some_and(|why| why.contains("held against the ledger"))
    })
    .await;
    assert_eq!((opening.state.as_str(), house.cloud_marks().await), ("opening", 0));
    // What is not critical goes on; and this too once somebody looked.
    mara.settle_alarm(&alarm.id).await.unwrap();
    house.live(&asked.id).await;

    house.service.stop().unwrap();
    change_a_byte(&house, "UPDATE facts SET body = CAST(replace(CAST(body AS TEXT), '2', '3') AS BLOB) WHERE seq = (SELECT MAX(seq) FROM facts)").await;
    let refused = house.setup.start(&[]).err().unwrap().to_string();
    assert!(refused.contains("was changed") && refused.contains("tempestasd restore"), "{refused}");
}
