//! What somebody who may sign in to a real cluster tries against us: locks that hold up an end, names that we would look
//! up, signs of life that aren't ours. Judged by who can do what afterwards.

#![expect(clippy::unwrap_used, reason = "tests")]

use std::{os::unix::fs::PermissionsExt as _, time::Duration};

use jiff::{SignedDuration, Timestamp};
use secrecy::SecretString;
use tempestas_core::{Connector, ScopeId};
use tempestas_demo::{
    cluster::{self, Cluster, free_port},
    seed::{self, BROKER, random_word},
};
use tempestas_targets::{GrantCall, Place, Target, TargetError};
use tokio_postgres::Client;

/// The two ways to run the broker.
const BROKERS: [&str; 2] = ["SUPERUSER", "CREATEROLE"];
/// An ordinary login of the sample cluster, made with a password for these tests.
const FRIEND: &str = "ikowal";
/// Longest that a cluster takes to end what is due.
const WITHIN: SignedDuration = SignedDuration::from_secs(2);

struct Port {
    target: Target,
    cluster: Cluster,
    root: Client,
    _directory: tempfile::TempDir,
}

impl Port {
    async fn new(broker_power: &str) -> Self {
        let directory = tempfile::tempdir().unwrap();
        std::fs::set_permissions(directory.path(), std::fs::Permissions::from_mode(0o711)).unwrap();
        let word = random_word();
        let cluster = Cluster::start(&directory.path().join("postgres"), free_port().unwrap(), &word).unwrap();
        seed::cluster(&cluster, broker_power, &word).await.unwrap();
        let root = cluster.connect("postgres").await.unwrap();
        let friend = format!(
            "GRANT pg_signal_backend, pg_monitor TO {BROKER};
             DROP ROLE IF EXISTS {FRIEND}; CREATE ROLE {FRIEND} LOGIN PASSWORD '{FRIEND}'"
        );
        root.batch_execute(&friend).await.unwrap();
        let target = target(cluster.port, &word, false);
        Self { target, cluster, root, _directory: directory }
    }

    async fn friend(&self, database: &str) -> Client {
        cluster::connect(self.cluster.port, FRIEND, FRIEND, database).await.unwrap()
    }

    /// A live grant, and a session of its login.
    async fn given(&self, number: u64, role: &str, seconds: i64) -> (GrantCall, Client) {
        let call = call(number, role, seconds);
        self.target.give(&call).await.unwrap();
        assert!(self.target.holds(&call).await.unwrap().there);
        let session = self.sign_in(&call).await.unwrap();
        (call, session)
    }

    async fn sign_in(&self, call: &GrantCall) -> anyhow::Result<Client> {
        let password = random_word();
        let login = self.target.login(call, SecretString::from(password.clone())).await?;
        let login = login.unwrap();
        cluster::connect(self.cluster.port, &login.user, &password, "berths").await
    }

    /// What is left of a grant's power, by the cluster's own catalogues.
    async fn left_of(&self, call: &GrantCall) -> Vec<String> {
        let left = "SELECT 'signs in' FROM pg_roles WHERE rolname = $1 AND rolcanlogin
                    UNION ALL SELECT 'a session' FROM pg_stat_activity WHERE usename = $1
                    UNION ALL SELECT 'member of ' || p.rolname FROM pg_auth_members m JOIN pg_roles p ON p.oid = m.roleid
                        JOIN pg_roles h ON h.oid = m.member WHERE h.rolname = $1";
        self.root.query(left, &[&call.name]).await.unwrap().iter().map(|row| row.get(0)).collect()
    }

    /// Waits until nothing but `most` is left; returns how long after the end that was.
    async fn ended(&self, call: &GrantCall, most: &[&str]) -> SignedDuration {
        loop {
            let left = self.left_of(call).await;
            let late = Timestamp::now().duration_since(call.until);
            if left.iter().all(|what| most.contains(&what.as_str())) {
                return late;
            }
            assert!(late < WITHIN, "{late} after its end there is still {left:?}");
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    }

    async fn is_superuser(&self, who: &str) -> bool {
        let sql = "SELECT rolsuper FROM pg_roles WHERE rolname = $1";
        self.root.query_one(sql, &[&who]).await.unwrap().get(0)
    }
}

fn target(port: u16, password: &str, own_login: bool) -> Target {
    let connector = Connector::Postgres {
        host: "127.0.0.1".to_owned(),
        port,
        user: BROKER.to_owned(),
        database: "tempestas".to_owned(),
        own_login,
    };
    let place = Place { connector: &connector, scope: ScopeId(1), installation: "quillhaven", programs: &[] };
    Target::with_secret(&place, SecretString::from(password.to_owned())).unwrap().unwrap()
}

fn call(number: u64, role: &str, seconds: i64) -> GrantCall {
    let now = Timestamp::now();
    GrantCall {
        grant: number,
        attempt: now.as_microsecond(),
        name: format!("tp{number}{}", random_word()),
        role: role.to_owned(),
        part: Vec::new(),
        account: None,
        opened_at: now,
        until: now.checked_add(SignedDuration::from_secs(seconds)).unwrap(),
    }
}

/// What a holder, or a friend of theirs, leaves open; `{me}` is the grant's own login.
const HOLDS_UP: [(&str, &str); 8] = [
    ("the row of one's own role", "BEGIN; ALTER ROLE CURRENT_USER PASSWORD 'x'"),
    ("the row, under a savepoint", "BEGIN; SAVEPOINT a; ALTER ROLE CURRENT_USER PASSWORD 'x'; RELEASE a"),
    ("a settings change in flight", "BEGIN; ALTER ROLE CURRENT_USER SET search_path = hidden"),
    ("a catalogue", "BEGIN; LOCK TABLE pg_auth_members IN ACCESS SHARE MODE; SELECT * FROM pg_roles"),
    ("advisory locks", "SELECT pg_advisory_lock(7436213), pg_advisory_lock(7436214)"),
    ("its own objects", "BEGIN; CREATE TEMPORARY TABLE mine (x int); LOCK TABLE mine IN ACCESS EXCLUSIVE MODE"),
    ("work that never ends", "BEGIN; ALTER ROLE CURRENT_USER PASSWORD 'x'; DECLARE c CURSOR FOR SELECT 1"),
    ("an open grant to oneself", "BEGIN; CREATE TEMPORARY TABLE mine (x int); GRANT SELECT ON mine TO {me}"),
];

#[tokio::test(flavor = "multi_thread")]
async fn no_lock_that_a_holder_takes_holds_up_an_end_there() {
    for power in BROKERS {
        let port = Port::new(power).await;
        let mut held = Vec::new();
        for (n, (what, sql)) in HOLDS_UP.into_iter().enumerate() {
            let (call, holder) = port.given(n as u64 * 2, "harbour_operator", 12).await;
            let (beside, bystander) = port.given(n as u64 * 2 + 1, "harbour_operator", 12).await;
            holder.batch_execute(&sql.replace("{me}", &call.name)).await.unwrap();
            held.push((what, [call, beside], [holder, bystander]));
        }
        // By the cluster alone; nobody of ours calls it meanwhile.
        for (what, calls, _) in &held {
            for call in calls {
                let late = port.ended(call, &[]).await;
                println!("{power}: {what}: all of it gone {} ms after the end", late.as_millis());
            }
        }
        for (what, calls, _) in &held {
            for call in calls {
                port.target.take(call).await.unwrap_or_else(|error| panic!("{what}: {error}"));
                assert!(!port.target.holds(call).await.unwrap().there, "{what}");
                let found = port.target.leftovers(call).await.unwrap();
                assert!(found.iter().all(|one| !one.alarming), "{what}: {found:?}");
            }
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn no_lock_holds_up_what_is_taken_back_early_nor_what_is_given_meanwhile() {
    for power in BROKERS {
        let port = Port::new(power).await;
        for (n, (what, sql)) in HOLDS_UP.into_iter().enumerate() {
            let (held, holder) = port.given(n as u64 * 2, "harbour_operator", 600).await;
            holder.batch_execute(&sql.replace("{me}", &held.name)).await.unwrap();
            let began = Timestamp::now();
            let (other, _session) = port.given(n as u64 * 2 + 1, "harbour_operator", 600).await;
            port.target.take(&held).await.unwrap_or_else(|error| panic!("{what}: {error}"));
            let took = Timestamp::now().duration_since(began);
            assert!(took < WITHIN, "{power}: {what} held up for {took}");
            assert_eq!(port.left_of(&held).await, Vec::<String>::new(), "{what}");
            port.target.take(&other).await.unwrap();
        }
        // Others hold on to the grant's role: with an open privilege on a thing of theirs, in another session.
        let (held, _holder) = port.given(100, "harbour_operator", 600).await;
        let friend = port.friend("berths").await;
        let hold = format!(
            "CREATE TEMPORARY TABLE theirs (x int); BEGIN; GRANT SELECT ON theirs TO {}; SELECT pg_backend_pid()",
            held.name
        );
        friend.batch_execute(&hold).await.unwrap();
        port.target.take(&held).await.unwrap();
        let found = port.target.leftovers(&held).await.unwrap();
        // Their transaction would never end by itself: it was ended for that, and the role is gone.
        assert!(friend.simple_query("SELECT 1").await.is_err(), "{power}: whoever keeps the role is still there");
        let kept = port.root.query("SELECT FROM pg_roles WHERE rolname = $1", &[&held.name]).await.unwrap();
        assert!(kept.is_empty(), "{power}: the role is still there");
        assert!(found.iter().all(|one| !one.alarming), "{found:?}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn no_lock_holds_up_the_end_of_what_is_to_go_on_and_what_moves_ends_at_its_later_end() {
    for power in BROKERS {
        let port = Port::new(power).await;
        let mut held = Vec::new();
        for (n, (what, sql)) in HOLDS_UP.into_iter().enumerate() {
            let (call, holder) = port.given(n as u64, "harbour_operator", 10).await;
            holder.batch_execute(&sql.replace("{me}", &call.name)).await.unwrap();
            held.push((what, call, holder));
        }
        let longer = |call: &GrantCall, attempt| GrantCall {
            attempt: call.attempt + attempt,
            until: call.until.checked_add(SignedDuration::from_secs(2)).unwrap(),
            ..call.clone()
        };
        let mut ends = Vec::new();
        for (what, call, _) in &held {
            let began = Timestamp::now();
            let moved = port.target.prolong(&longer(call, 1)).await.is_ok_and(|back| back.there);
            assert!(
                Timestamp::now().duration_since(began) < SignedDuration::from_secs(1),
                "{power}: {what} held it up"
            );
            ends.push(if moved { longer(call, 1) } else { call.clone() });
        }
        assert!(ends.iter().zip(&held).any(|(end, (_, call, _))| end.until > call.until), "{power}: nothing moved");
        // By the cluster alone: at the later end where it moved, at the first where it didn't.
        for (end, (what, call, _)) in ends.iter().zip(&held) {
            let late = port.ended(end, &[]).await;
            println!("{power}: {what}: moved {}, gone {} ms after its end", end.until > call.until, late.as_millis());
            assert_eq!(
                port.target.prolong(&longer(call, 2)).await,
                Err(TargetError::Late),
                "{what}: what ended goes on"
            );
            port.target.take(end).await.unwrap_or_else(|error| panic!("{what}: {error}"));
            assert_eq!(port.target.prolong(&longer(call, 3)).await, Err(TargetError::Late));
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_holder_prepared_is_rolled_back_and_gives_nothing_meanwhile() {
    for power in BROKERS {
        let port = Port::new(power).await;
        let (held, holder) = port.given(1, "harbour_operator", 4).await;
        let (beside, _bystander) = port.given(2, "harbour_operator", 4).await;
        let prepare = "BEGIN; ALTER ROLE CURRENT_USER PASSWORD 'x'; PREPARE TRANSACTION 'kept'";
        holder.batch_execute(prepare).await.unwrap();
        // The cluster alone can't roll it back; what is left is a login with no power, whose time has passed.
        port.ended(&held, &["signs in"]).await;
        port.ended(&beside, &[]).await;
        port.target.take(&held).await.unwrap();
        assert_eq!(port.left_of(&held).await, Vec::<String>::new());
        let prepared: i64 = port.root.query_one("SELECT count(*) FROM pg_prepared_xacts", &[]).await.unwrap().get(0);
        assert_eq!(prepared, 0);
        assert!(port.target.leftovers(&held).await.unwrap().iter().all(|one| !one.alarming));
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn only_our_own_role_can_say_that_time_is_kept() {
    for power in BROKERS {
        let port = Port::new(power).await;
        // Somebody is there before us, with every lock and name that could be taken for a sign of life.
        let mut others = Vec::new();
        for database in ["berths", "postgres", "tempestas"] {
            let other = port.friend(database).await;
            let lock = "SELECT pg_advisory_lock(7436213), pg_advisory_lock(7436214);
                        SET application_name = 'tempestas keep_time'";
            other.batch_execute(lock).await.unwrap();
            others.push(other);
        }
        let (_held, _session) = port.given(1, "harbour_operator", 600).await;
        let keeper =
            "SELECT a.pid FROM pg_stat_activity a WHERE a.usename = $1 AND a.query LIKE 'CALL tempestas.keep_time%'";
        let keepers = port.root.query(keeper, &[&BROKER]).await.unwrap();
        assert_eq!(keepers.len(), 1, "{power}: nothing keeps time");
        others[2]
            .batch_execute("UPDATE tempestas.timekeeper SET beat = 'infinity'")
            .await
            .expect_err("it may be written");

        // Without it nothing reads as in force, and it is started again.
        let (held, _session) = port.given(2, "harbour_operator", 600).await;
        port.root.query("SELECT pg_terminate_backend($1)", &[&keepers[0].get::<_, i32>(0)]).await.unwrap();
        let until = Timestamp::now().checked_add(SignedDuration::from_secs(5)).unwrap();
        let error = loop {
            if let Err(error) = port.target.holds(&held).await {
                break error;
            }
            assert!(Timestamp::now() < until, "{power}: it still reads as in force");
            tokio::time::sleep(Duration::from_millis(20)).await;
        };
        assert!(error.to_string().contains("doesn't run"), "{error}");
        port.target.keep_time().await.unwrap();
        assert!(port.target.holds(&held).await.unwrap().there);
    }
}

/// What somebody with a schema of their own puts where a careless query would look: under the broker's name, in `public`,
/// and in every path that they can set.
fn planted(schema: &str) -> String {
    let body = "LANGUAGE plpgsql AS $$ BEGIN INSERT INTO caught.ran VALUES (current_user); EXECUTE 'ALTER ROLE ikowal SUPERUSER';";
    let mut sql = format!("CREATE SCHEMA IF NOT EXISTS {schema}; GRANT USAGE ON SCHEMA {schema} TO PUBLIC;");
    for (name, arguments, returns) in [
        ("format", "text, bigint", "text"),
        ("format", "text, text", "text"),
        ("lower", "text", "text"),
        ("count", "text", "bigint"),
        ("array_to_string", "text[], unknown", "text"),
        ("has_database_privilege", "oid, text", "boolean"),
        ("has_database_privilege", "oid, unknown", "boolean"),
        ("pg_stat_file", "unknown", "text"),
        ("edition", "", "int"),
        ("clock_timestamp", "", "timestamptz"),
        ("current_database", "", "name"),
        ("aclexplode", "aclitem[]", "text"),
    ] {
        let value = match returns {
            "boolean" => "true",
            "int" | "bigint" => "4",
            "timestamptz" => "now()",
            _ => "'x'",
        };
        if !arguments.contains("unknown") {
            sql += &format!(
                "CREATE FUNCTION {schema}.{name}({arguments}) RETURNS {returns} {body} RETURN {value}; END $$;"
            );
        }
    }
    sql += &format!("CREATE FUNCTION {schema}.same(name, text) RETURNS boolean {body} RETURN true; END $$;");
    sql += &format!("CREATE FUNCTION {schema}.same(name, name) RETURNS boolean {body} RETURN true; END $$;");
    sql += &format!("CREATE FUNCTION {schema}.same(oid, oid) RETURNS boolean {body} RETURN true; END $$;");
    sql += &format!("CREATE FUNCTION {schema}.joined(text, text) RETURNS text {body} RETURN 'x'; END $$;");
    for (operator, function, left, right) in [
        ("=", "same", "name", "text"),
        ("=", "same", "oid", "oid"),
        ("=", "same", "name", "name"),
        ("<>", "same", "name", "text"),
        ("||", "joined", "text", "text"),
    ] {
        sql += &format!(
            "CREATE OPERATOR {schema}.{operator} (FUNCTION = {schema}.{function}, LEFTARG = {left}, RIGHTARG = {right});"
        );
    }
    // Tables and views under the names of catalogues, and a type with a cast that a comparison could fall into.
    sql += &format!("CREATE VIEW {schema}.pg_roles AS SELECT 'x'::text AS rolname, 0::oid AS oid;");
    sql += &format!("CREATE TYPE {schema}.tide AS (level text);");
    sql += &format!("CREATE FUNCTION {schema}.tide_of(text) RETURNS {schema}.tide {body} RETURN ROW('x'); END $$;");
    sql += &format!("CREATE CAST (text AS {schema}.tide) WITH FUNCTION {schema}.tide_of(text) AS IMPLICIT;");
    sql
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_that_others_put_into_a_database_runs_as_us() {
    for power in BROKERS {
        let port = Port::new(power).await;
        for database in ["berths", "postgres", "tempestas"] {
            port.root.batch_execute(&format!("GRANT CREATE ON DATABASE {database} TO {FRIEND}")).await.unwrap();
            let root = port.cluster.connect(database).await.unwrap();
            root.batch_execute(&format!("GRANT CREATE ON SCHEMA public TO {FRIEND}")).await.unwrap();
            let friend = port.friend(database).await;
            let caught =
                "CREATE SCHEMA caught; CREATE TABLE caught.ran (who text); GRANT USAGE ON SCHEMA caught TO PUBLIC;
                          GRANT INSERT ON caught.ran TO PUBLIC";
            friend.batch_execute(caught).await.unwrap();
            for schema in [BROKER, "public", "hidden"] {
                friend.batch_execute(&planted(schema)).await.unwrap_or_else(|error| panic!("{schema}: {error:?}"));
            }
        }
        // Whoever owns a database decides what its sessions begin with.
        port.root.batch_execute(&format!("ALTER DATABASE berths OWNER TO {FRIEND}")).await.unwrap();
        let owner = port.friend("berths").await;
        for setting in [
            "search_path = hidden, public, pg_catalog",
            "default_transaction_read_only = on",
            "idle_session_timeout = 1",
        ] {
            owner.batch_execute(&format!("ALTER DATABASE berths SET {setting}")).await.unwrap();
        }
        port.target.survey().await.unwrap();
        port.target.check().await.unwrap();
        let (held, session) = port.given(1, "harbour_dba", 600).await;
        drop(session);
        let place = GrantCall {
            role: "create-in".to_owned(),
            part: vec!["berths".to_owned(), "public".to_owned()],
            ..call(2, "", 600)
        };
        // Where it may not, it says so; what matters is what ran.
        let _ = port.target.give(&place).await;
        let _ = port.target.holds(&place).await;
        for call in [&held, &place] {
            port.target.take(call).await.unwrap();
            port.target.leftovers(call).await.unwrap();
        }
        port.target.marked().await.unwrap();
        assert!(!port.is_superuser(FRIEND).await, "{power}: an ordinary login became superuser");
        // What was set there ends our own looking too.
        port.root.batch_execute("ALTER DATABASE berths RESET ALL").await.unwrap();
        for database in ["berths", "postgres", "tempestas"] {
            let sql = port.cluster.connect(database).await.unwrap();
            let ran: i64 = sql.query_one("SELECT count(*) FROM caught.ran", &[]).await.unwrap().get(0);
            assert_eq!(ran, 0, "{power}: something that others put into {database} ran");
        }
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_schema_of_our_name_that_others_made_or_added_to_is_never_called() {
    for power in BROKERS {
        let port = Port::new(power).await;
        port.root.batch_execute(&format!("GRANT CREATE ON DATABASE tempestas TO {FRIEND}")).await.unwrap();
        let friend = port.friend("tempestas").await;
        let made = "CREATE SCHEMA tempestas; CREATE TABLE tempestas.ran (who text); GRANT ALL ON SCHEMA tempestas TO PUBLIC;
                    GRANT ALL ON tempestas.ran TO PUBLIC;
                    CREATE FUNCTION tempestas.edition() RETURNS int LANGUAGE plpgsql AS $$
                    BEGIN INSERT INTO tempestas.ran VALUES (current_user); EXECUTE 'ALTER ROLE ikowal SUPERUSER'; RETURN 99; END $$";
        friend.batch_execute(made).await.unwrap();
        let refused = port.target.survey().await.unwrap_err();
        assert!(refused.to_string().contains("somebody else"), "{refused}");
        let ran: i64 = friend.query_one("SELECT count(*) FROM tempestas.ran", &[]).await.unwrap().get(0);
        assert_eq!(ran, 0);
        assert!(!port.is_superuser(FRIEND).await);
        friend.batch_execute("DROP SCHEMA tempestas CASCADE").await.unwrap();
        port.target.survey().await.unwrap();

        // Ours, and somebody let others in.
        let root = port.cluster.connect("tempestas").await.unwrap();
        root.batch_execute(&format!("GRANT CREATE, USAGE ON SCHEMA tempestas TO {FRIEND}")).await.unwrap();
        let word = random_word();
        root.batch_execute(&format!("ALTER ROLE {BROKER} PASSWORD '{word}'")).await.unwrap();
        let anew = target(port.cluster.port, &word, false);
        let refused = anew.survey().await.unwrap_err();
        assert!(refused.to_string().contains("somebody else"), "{refused}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_holder_of_much_power_hands_on_is_found_and_its_sessions_end() {
    let port = Port::new("SUPERUSER").await;
    port.root
        .batch_execute("CREATE ROLE quay_clerk LOGIN PASSWORD 'clerk'; CREATE ROLE tide_clerk LOGIN")
        .await
        .unwrap();
    let friend = port.friend("berths").await;
    let clerk = cluster::connect(port.cluster.port, "quay_clerk", "clerk", "berths").await.unwrap();
    let bystander = cluster::connect(port.cluster.port, BROKER, "", "berths").await;
    assert!(bystander.is_err(), "nobody signs in as the broker");
    let (held, holder) = port.given(1, "CREATEROLE", 600).await;
    let (other, _theirs) = port.given(2, "harbour_operator", 600).await;
    for handed in [
        format!("GRANT berth_writer TO {FRIEND}"),
        "ALTER ROLE quay_clerk PASSWORD 'known by now'".to_owned(),
        "ALTER ROLE tide_clerk CREATEDB".to_owned(),
        "CREATE ROLE second LOGIN".to_owned(),
        // Through another grant that is live: it is one of ours, and has more than it was given.
        format!("GRANT berth_writer TO {}", other.name),
    ] {
        holder.batch_execute(&handed).await.unwrap_or_else(|error| panic!("{handed}: {error:?}"));
    }
    port.target.take(&held).await.unwrap();
    let found: Vec<String> =
        port.target.leftovers(&held).await.unwrap().into_iter().map(|leftover| leftover.what).collect();
    for expected in [
        format!("membership of `{FRIEND}` in `berth_writer`"),
        format!("membership of `{}` in `berth_writer`", other.name),
        "the login `quay_clerk`, whose password".to_owned(),
        "what `tide_clerk` may do by itself".to_owned(),
        "the login role `second`".to_owned(),
        "open session(s)".to_owned(),
    ] {
        assert!(found.iter().any(|what| what.contains(&expected)), "{expected} is not among {found:?}");
    }
    friend.batch_execute("SELECT 1").await.expect_err("a session with power handed on goes on");
    clerk.batch_execute("SELECT 1").await.expect_err("a session of a login whose password is known goes on");

    // Of an ordinary grant nobody's session is ended: none of that can have come by it.
    let friend = port.friend("berths").await;
    let (held, _holder) = port.given(3, "harbour_operator", 600).await;
    port.root.batch_execute(&format!("GRANT harbour_operator TO {FRIEND}")).await.unwrap();
    port.target.take(&held).await.unwrap();
    let found = port.target.leftovers(&held).await.unwrap();
    assert!(found.iter().any(|one| one.what.contains(FRIEND)), "{found:?}");
    friend.batch_execute("SELECT 1").await.unwrap();
}
