//! What systems call their roles reaches terminals, tables and spreadsheets only as text.

use tempestas_api::{ElevationView, LedgerFilter, StandingFilter, WhichTarget};
use tempestas_core::Seconds;
use tempestas_demo::quillhaven::BERTHS;

use crate::house::{House, MARA, Plan, TOMAS, on_berths, on_cloud};

/// A role's name that would set a window's title, clear the screen, turn the line around, and forge a row.
const HOSTILE: &str = "quay\u{1b}]0;owned\u{7}\u{1b}[2J\u{202e}redaer\u{200b}\nh1  mlindqvist  superuser";

fn steers(text: &str) -> Option<char> {
    text.chars().find(|c| (c.is_control() && *c != '\n') || ['\u{202e}', '\u{200b}'].contains(c))
}

#[tokio::test(flavor = "multi_thread")]
async fn a_role_whose_name_steers_a_terminal_is_printed_as_text_by_every_command() {
    let house = House::new(Plan::whole()).await;
    let mara = house.client(MARA);
    let sql = house.cluster().connect("postgres").await.unwrap();
    sql.batch_execute(&format!("CREATE ROLE \"{HOSTILE}\"; GRANT \"{HOSTILE}\" TO treyes")).await.unwrap();
    mara.survey(&WhichTarget { target: BERTHS.to_owned() }).await.unwrap();
    let standing = mara.standing(&StandingFilter::default()).await.unwrap();
    let held = standing.iter().find(|held| held.role == HOSTILE).expect("it is known by its own name");
    let right = on_berths(HOSTILE);
    house.eligible(TOMAS, &right).await;
    let asked = house.ask(TOMAS, &right, 600).await.unwrap();
    let drift = mara.drift(&Default::default()).await.unwrap();
    let gained = drift.iter().find(|one| one.says.contains("quay")).expect("the right is a difference");

    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, MARA);
    let commands: [&[&str]; 22] = [
        &["me"],
        &["people"],
        &["people", "duties"],
        &["targets"],
        &["roles"],
        &["alarms"],
        &["standing"],
        &["standing", "--role", HOSTILE],
        &["ways", "to", &right],
        &["ways", "to", BERTHS],
        &["ways", "of", TOMAS],
        &["drift"],
        &["drift", "patch", &gained.id],
        &["convert", "preview", &held.id],
        &["convert", "rehearse", &held.id],
        &["eligible", "--all"],
        &["terms"],
        &["terms", "show", &right],
        &["grants", "--all"],
        &["show", &asked.id],
        &["ledger", "list"],
        &["ask", "nonsense\u{1b}[2J@/", "--reason", "long enough to be one"],
    ];
    let mut named = 0;
    for command in commands {
        let (_, text) = house.tempestas(&home, command, "");
        assert_eq!(steers(&text), None, "{command:?}: {text:?}");
        assert!(!text.lines().any(|line| line.starts_with("h1 ")), "{command:?} shows a forged row: {text}");
        named += usize::from(text.contains("quay\\u{1b}"));
        let mut with_json = command.to_vec();
        with_json.push("--json");
        let (_, text) = house.tempestas(&home, &with_json, "");
        assert_eq!(steers(&text), None, "{with_json:?}: {text:?}");
    }
    assert!(named >= 8, "only {named} of them showed it at all");
    let csv = mara.ledger_csv(&LedgerFilter::default()).await.unwrap();
    assert_eq!(steers(&csv.replace("\r\n", "\n")), None);
    assert!(!csv.lines().any(|line| line.starts_with("h1")), "a row of the record is forged");
    // What is printed to be run does what it says.
    let patch = mara.source_patch(&gained.id).await.unwrap().patch.unwrap();
    sql.batch_execute(&patch).await.unwrap();
    let left = "SELECT count(*) FROM pg_auth_members m JOIN pg_roles r ON r.oid = m.roleid WHERE r.rolname = $1";
    assert_eq!(sql.query_one(left, &[&HOSTILE]).await.unwrap().get::<_, i64>(0), 0, "{patch}");
    // For programs it is what it is.
    let (exit, text) = house.tempestas(&home, &["standing", "--json"], "");
    let read: serde_json::Value = serde_json::from_str(&text).unwrap();
    assert!(exit == 0 && read.as_array().unwrap().iter().any(|held| held["role"] == HOSTILE));
}

#[tokio::test(flavor = "multi_thread")]
async fn an_ask_as_last_time_says_what_was_said_then_but_for_what_is_said_anew() {
    let house = House::new(Plan::cloud_only()).await;
    let right = on_cloud("tide-writer", "/lake");
    house.eligible(TOMAS, &right).await;
    let home = house.path().join("home");
    house.sign_in_at_a_terminal(&home, TOMAS);
    let ask = |more: &[&str]| {
        let words = [&["ask", right.as_str(), "--yes", "--json"], more].concat();
        let (exit, text) = house.tempestas(&home, &words, "");
        (exit, serde_json::from_str::<ElevationView>(&text).map_err(|_| text))
    };
    let (exit, never) = ask(&["--as-last-time"]);
    assert!(exit == 1 && never.unwrap_err().contains("you never asked for"), "a first time has no last");
    let (_, first) = ask(&["--for", "7m", "--reason", "sort the raw files"]);
    let first = first.unwrap();
    house.live(&first.id).await;
    house.client(TOMAS).give_back(&first.id).await.unwrap();
    house.over(&first.id).await;
    let (_, again) = ask(&["--as-last-time"]);
    let again = again.unwrap();
    assert_eq!((again.duration, again.brought.reason.as_deref()), (Seconds(420), Some("sort the raw files")));
    let (_, other) = ask(&["--as-last-time", "--for", "3m", "--reason", "sort them once more"]);
    let other = other.unwrap();
    assert_eq!((other.duration, other.brought.reason.as_deref()), (Seconds(180), Some("sort them once more")));
}
