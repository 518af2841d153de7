//! The program, told what nobody should tell it. It runs on a directory that stands for a host's root.

#![expect(clippy::unwrap_used, reason = "a test says what it expects")]

use std::{fs, os::unix::fs::PermissionsExt as _, path::Path};

use jiff::Timestamp;
use proptest::prelude::*;
use tempestas_host::{
    Host,
    protocol::{Order, Outcome, Request, VERSION},
};

const BOUNDS: &str = r#"
installation = "pier"
target = "t7-pier"
service = "tempestas"
longest = "8h"
all_commands = true
groups = ["adm"]
[commands]
"#;

fn host(bounds: &str) -> (tempfile::TempDir, Result<Host, String>) {
    let root = tempfile::tempdir().unwrap();
    let at = |path: &str| root.path().join(path);
    for directory in ["etc/tempestas", "etc/sudoers.d", "var/lib"] {
        fs::create_dir_all(at(directory)).unwrap();
    }
    fs::write(at("etc/tempestas/host.toml"), bounds).unwrap();
    fs::write(at("etc/passwd"), "root:x:0:0:root:/root:/bin/bash\ntomas:x:1001:1001::/home/tomas:/bin/bash\n").unwrap();
    fs::write(at("etc/group"), "root:x:0:\nadm:x:4:\n").unwrap();
    fs::write(at("etc/sudoers"), "root ALL=(ALL:ALL) ALL\n").unwrap();
    let opened = Host::open(root.path());
    (root, opened)
}

fn drop_ins(root: &Path) -> usize {
    fs::read_dir(root.join("etc/sudoers.d")).unwrap().count()
}

#[test]
fn bounds_that_others_may_write_or_that_say_what_nobody_knows_are_refused() {
    let (root, opened) = host(BOUNDS);
    assert!(opened.is_ok());
    fs::set_permissions(root.path().join("etc/tempestas/host.toml"), fs::Permissions::from_mode(0o664)).unwrap();
    assert!(Host::open(root.path()).err().unwrap().contains("nobody else may write"));
    for (wrong, says) in [
        ("more = 1", "unknown field"),
        ("[commands]\n\"a b\" = [\"/bin/a\"]", "must be a word"),
        ("[commands]\na = [\"ALL\"]", "begin with `/`"),
        ("[commands]\na = [\"/bin/a, ALL\"]", "begin with `/`"),
        ("[commands]\na = []", "must be a word"),
    ] {
        let (_root, opened) = host(&format!("{}\n{wrong}\n", BOUNDS.replace("[commands]\n", "")));
        let refused = opened.err().unwrap_or_else(|| panic!("{wrong} was taken"));
        assert!(refused.contains(says), "{wrong}: {refused}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn no_bytes_at_all_make_it_do_anything_or_fall_over(bytes in prop::collection::vec(any::<u8>(), 0..400)) {
        let (root, opened) = host(BOUNDS);
        let reply = opened.unwrap().answer(&bytes);
        prop_assert!(matches!(reply.outcome, Outcome::Refused(_)));
        prop_assert_eq!(drop_ins(root.path()), 0);
    }

    #[test]
    fn no_names_at_all_leave_the_directories_that_are_its_own(
        name in "\\PC{0,40}", account in "\\PC{0,40}", role in "(root|run:|group:|)\\PC{0,20}", attempt in any::<i64>(),
    ) {
        let (root, opened) = host(BOUNDS);
        let now = Timestamp::now();
        let grant = serde_json::json!({
            "number": 1, "attempt": attempt, "name": name, "account": account, "role": role,
            "opened_at": now, "until": now + jiff::SignedDuration::from_secs(60),
        });
        let request = |what: &str| serde_json::json!({
            "version": VERSION, "installation": "pier", "target": "t7-pier", "ordered_at": now,
            "order": { "do": what, "grant": grant },
        }).to_string();
        let host = opened.unwrap();
        for what in ["give", "holds", "take", "leftovers"] {
            let reply = host.answer(request(what).as_bytes());
            prop_assert!(!matches!(reply.outcome, Outcome::Surveyed(_)));
        }
        prop_assert_eq!(drop_ins(root.path()), 0, "nobody but `tomas` is there, and nothing was to be given to others");
        let outside = fs::read_dir(root.path()).unwrap().count();
        prop_assert_eq!(outside, 2, "something lies beside etc and var");
    }
}

#[test]
fn an_end_moves_later_never_back_and_never_beyond_what_the_host_allows() {
    let (root, opened) = host(BOUNDS);
    let (host, now) = (opened.unwrap(), Timestamp::now());
    let end = |minutes| (now + jiff::SignedDuration::from_mins(minutes)).round(jiff::Unit::Second).unwrap();
    let told = |what: &str, attempt: i64, role: &str, minutes: i64| {
        let grant = serde_json::json!({
            "number": 1, "attempt": attempt, "name": "tpone", "account": "tomas", "role": role,
            "opened_at": now, "until": end(minutes),
        });
        let request = serde_json::json!({
            "version": VERSION, "installation": "pier", "target": "t7-pier", "ordered_at": now,
            "order": { "do": what, "grant": grant },
        });
        host.answer(request.to_string().as_bytes()).outcome
    };
    let rule = || fs::read_to_string(root.path().join("etc/sudoers.d/tempestas-tpone")).unwrap_or_default();
    let says = |minutes| format!("NOTAFTER={}Z", end(minutes).strftime("%Y%m%d%H%M%S"));
    assert_eq!(told("prolong", 1, "root", 20), Outcome::Late, "what was never given");
    assert_eq!(told("give", 2, "root", 10), Outcome::Done);
    assert!(rule().contains(&says(10)));
    assert_eq!(told("prolong", 3, "root", 20), Outcome::There(true));
    assert!(rule().contains(&says(20)) && drop_ins(root.path()) == 1, "{}", rule());
    assert_eq!(told("prolong", 3, "root", 30), Outcome::Late, "an order of before");
    assert_eq!(told("prolong", 4, "root", 15), Outcome::Late, "an earlier end");
    for (role, minutes, why) in [("root", 8 * 60 + 1, "longer than"), ("group:adm", 30, "for something else")] {
        let Outcome::Refused(said) = told("prolong", 5, role, minutes) else { panic!("{why}: it was taken") };
        assert!(said.contains(why), "{said}");
    }
    assert!(rule().contains(&says(20)), "what was refused changed something");
    assert_eq!(told("take", 6, "root", 20), Outcome::Done);
    assert_eq!(told("prolong", 7, "root", 30), Outcome::Late, "what has ended");
    assert_eq!(rule(), "");
}

#[test]
fn a_request_says_the_same_after_a_round_of_json() {
    let request = Request {
        version: Order::Survey.since(),
        installation: "pier".to_owned(),
        target: "t7-pier".to_owned(),
        ordered_at: Timestamp::UNIX_EPOCH,
        order: Order::Survey,
    };
    let text = serde_json::to_string(&request).unwrap();
    assert_eq!(
        text,
        r#"{"version":1,"installation":"pier","target":"t7-pier","ordered_at":"1970-01-01T00:00:00Z","order":{"do":"survey"}}"#
    );
    assert_eq!(serde_json::from_str::<Request>(&text).unwrap(), request);
}
