//! Described targets: by HTTP on the port's gate controllers, by SQL on a cluster, by a program; and bad descriptions.

use std::os::unix::fs::PermissionsExt as _;

use jiff::{SignedDuration, Timestamp};
use serde_json::json;
use tempestas_api::{NewTarget, StandingFilter, WhichTarget};
use tempestas_core::{Connector, LookedAt, ScopeId, Weight};
use tempestas_demo::{daemon, gates, seed::random_word};
use tempestas_targets::{Form, GrantCall, Place, Program, Target, TargetError};

use crate::{
    house::{House, MARA, Plan, TOMAS, eventually, new_cluster},
    targets::given_twice_and_late,
};

fn target(form: &str, secret: &str, programs: &[Program]) -> Target {
    let connector = Connector::Described { form: form.to_owned() };
    let place = Place { connector: &connector, scope: ScopeId(7), installation: "a-test", programs };
    Target::with_secret(&place, secret.to_owned().into()).unwrap().unwrap()
}

fn call(name: &str, role: &str, account: &str, attempt: i64) -> GrantCall {
    let now = Timestamp::now();
    GrantCall {
        grant: 7,
        attempt,
        name: name.to_owned(),
        role: role.to_owned(),
        part: Vec::new(),
        account: Some(account.to_owned()),
        opened_at: now,
        until: now + SignedDuration::from_secs(600),
    }
}

/// Whether the controllers open a gate for somebody.
async fn opens(address: &str, who: &str) -> bool {
    let call = reqwest::Client::new().post(format!("{address}/gates/north/open")).json(&json!({ "who": who }));
    call.send().await.unwrap().status().is_success()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_gate_controllers_are_looked_after_by_a_file_and_a_right_there_lapses_without_us() {
    let mut house = House::new(Plan::cloud_only()).await;
    let key = random_word();
    let controllers = daemon::gates(&house.path().join("gates"), 0, Some(&gates::seed(&key))).unwrap();
    let Connector::Described { form } = gates::connector(&controllers.address) else { unreachable!() };
    given_twice_and_late(&target(&form, &key, &[]), |attempt| call("tpgate", "open", "tomas.reyes", attempt)).await;
    let wrong_key = target(&form, "another", &[]).survey().await.unwrap_err();
    assert_eq!(wrong_key, TargetError::Refused("status 403".to_owned()));

    let mara = house.client(MARA);
    let new = |name: &str, form: &str| NewTarget {
        parent: "/harbour".to_owned(),
        name: name.to_owned(),
        connector: Connector::Described { form: form.to_owned() },
        secret: key.clone(),
        emergency_least: 1,
        alarm_after: 30,
    };
    let path = mara.add_target(&new("gates", &form)).await.unwrap().path;
    let which = WhichTarget { target: path.clone() };
    assert_eq!(mara.check_target(&which).await.unwrap().missing, Vec::<String>::new());
    mara.survey(&which).await.unwrap();
    let seen = mara.standing(&StandingFilter::default()).await.unwrap();
    let rules: Vec<&str> = seen
        .iter()
        .filter(|one| one.scope == path && one.weight == Weight::Critical)
        .map(|one| one.account.as_str())
        .collect();
    assert_eq!(rules, ["henrik.voss", "ironquay-remote", "jonas.weir"]);
    let account = tempestas_api::NewAccount { target: path.clone(), account: "tomas.reyes".to_owned() };
    mara.set_account(TOMAS, LookedAt::Nothing, &account).await.unwrap();
    let rule = format!("scope = \"{path}\"\n[settings]\napproval = {{ is = \"none\" }}\n");
    mara.add_terms(&toml::from_str(&rule).unwrap()).await.unwrap();
    let right = format!("open@{path}");
    house.eligible(TOMAS, &right).await;
    assert!(!opens(&controllers.address, "tomas.reyes").await);
    let asked = house.ask(TOMAS, &right, 4).await.unwrap();
    house.live(&asked.id).await;
    assert!(opens(&controllers.address, "tomas.reyes").await);
    house.service.kill();
    eventually("the gates stay shut", async || !opens(&controllers.address, "tomas.reyes").await).await;
    house.start_again(&[]);
    assert_eq!(house.over(&asked.id).await.elevation.state, "lapsed");

    // What a description can't say.
    for (from, to, says) in [
        ("put = \"/keepers/{name}\"", "put = \"/keepers/{who}\"", "`{who}` is filled in by nothing"),
        ("who = \"{account}\"", "who = \"{secret}\"", "belongs into a header"),
        ("delete = \"/keepers/{name}\"", "delete = \"/a\"\nget = \"/b\"", "exactly one of"),
        ("count = \"/count\"", "cuont = \"/count\"", "unknown field `cuont`"),
        ("[roles.open]", "[roles.open]\nreach = 1", "unknown field `reach`"),
        ("within = 1", "within = \"soon\"", "invalid type"),
        ("put = \"/keepers/{name}\"", "sql = \"INSERT INTO a VALUES ({name})\"", "no `database`"),
        ("http://127.0.0.1", "http://gates.example", "is not this machine"),
    ] {
        let bad = form.replacen(from, to, 1);
        assert_ne!(bad, form, "{from} is not in the description");
        let refused = house.client(MARA).add_target(&new("bad", &bad)).await.unwrap_err().to_string();
        assert!(refused.contains(says), "{to}: {refused}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_that_is_filled_in_becomes_more_than_a_value() {
    let house = House::new(Plan::cloud_only()).await;
    let key = random_word();
    let controllers = daemon::gates(&house.path().join("gates"), 0, Some(&gates::seed(&key))).unwrap();
    let Connector::Described { form } = gates::connector(&controllers.address) else { unreachable!() };
    let by_http = target(&form, &key, &[]);
    let nasty =
        ["a/../k1", "k1?x=1", "\"},{\"who\":\"x", "{secret}", "a b#c%2Fd", "o'brien; DROP TABLE rights; --", "$(id)"];
    for (n, account) in nasty.into_iter().enumerate() {
        let one = call(&format!("tp/../{n}?{account}"), "open", account, 1);
        by_http.give(&one).await.unwrap();
        assert!(by_http.holds(&one).await.unwrap().there, "{account}");
        assert!(opens(&controllers.address, account).await, "{account} is not who was given it");
        by_http.take(&one).await.unwrap();
        assert!(!opens(&controllers.address, account).await, "{account}");
    }
    assert!(opens(&controllers.address, "jonas.weir").await, "somebody else lost theirs");

    // By SQL: values are bound.
    let cluster = new_cluster(house.path(), "SUPERUSER", &key).await;
    let sql = cluster.connect("berths").await.unwrap();
    sql.batch_execute("CREATE TABLE rights (key text PRIMARY KEY, who text, may text, until timestamptz, note text); INSERT INTO rights VALUES ('k1', 'jonas.weir', 'open', NULL, NULL)").await.unwrap();
    let by_sql = format!(
        r#"
database = "host=127.0.0.1 port={} user=tempestas_broker dbname=berths"
[roles.open]
says = "opens"
weight = "privileged"
[survey]
call = {{ sql = "SELECT * FROM public.rights" }}
account = "/who"
role = "/may"
handle = "/key"
until = "/until"
mark = "/note"
[give]
sql = "INSERT INTO public.rights VALUES ($1, $2, $3, $4::text::timestamptz, $5) ON CONFLICT (key) DO NOTHING"
with = ["{{name}}", "{{account}}", "{{role}}", "{{until}}", "{{mark}}"]
[take]
sql = "DELETE FROM public.rights WHERE key = $1"
with = ["{{name}}"]
[holds]
call = {{ sql = "SELECT * FROM public.rights WHERE key = $1", with = ["{{name}}"] }}
there = {{ "/who" = "{{account}}", "/may" = "{{role}}" }}
"#,
        cluster.port
    );
    let by_sql = target(&by_sql, &key, &[]);
    for account in nasty {
        let one = call("tpsql", "open", account, 1);
        by_sql.give(&one).await.unwrap();
        assert!(by_sql.holds(&one).await.unwrap().there, "{account}");
        assert_eq!(by_sql.marked().await.unwrap().len(), 1);
        by_sql.take(&one).await.unwrap();
        assert!(!by_sql.holds(&one).await.unwrap().there, "{account}");
    }
    assert_eq!(by_sql.survey().await.unwrap().rights.len(), 1);

    // By a program: one argument each, of a program that the machine's administrator named, and no shell.
    let program = house.path().join("keep");
    std::fs::write(
        &program,
        "#!/bin/sh\n# Prints what it was given, one a line.\nprintf '{\"who\":\"%s\",\"n\":%s}' \"$2\" \"$#\"\n",
    )
    .unwrap();
    std::fs::set_permissions(&program, std::fs::Permissions::from_mode(0o755)).unwrap();
    let program = program.display().to_string();
    let run = format!("run = [\"{program}\", \"--for\", \"{{account}}\"]");
    let by_program = format!(
        "[roles.open]\nsays = \"opens\"\nweight = \"ordinary\"\n[survey]\ncall = {{ {run} }}\naccount = \"/who\"\nrole = \"/may\"\nhandle = \"/key\"\n[give]\n{run}\n[take]\n{run}\n[holds]\ncall = {{ {run} }}\nthere = {{ \"/who\" = \"{{account}}\", \"/n\" = \"2\" }}\n"
    );
    Form::read(&by_program).unwrap();
    let forbidden = target(&by_program, &key, &[]).give(&call("tprun", "open", "a", 1)).await.unwrap_err();
    assert!(forbidden.to_string().contains("`described.programs`"), "{forbidden}");
    // Named, and with other arguments than it may be given.
    let may = |arguments: &[&str]| Program {
        path: program.clone(),
        arguments: arguments.iter().map(|pattern| (*pattern).to_owned()).collect(),
    };
    for arguments in [&["--for"][..], &["--for", "[a-z]"], &["--for", ".*", ".*"], &["--of", ".*"]] {
        let refused = target(&by_program, &key, &[may(arguments)]).give(&call("tprun", "open", "a b", 1)).await;
        let said = refused.unwrap_err().to_string();
        assert!(said.contains("`described.programs`") && !said.contains("keep"), "{arguments:?}: {said}");
    }
    let by_program = target(&by_program, &key, &[may(&["--for", ".*"])]);
    assert!(by_program.holds(&call("tprun", "open", "$(id); a b", 1)).await.unwrap().there);
    let option = by_program.give(&call("tprun", "open", "--all", 1)).await.unwrap_err();
    assert!(option.to_string().contains("begins with `-`"), "{option}");
}
