//! The program: how it ends, what it prints where, and what it keeps.

use std::{
    os::unix::fs::{OpenOptionsExt as _, PermissionsExt as _},
    path::Path,
    process::Stdio,
};

use serde_json::json;
use tempfile::TempDir;
use tokio::io::AsyncWriteExt as _;

use crate::{
    service::{Answer, Asked, Service, no, well},
    views::{demand, elevation},
};

/// A directory that the program keeps things in, signed in or not.
struct Home(TempDir);

struct Ran {
    exit: i32,
    out: String,
    err: String,
}

impl Home {
    fn new() -> Self {
        Self(tempfile::tempdir().unwrap())
    }

    fn signed_in(server: &str) -> Self {
        let home = Self::new();
        home.keep(
            "sign-in.json",
            &json!({ "server": server, "name": "tomas.reyes", "token": "a-secret-token" }).to_string(),
            0o600,
        );
        home
    }

    fn keep(&self, name: &str, text: &str, mode: u32) {
        let file =
            std::fs::File::options().write(true).create(true).truncate(true).mode(mode).open(self.path().join(name));
        std::io::Write::write_all(&mut file.unwrap(), text.as_bytes()).unwrap();
    }

    fn path(&self) -> &Path {
        self.0.path()
    }

    async fn run(&self, args: &[&str], input: &str) -> Ran {
        let mut child = tokio::process::Command::new(env!("CARGO_BIN_EXE_tempestas"))
            .args(args)
            .env_clear()
            .env("TEMPESTAS_HOME", self.path())
            .env("TZ", "Europe/Lisbon")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .unwrap();
        // It may have ended without reading.
        let _ = child.stdin.take().unwrap().write_all(input.as_bytes()).await;
        let output = child.wait_with_output().await.unwrap();
        Ran {
            exit: output.status.code().unwrap(),
            out: String::from_utf8(output.stdout).unwrap(),
            err: String::from_utf8(output.stderr).unwrap(),
        }
    }
}

/// An elevation in a state, with nothing told of it.
fn story(state: &str) -> serde_json::Value {
    with(elevation("E1001", state), &json!({ "story": [] }))
}

/// The same but for some of its fields.
fn with(mut view: serde_json::Value, but: &serde_json::Value) -> serde_json::Value {
    view.as_object_mut().unwrap().extend(but.as_object().unwrap().clone());
    view
}

/// A service with one live elevation.
fn ordinary(asked: &Asked, _: usize) -> Answer {
    match asked.at.split('?').next().unwrap() {
        "/api/v1/asks/preview" => well(&demand("root@pier")),
        "/api/v1/asks" => well(&elevation("E1001", "waiting")),
        "/api/v1/waiting" => well(&json!([elevation("E1001", "waiting")])),
        at if at.ends_with("/begin") || at.ends_with("/give-back") => well(&elevation("E1001", "live")),
        "/api/v1/elevations/E1001" => well(&story("refused")),
        other => panic!("nobody asks for {other}"),
    }
}

#[tokio::test]
async fn it_ends_as_its_help_says() {
    let service = Service::new(|asked, n| match asked.at.as_str() {
        "/api/v1/elevations/E1/begin" => no(409, "conflict", "E1 is live already"),
        "/api/v1/elevations/E2/begin" => no(401, "sign-in", "sign in first: `tempestas sign-in`"),
        "/api/v1/elevations/E3/begin" => no(403, "step-up", "a fresh proof is needed"),
        "/api/v1/elevations/E4/begin" => Answer::text(
            202,
            &json!({ "draft": 7, "address": "http://x/drafts/7", "says": "drafted as 7" }).to_string(),
        ),
        _ => ordinary(asked, n),
    })
    .await;
    let home = Home::signed_in(&service.address);
    for (args, exit, err) in [
        (&["begin", "E1"][..], 3, "tempestas: E1 is live already"),
        (&["begin", "E2"], 4, "sign in first"),
        (&["begin", "E3"], 4, "give one with --code: a fresh proof is needed"),
        (&["begin", "E4"], 7, "drafted as 7"),
        (&["begin"], 2, "required"),
        (&["rule-everything"], 2, "unrecognized"),
        (&["--server", "nonsense", "me"], 1, "is not an address"),
        (&["ask", "root@pier", "--yes", "--wait"], 5, ""),
        (&["begin", "E1001"], 0, ""),
    ] {
        let ran = home.run(args, "").await;
        assert_eq!(ran.exit, exit, "{args:?}: {}{}", ran.out, ran.err);
        assert!(ran.err.contains(err), "{args:?}: {}", ran.err);
        assert_eq!(ran.err.is_empty(), err.is_empty(), "{args:?}: {}", ran.err);
        assert!(!format!("{}{}", ran.out, ran.err).contains("a-secret-token"), "{args:?}");
    }
}

#[tokio::test]
async fn an_ask_says_what_was_looked_at_and_what_came_of_it() {
    let service = Service::new(ordinary).await;
    let home = Home::signed_in(&service.address);
    let brings = ["--reason", "the crane", "--purpose", "an incident", "--reference", "visit=V-2031", "--yes"];
    let ran = home.run(&[&["ask", "root@pier", "--for", "30m"], &brings[..]].concat(), "").await;
    assert_eq!(ran.exit, 0, "{}", ran.err);
    let lines: Vec<&str> = ran.out.lines().collect();
    assert_eq!(
        lines,
        ["To hold root@pier for 1 h you need a proof.", "E1001 is waiting, as of 2026-07-01 13:00:00 WEST."]
    );
    let asked = service.asked();
    assert_eq!(asked[0].json(), json!({ "right": "root@pier", "duration": 1800, "start": null }));
    assert_eq!(asked[1].json()["shown"], demand("root@pier")["digest"]);
    let brought =
        json!({ "reason": "the crane", "purpose": "an incident", "ticket": null, "references": { "visit": "V-2031" } });
    assert_eq!(asked[1].json()["brings"], brought);
    for (reference, exit, why) in [
        (&["--reference", "visit=V-1", "--reference", "visit=V-2"][..], 1, "is given twice"),
        (&["--reference", "V-2031"], 2, "write it like visit=V-2031"),
    ] {
        let ran = home.run(&[&["ask", "root@pier", "--yes"], reference].concat(), "").await;
        assert!(ran.exit == exit && ran.err.contains(why), "{}", ran.err);
        let sent = |asked: &Asked| asked.at == "/api/v1/asks" && asked.json()["brings"] != brought;
        assert!(!service.asked().iter().any(sent), "{reference:?} was sent");
    }

    let json = home.run(&["ask", "root@pier", "--yes", "--json"], "").await;
    let printed: serde_json::Value = serde_json::from_str(&json.out).unwrap();
    assert_eq!((printed["id"].as_str(), printed["asked_at"].as_str()), (Some("E1001"), Some("2026-07-01T12:00:00Z")));
    let preview = home.run(&["ask", "root@pier", "--preview"], "").await;
    assert_eq!((preview.exit, preview.out.as_str()), (0, "To hold root@pier for 1 h you need a proof.\n"));
    assert_eq!(
        service.asked().iter().filter(|one| one.is("POST", "/api/v1/asks")).count(),
        2,
        "a preview asks for nothing"
    );
}

#[tokio::test]
async fn a_code_given_with_the_command_proves_once_and_the_same_is_done_again() {
    let service = Service::new(|asked, n| match asked.at.as_str() {
        "/api/v1/me/proof" => {
            well(&json!({ "at": "2026-07-01T12:00:00Z", "method": "totp-code", "level": "two-factors" }))
        }
        _ if n == 0 => no(403, "step-up", "a fresh proof is needed"),
        _ => ordinary(asked, n),
    })
    .await;
    let home = Home::signed_in(&service.address);
    let ran = home.run(&["begin", "E1001", "--code", "123456"], "").await;
    assert_eq!(ran.exit, 0, "{}", ran.err);
    let asked = service.asked();
    let at: Vec<&str> = asked.iter().map(|one| one.at.as_str()).collect();
    assert_eq!(at, ["/api/v1/elevations/E1001/begin", "/api/v1/me/proof", "/api/v1/elevations/E1001/begin"]);
    assert_eq!(asked[1].json(), json!({ "code": "123456" }));
}

#[tokio::test]
async fn a_token_goes_only_to_the_service_that_gave_it() {
    let (own, other) = (Service::new(ordinary).await, Service::new(|_, _| no(401, "sign-in", "sign in first")).await);
    let home = Home::signed_in(&own.address);
    home.run(&["begin", "E1001"], "").await;
    let ran = home.run(&["--server", &other.address, "begin", "E1001"], "").await;
    assert_eq!(ran.exit, 4);
    assert_eq!(own.asked()[0].header("authorization"), Some("Bearer a-secret-token"));
    assert_eq!(other.asked()[0].header("authorization"), None);
}

#[tokio::test]
async fn a_sign_in_that_others_can_read_or_that_is_damaged_is_not_used() {
    let service = Service::new(ordinary).await;
    let home = Home::signed_in(&service.address);
    let path = home.path().join("sign-in.json");
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o644)).unwrap();
    let ran = home.run(&["begin", "E1001"], "").await;
    assert!(ran.exit == 1 && ran.err.contains("can be read by others; run chmod 600 on it"), "{}", ran.err);
    home.keep("sign-in.json", "{", 0o600);
    std::fs::set_permissions(&path, std::fs::Permissions::from_mode(0o600)).unwrap();
    let ran = home.run(&["begin", "E1001"], "").await;
    assert!(ran.exit == 1 && ran.err.contains("is damaged; remove it"), "{}", ran.err);
    assert!(service.asked().is_empty());
}

/// A service that lets somebody in, and whose ledger has no checkpoint that holds.
fn lets_in(asked: &Asked, _: usize) -> Answer {
    match asked.at.split('?').next().unwrap() {
        "/api/v1/sign-in" => {
            well(&json!({ "name": "tomas.reyes", "token": "a-new-token", "ends": "2026-07-01T20:00:00Z" }))
        }
        "/api/v1/ledger/checkpoint" => {
            well(&json!({ "checkpoint": "nonsense", "public_key": "nonsense", "proof": [] }))
        }
        _ => well(&json!({})),
    }
}

#[tokio::test]
async fn a_password_is_read_from_where_it_is_said_to_come_and_shown_nowhere() {
    let service = Service::new(lets_in).await;
    let home = Home::new();
    let args = ["--server", &service.address, "sign-in", "tomas.reyes", "--password-stdin", "--code", "123456"];
    let ran = home.run(&args, "tide and time\r\nmore\n").await;
    let said = service.asked()[0].json();
    assert_eq!(said, json!({ "name": "tomas.reyes", "password": "tide and time", "code": "123456" }));
    for secret in ["tide and time", "a-new-token"] {
        assert!(!format!("{}{}", ran.out, ran.err).contains(secret), "{secret} was shown");
    }
    // Its checkpoint is none that holds, which is said.
    assert_eq!(ran.exit, 1, "{}{}", ran.out, ran.err);
}

#[tokio::test]
async fn whoever_has_nowhere_to_keep_a_sign_in_is_told_so_before_anything_is_sent() {
    let service = Service::new(lets_in).await;
    let home = Home::new();
    std::fs::write(home.path().join("file"), "").unwrap();
    let below = home.path().join("file/home");
    let args = [
        "--server",
        &service.address,
        "--home",
        &below.to_string_lossy(),
        "sign-in",
        "tomas.reyes",
        "--password-stdin",
        "--code",
        "123456",
    ];
    let ran = home.run(&args, "tide and time\n").await;
    assert!(ran.exit == 1 && ran.err.contains("file/home"), "{}", ran.err);
    assert!(service.asked().is_empty(), "a sign-in was made that nobody can use or end");
}

#[tokio::test]
async fn what_others_wrote_passes_for_nothing_of_ours() {
    let hostile = json!({
        "who": "tomas\u{202e}seyer", "for_me": true,
        "brought": {
            "reason": "fix the crane\nE1002  mara asks for root@pier\u{1b}[2K",
            "purpose": "patching\nE1003  mara asks for root@pier\u{1b}[2K",
            "references": { "visit": "V-1\nE1004  mara asks for root@pier\u{1b}[2K" },
        },
    });
    let hostile = with(elevation("E1001", "waiting"), &hostile);
    let service = Service::new(move |_, _| well(&json!([hostile]))).await;
    let home = Home::signed_in(&service.address);
    let ran = home.run(&["waiting", "--color", "always"], "").await;
    assert_eq!(ran.exit, 0, "{}", ran.err);
    assert!(!ran.out.contains('\u{202e}') && !ran.out.contains("\u{1b}[2K"), "{:?}", ran.out);
    let theirs: Vec<&str> = ran.out.lines().filter(|line| line.contains("E1002")).collect();
    assert!(theirs.len() == 1 && theirs[0].trim_start().starts_with("> "), "{theirs:?}");
    for quoted in ["E1003", "E1004"] {
        let own: Vec<&str> = ran.out.lines().filter(|line| line.trim_start().starts_with(quoted)).collect();
        assert!(own.is_empty() && ran.out.contains(quoted), "{own:?}");
    }
    // A program reads it as it was, and a terminal is steered by none of it.
    let json = home.run(&["waiting", "--json"], "").await;
    let printed: serde_json::Value = serde_json::from_str(&json.out).unwrap();
    assert_eq!(printed[0]["who"], "tomas\u{202e}seyer");
    assert!(json.out.chars().all(|c| c == '\n' || !c.is_control()) && !json.out.contains('\u{202e}'), "{:?}", json.out);
}

#[tokio::test]
async fn colours_come_only_where_they_are_wanted() {
    let service = Service::new(|_, _| no(409, "conflict", "E1001 is live already")).await;
    let home = Home::signed_in(&service.address);
    let plain = home.run(&["begin", "E1001"], "").await.err;
    let coloured = home.run(&["begin", "E1001", "--color", "always"], "").await.err;
    assert_eq!(plain, "tempestas: E1001 is live already\n");
    assert_eq!(home.run(&["begin", "E1001", "--color", "never"], "").await.err, plain);
    assert!(coloured.contains("\u{1b}["), "{coloured:?}");
    let parts = coloured.split("\u{1b}[").enumerate();
    let stripped: String = parts.map(|(n, part)| if n == 0 { part } else { part.split_once('m').unwrap().1 }).collect();
    assert_eq!(stripped, plain);
}

#[tokio::test]
async fn times_are_told_by_this_machines_clock_or_in_utc() {
    let service = Service::new(ordinary).await;
    let home = Home::signed_in(&service.address);
    let here = home.run(&["begin", "E1001"], "").await.out;
    assert!(here.contains("2026-07-01 13:00:00 WEST"), "{here}");
    let utc = home.run(&["begin", "E1001", "--utc"], "").await.out;
    assert!(utc.contains("2026-07-01 12:00:00 UTC"), "{utc}");
}

#[tokio::test]
async fn completions_and_the_manual_are_of_the_program_and_need_no_service() {
    let home = Home::new();
    for shell in ["bash", "zsh", "fish"] {
        let ran = home.run(&["completions", shell], "").await;
        assert!(ran.exit == 0 && ran.out.contains("give-back"), "{shell}");
    }
    let into = home.path().join("man");
    let ran = home.run(&["manual", &into.to_string_lossy()], "").await;
    assert_eq!(ran.exit, 0, "{}", ran.err);
    let pages = std::fs::read_dir(&into).unwrap().count();
    assert!(pages > 20, "{pages} pages");
    let page = std::fs::read_to_string(into.join("tempestas-ask.1")).unwrap();
    assert!(page.contains("\\-\\-reason"), "{page}");
}
