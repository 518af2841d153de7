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

/// A key as a host has it.
const HOST_KEY: &str = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIO7zkx2DzqDqz0QdQ8n0s0TwVvZ8m5H6Sg3W1kK2Vb0p host\n";

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

/// What was printed, with the schema that it is to fit.
struct Printed {
    document: Value,
    lines: String,
}

impl Printed {
    async fn new(house: &House) -> Self {
        Self { document: house.document().await, lines: String::new() }
    }

    fn add(&mut self, what: &str, schema: &Value, value: &Value) {
        self.lines += &format!("{}\n", json!([what, schema, value]));
    }

    /// Runs a command, and notes what it printed beside the reply of a call.
    fn run(&mut self, house: &House, home: &Path, command: &[&str], call: &str) -> Value {
        let (method, path) = call.split_once(' ').unwrap();
        let reply = &self.document["paths"][format!("/api/v1{path}")][method]["responses"]["200"];
        let schema = reply["content"]["application/json"]["schema"].clone();
        assert!(schema.is_object(), "{call} is not described");
        self.run_by(house, home, command, &schema)
    }

    fn run_by(&mut self, house: &House, home: &Path, command: &[&str], schema: &Value) -> Value {
        let (exit, text) = house.tempestas_alone(home, &[command, &["--json"]].concat());
        assert_eq!(exit, 0, "{command:?}: {text}");
        let value = serde_json::from_str(&text).unwrap_or_else(|error| panic!("{command:?}: {error}: {text}"));
        self.add(&format!("{command:?}"), schema, &value);
        value
    }

    /// Fails unless all that was noted fits, by the reading of a library that knows nothing of us.
    fn fits(mut self, directory: &Path) {
        // One that doesn't fit, so that the test would know.
        self.add("planted", &json!({ "$ref": "#/components/schemas/Me" }), &json!({ "name": 7 }));
        let file = directory.join("openapi.json");
        std::fs::write(&file, self.document.to_string()).unwrap();
        let mut child = Command::new(foreign("python"))
            .args(["-c", HOLD, &file.to_string_lossy()])
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        child.stdin.take().unwrap().write_all(self.lines.as_bytes()).unwrap();
        let said = String::from_utf8(child.wait_with_output().unwrap().stdout).unwrap();
        assert!(said.lines().any(|line| line.starts_with("planted")), "{said}");
        let wrong: Vec<&str> = said.lines().filter(|line| !line.starts_with("planted")).collect();
        assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    }
}

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
    let mut printed = Printed::new(&house).await;
    for (command, call) in PRINTED {
        printed.run(&house, &home, command, call);
    }
    printed.fits(house.path());
}

#[tokio::test(flavor = "multi_thread")]
async fn what_each_change_prints_as_json_is_as_the_description_says() {
    let house = House::new(Plan::whole()).await;
    let homes = [MARA, TOMAS, ODA].map(|who| house.path().join(who));
    [MARA, TOMAS, ODA].iter().zip(&homes).for_each(|(who, home)| drop(house.sign_in_at_a_terminal(home, who)));
    let [mara, tomas, oda] = homes;
    let file = |name: &str, text: &str| {
        let path = house.path().join(name);
        std::fs::write(&path, text).unwrap();
        path.to_str().unwrap().to_owned()
    };
    let secret = file("secret", "of-no-use\n");
    let rule = file("rule.toml", "scope = \"/analytics\"\n[settings]\nlongest = 7200\n");
    let host_key = file("host.pub", HOST_KEY);
    let berths = "/harbour/databases/berths";
    let (operator, writer) = (on_berths("harbour_operator"), on_cloud("tide-writer", "/lake"));
    let mut printed = Printed::new(&house).await;

    for (command, call) in [
        ("people add nils.nygaard --about Nils", "post /people"),
        ("people add night-crew --about Nights --kind group", "post /people"),
        ("people enrolment nils.nygaard", "post /people/{who}/enrolment"),
        ("people account nils.nygaard /harbour/databases/berths nils", "put /people/{who}/account"),
        ("people join night-crew nils.nygaard", "post /groups/{group}/members"),
        ("people leave night-crew nils.nygaard", "delete /groups/{group}/members/{member}"),
        ("people duty nils.nygaard auditor /analytics", "post /duties"),
        ("people suspend nils.nygaard", "post /people/{who}/suspend"),
        ("people resume nils.nygaard", "post /people/{who}/resume"),
        ("people source list", "get /sources"),
        ("targets add-folder /harbour/spare", "post /folders"),
        ("targets set /harbour/databases/berths --alarm-after 2m", "patch /targets/settings"),
        ("targets check /harbour/databases/berths", "post /targets/check"),
        ("targets survey /harbour/databases/berths", "post /targets/survey"),
        ("targets authorities", "get /authorities"),
        ("ledger proof 3", "get /ledger/{n}/proof"),
        ("stop scope /analytics --reason drill", "post /stops"),
        ("stop list", "get /stops"),
    ] {
        printed.run(&house, &mara, &command.split(' ').collect::<Vec<_>>(), call);
    }
    let fathom = ["targets", "enrol", "fathom", "/spare", "--url", "http://127.0.0.1:9", "--secret-file", &secret];
    printed.run(&house, &mara, &fathom, "post /targets");
    let host = ["targets", "enrol", "linux", "/crane", "--host", "127.0.0.1", "--host-key-file", &host_key];
    printed.run(&house, &mara, &host, "get /targets/enrolment");
    printed.run(&house, &mara, &["targets", "enrolment", "/crane"], "get /targets/enrolment");
    let left = json!({
        "type": "object", "additionalProperties": false, "required": ["undo", "broker"],
        "properties": { "undo": { "type": ["string", "null"] }, "broker": { "type": ["string", "null"] } },
    });
    printed.run_by(&house, &mara, &["targets", "let-go", "/crane", "--reason", "scrapped", "--yes"], &left);

    printed.run(&house, &mara, &["terms", "set", &rule, "--preview"], "post /terms/preview");
    let set = printed.run(&house, &mara, &["terms", "set", &rule], "post /terms");
    let id = set["id"].as_str().unwrap();
    printed.run(&house, &mara, &["terms", "show", &writer], "get /terms/effective");
    printed.run(&house, &mara, &["terms", "suspend", id, "--reason", "drill"], "post /terms/{id}/suspend");
    printed.run(&house, &mara, &["terms", "resume", id], "post /terms/{id}/resume");
    printed.run(&house, &mara, &["terms", "end", id], "delete /terms/{id}");
    let looked_at = format!(
        "scope = \"{berths}\"\n[settings]\ndebrief = {{ is = \"wanted\", by = [\"{ODA}\"], within = 86400, higher = [\"{ODA}\"] }}\n"
    );
    printed.run(&house, &mara, &["terms", "set", &file("looked-at.toml", &looked_at)], "post /terms");

    let given = printed.run(&house, &mara, &["eligible", "give", TOMAS, &writer], "post /eligibilities");
    let id = given["eligibility"]["id"].as_str().unwrap_or_else(|| panic!("{given}")).to_owned();
    let change = ["eligible", "change", &id, "--until", "2099-01-01T00:00Z"];
    printed.run(&house, &mara, &change, "patch /eligibilities/{id}");
    printed.run(&house, &mara, &["eligible", "suspend", &id, "--reason", "drill"], "post /eligibilities/{id}/suspend");
    printed.run(&house, &mara, &["eligible", "resume", &id], "post /eligibilities/{id}/resume");
    printed.run(&house, &mara, &["eligible", "end", &id], "delete /eligibilities/{id}");

    house.eligible(TOMAS, &operator).await;
    let begin = ["cover", "begin", TOMAS, "--by", ODA, "--until", "2099-01-01T00:00Z", "--reason", "leave"];
    let begun = printed.run(&house, &mara, &begin, "post /covers");
    let id = begun["id"].as_str().unwrap();
    printed.run(&house, &mara, &["cover", "show", id], "get /appointments/{id}");
    printed.run(&house, &mara, &["cover", "end", id], "post /appointments/{id}/end");
    printed.run(&house, &tomas, &["ask", &operator, "--preview", "--reason", "leak"], "post /asks/preview");
    let ask = ["ask", &operator, "--for", "10m", "--reason", "leak at berth 4", "--yes"];
    let asked = printed.run(&house, &tomas, &ask, "post /asks");
    let id = asked["id"].as_str().unwrap();
    printed.run(&house, &oda, &["waiting", id], "get /elevations/{id}/context");
    printed.run(&house, &oda, &["answer", id, "yes", "--yes"], "post /elevations/{id}/answer");
    printed.run(&house, &tomas, &["show", id, "--wait", "live"], "get /elevations/{id}");
    printed.run(&house, &tomas, &["reach", id], "post /elevations/{id}/login");
    let go_on = ["extend", id, "--for", "5m", "--preview"];
    printed.run(&house, &tomas, &go_on, "post /elevations/{id}/extend/preview");
    let go_on = ["extend", id, "--for", "5m", "--reason", "the leak goes on", "--yes"];
    printed.run(&house, &tomas, &go_on, "post /elevations/{id}/extend");
    printed.run(&house, &tomas, &["withdraw", id], "post /elevations/{id}/withdraw");
    printed.run(&house, &tomas, &["grace", id], "post /elevations/{id}/grace");
    printed.run(&house, &tomas, &["give-back", id], "post /elevations/{id}/give-back");
    printed.run(&house, &tomas, &["show", id, "--wait", "ended"], "get /elevations/{id}");
    printed.run(&house, &oda, &["debriefs"], "get /debriefs");
    printed.run(&house, &oda, &["debriefs", "sign", id, "in-order", "--yes"], "post /elevations/{id}/debrief");

    let standing = house.client(MARA).standing(&tempestas_api::StandingFilter::default()).await.unwrap();
    let one = standing.iter().find(|one| one.direct && one.target == berths && one.who.is_some()).unwrap();
    printed.run(&house, &mara, &["convert", "preview", &one.id], "post /conversions/preview");
    printed.run(&house, &mara, &["convert", "rehearse", &one.id], "post /rehearsals/preview");
    let applied = printed.run(&house, &mara, &["convert", "apply", &one.id, "--yes"], "post /conversions");
    printed.run(&house, &mara, &["undo", applied["id"].as_str().unwrap()], "post /conversions/{id}/undo");

    let export = file("ledger.jsonl", "");
    let wrote = json!({ "const": { "file": export } });
    printed.run_by(&house, &mara, &["ledger", "export", &export], &wrote);
    let genuine = json!({
        "type": "object", "additionalProperties": false, "required": ["genuine", "says"],
        "properties": { "genuine": { "const": true }, "says": { "type": "string" } },
    });
    printed.run_by(&house, &mara, &["ledger", "verify", &export], &genuine);
    printed.run_by(&house, &mara, &["ledger", "checkpoint"], &json!({ "type": "string" }));
    printed.fits(house.path());
}
