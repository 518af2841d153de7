//! Our interface, held to its own description by a program that knows nothing else of us.

use std::{
    io::Write as _,
    path::{Path, PathBuf},
    process::{Command, Stdio},
};

use serde_json::{Value, json};

use crate::house::{House, MARA, ODA, Plan, TOMAS, on_berths, on_cloud};

/// A program that `tools/foreign` set up.
fn foreign(name: &str) -> PathBuf {
    let target = std::env::var_os("CARGO_TARGET_DIR")
        .map_or_else(|| Path::new(env!("CARGO_MANIFEST_DIR")).join("../../target"), PathBuf::from);
    let path = target.join("foreign/bin").join(name);
    assert!(path.exists(), "{} is not there; `make packages` sets it up", path.display());
    path
}

/// What a run of generated requests leaves out: streams without an end, what would end the run's own sign-in or its
/// person's, and what would take it minutes.
const LEFT_OUT: &str = "/(events|sign-out|sign-ins/.*|sources/.*|people/.*/(suspend|enrolment)|devices.*|console/.*|sign-in|enrol|ledger/export)$";

/// RFC 6585, 3, has a status of its own for a missing precondition.
const SETTINGS: &str = "[checks]\nmissing_required_header.expected-statuses = [\"4xx\"]\n";

#[tokio::test(flavor = "multi_thread")]
async fn generated_requests_find_nothing_but_what_the_description_says() {
    let house = House::new(Plan::cloud_only()).await;
    house.eligible(TOMAS, &on_cloud("tide-writer", "/lake")).await;
    let asked = house.ask(TOMAS, &on_cloud("tide-writer", "/lake"), 600).await.unwrap();
    house.live(&asked.id).await;
    let token = house.token(MARA).await;
    std::fs::write(house.path().join("schemathesis.toml"), SETTINGS).unwrap();
    let ran = Command::new(foreign("schemathesis"))
        .current_dir(house.path())
        .arg("run")
        .arg(format!("{}/api/v1/openapi.json", house.service.address))
        .args(["--header", &format!("Authorization: Bearer {token}")])
        .args(["--phases", "examples,coverage,fuzzing", "--max-examples", "6", "--seed", "20261123"])
        .args(["--suppress-health-check", "all", "--exclude-path-regex", LEFT_OUT, "--request-timeout", "30"])
        .args(["--exclude-checks", "positive_data_acceptance", "--warnings", "off", "--no-color"])
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&ran.stdout);
    assert!(ran.status.success(), "{said}\n{}", String::from_utf8_lossy(&ran.stderr));
    assert!(house.rebuild().0, "what it did is explained by the ledger");
}

/// Commands, and the call whose reply they print as JSON.
const PRINTED: [(&[&str], &str); 24] = [
    (&["me"], "get /me"),
    (&["people"], "get /people"),
    (&["people", "duties"], "get /duties"),
    (&["targets"], "get /targets"),
    (&["roles"], "get /roles"),
    (&["alarms"], "get /alarms"),
    (&["standing"], "get /standing"),
    (&["ways", "to", "/harbour/databases/berths"], "get /ways"),
    (&["ways", "of", TOMAS], "get /ways"),
    (&["drift"], "get /drift"),
    (&["drift", "list", "--all"], "get /drift"),
    (&["convert", "list"], "get /conversions"),
    (&["eligible"], "get /eligible"),
    (&["eligible", "--all"], "get /eligibilities"),
    (&["eligible", "wishes", "--all"], "get /appointments"),
    (&["cover"], "get /appointments"),
    (&["terms"], "get /terms"),
    (&["waiting"], "get /waiting"),
    (&["grants", "--all", "--ended"], "get /elevations"),
    (&["show", "E1001"], "get /elevations/{id}"),
    (&["stop"], "get /stops"),
    (&["ledger", "list"], "get /ledger"),
    (&["find", "berth"], "get /search"),
    (&["sign-ins"], "get /sign-ins"),
];

/// Holds lines `[what, schema, value]` of standard input to what they say; prints what doesn't fit.
const HOLD: &str = r"
import json, sys, jsonschema_rs
document = json.load(open(sys.argv[1]))
for line in sys.stdin:
    what, schema, value = json.loads(line)
    schema = {'$schema': 'https://json-schema.org/draft/2020-12/schema', 'components': document['components'], **schema}
    for wrong in jsonschema_rs.Draft202012Validator(schema).iter_errors(value):
        print(what, list(wrong.instance_path), wrong.message[:300])
";

#[tokio::test(flavor = "multi_thread")]
async fn what_each_command_prints_as_json_is_as_the_description_says() {
    let house = House::new(Plan::whole()).await;
    for (who, right) in [(TOMAS, on_cloud("tide-writer", "/lake")), (TOMAS, on_berths("harbour_operator"))] {
        house.eligible(who, &right).await;
    }
    let asked = house.ask(TOMAS, &on_berths("harbour_operator"), 600).await.unwrap();
    house.yes(ODA, &asked.id).await.unwrap();
    house.live(&asked.id).await;
    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, MARA);
    let document: Value = house.document().await;
    let mut held = String::new();
    for (command, call) in PRINTED {
        let (exit, text) = house.tempestas(&home, &[command, &["--json"]].concat(), "");
        assert_eq!(exit, 0, "{command:?}: {text}");
        let value: Value = serde_json::from_str(&text).unwrap_or_else(|error| panic!("{command:?}: {error}: {text}"));
        let (method, path) = call.split_once(' ').unwrap();
        let reply = &document["paths"][format!("/api/v1{path}")][method]["responses"]["200"];
        let schema = &reply["content"]["application/json"]["schema"];
        assert!(schema.is_object(), "{call} is not described");
        held += &format!("{}\n", json!([format!("{command:?}"), schema, value]));
    }
    // One that doesn't fit, so that the test would know.
    held += &format!("{}\n", json!(["planted", { "$ref": "#/components/schemas/Me" }, { "name": 7 }]));
    let file = house.path().join("openapi.json");
    std::fs::write(&file, document.to_string()).unwrap();
    let mut child = Command::new(foreign("python"))
        .args(["-c", HOLD, &file.to_string_lossy()])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    child.stdin.take().unwrap().write_all(held.as_bytes()).unwrap();
    let said = String::from_utf8(child.wait_with_output().unwrap().stdout).unwrap();
    assert!(said.lines().any(|line| line.starts_with("planted")), "{said}");
    let wrong: Vec<&str> = said.lines().filter(|line| !line.starts_with("planted")).collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
