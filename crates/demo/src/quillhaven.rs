//! Quillhaven Port, an invented harbour: its people, groups, database roles and cloud. All names are made up.

use std::collections::{BTreeMap, VecDeque};

use jiff::{SignedDuration, Timestamp};
use tempestas_standins::brightwater::{Activity, Cloud, Identity, IdentityKind, Posting, Role};

use crate::rhythm::{Rhythm, uses};

/// Path of the databases' target.
pub const BERTHS: &str = "/harbour/databases/berths";
/// Path of the cloud's target.
pub const BRIGHTWATER: &str = "/analytics/brightwater";

/// Name, full name, PostgreSQL login, Brightwater identity.
pub const PEOPLE: [(&str, &str, Option<&str>, Option<&str>); 18] = [
    ("mara.lindqvist", "Mara Lindqvist, privileged access", Some("mlindqvist"), Some("m.lindqvist")),
    ("henrik.voss", "Henrik Voss, privileged access", Some("hvoss"), None),
    ("tomas.reyes", "Tomas Reyes, harbour engineer", Some("treyes"), Some("t.reyes")),
    ("oda.brandt", "Oda Brandt, owner of the databases", Some("obrandt"), Some("o.brandt")),
    ("piet.sol", "Piet Sol, owner of the databases", Some("psol"), None),
    ("ines.kowal", "Ines Kowal, audit", None, None),
    ("amara.osei", "Amara Osei, berth planning", Some("aosei"), Some("a.osei")),
    ("yusuf.adler", "Yusuf Adler, berth planning", Some("yadler"), None),
    ("lene.madsen", "Lene Madsen, vessel traffic", Some("lmadsen"), None),
    ("bruno.costa", "Bruno Costa, vessel traffic", Some("bcosta"), None),
    ("signe.holm", "Signe Holm, analytics", None, Some("s.holm")),
    ("rafael.quist", "Rafael Quist, analytics", None, Some("r.quist")),
    ("nadia.ferro", "Nadia Ferro, customs", Some("nferro"), Some("n.ferro")),
    ("jonas.weir", "Jonas Weir, crane control", Some("jweir"), None),
    ("elif.tan", "Elif Tan, night watch", Some("etan"), Some("e.tan")),
    ("karel.dvor", "Karel Dvor, night watch", Some("kdvor"), None),
    ("uma.stern", "Uma Stern, Ironquay technician", Some("ironquay_support"), Some("ironquay-service")),
    ("george.pell", "George Pell, left for the sea in spring", Some("old_admin"), None),
];

/// Whose manager is who.
pub const MANAGERS: [(&str, &str); 4] = [
    ("tomas.reyes", "henrik.voss"),
    ("jonas.weir", "henrik.voss"),
    ("elif.tan", "tomas.reyes"),
    ("karel.dvor", "tomas.reyes"),
];

/// Name, what it is for, members.
pub const GROUPS: [(&str, &str, &[&str]); 7] = [
    (
        "harbour-engineers",
        "keep the harbour's systems running",
        &["tomas.reyes", "jonas.weir", "elif.tan", "karel.dvor"],
    ),
    ("database-owners", "answer for the databases", &["oda.brandt", "piet.sol"]),
    ("night-watch", "on call from dusk to dawn", &["elif.tan", "karel.dvor"]),
    ("berth-planning", "plans which vessel lies where", &["amara.osei", "yusuf.adler"]),
    ("vessel-traffic", "guides vessels in and out", &["lene.madsen", "bruno.costa"]),
    ("analytics", "reads the tides of data", &["signe.holm", "rafael.quist"]),
    ("suppliers", "technicians from outside", &["uma.stern"]),
];

/// The databases' roles, as SQL. `harbour_root` is there already.
pub const CLUSTER: &str = "
CREATE ROLE berth_reader NOLOGIN; COMMENT ON ROLE berth_reader IS 'reads where vessels lie';
CREATE ROLE berth_writer NOLOGIN; COMMENT ON ROLE berth_writer IS 'changes where vessels lie';
CREATE ROLE berth_planner NOLOGIN; COMMENT ON ROLE berth_planner IS 'plans berths: reads and changes where vessels lie';
CREATE ROLE vessel_reader NOLOGIN; COMMENT ON ROLE vessel_reader IS 'reads vessel movements';
CREATE ROLE vessel_traffic NOLOGIN; COMMENT ON ROLE vessel_traffic IS 'records vessel movements';
CREATE ROLE crane_reader NOLOGIN; COMMENT ON ROLE crane_reader IS 'reads what the cranes report';
CREATE ROLE customs_reader NOLOGIN; COMMENT ON ROLE customs_reader IS 'reads cargo declarations';
CREATE ROLE harbour_operator NOLOGIN; COMMENT ON ROLE harbour_operator IS 'changes berths and vessel movements, and reads everything else of the harbour';
CREATE ROLE harbour_dba NOLOGIN CREATEROLE; COMMENT ON ROLE harbour_dba IS 'runs the databases: makes roles, and can so become nearly any of them';
CREATE ROLE reporting NOLOGIN; COMMENT ON ROLE reporting IS 'reads everything for the morning reports';
GRANT berth_reader, berth_writer TO berth_planner;
GRANT vessel_reader TO vessel_traffic;
GRANT berth_planner, vessel_traffic, crane_reader TO harbour_operator;
GRANT harbour_operator, pg_monitor TO harbour_dba;
GRANT pg_read_all_data TO reporting;
CREATE ROLE mlindqvist LOGIN SUPERUSER;
CREATE ROLE old_admin LOGIN SUPERUSER;
CREATE ROLE ironquay_support LOGIN SUPERUSER;
CREATE ROLE hvoss LOGIN CREATEROLE;
CREATE ROLE treyes LOGIN; GRANT harbour_operator TO treyes;
CREATE ROLE obrandt LOGIN; GRANT harbour_dba TO obrandt WITH ADMIN OPTION;
CREATE ROLE psol LOGIN; GRANT harbour_dba TO psol;
CREATE ROLE aosei LOGIN; GRANT berth_planner TO aosei;
CREATE ROLE yadler LOGIN; GRANT berth_planner TO yadler;
CREATE ROLE lmadsen LOGIN; GRANT vessel_traffic TO lmadsen;
CREATE ROLE bcosta LOGIN; GRANT vessel_traffic, berth_reader TO bcosta;
CREATE ROLE nferro LOGIN; GRANT customs_reader TO nferro;
CREATE ROLE jweir LOGIN; GRANT crane_reader TO jweir;
CREATE ROLE etan LOGIN; GRANT harbour_operator TO etan;
CREATE ROLE kdvor LOGIN; GRANT harbour_operator TO kdvor;
CREATE ROLE night_batch LOGIN; GRANT reporting, berth_writer TO night_batch;
";

/// The database that the berths are in, as SQL.
pub const BERTHS_DATABASE: &str = "
CREATE TABLE berths (name text PRIMARY KEY, quay text NOT NULL, vessel text);
INSERT INTO berths VALUES ('N1', 'north', 'Grey Petrel'), ('N2', 'north', NULL), ('S1', 'south', 'Halcyon Trader');
CREATE TABLE movements (at timestamptz NOT NULL DEFAULT now(), vessel text NOT NULL, what text NOT NULL);
INSERT INTO movements (vessel, what) VALUES ('Grey Petrel', 'moored'), ('Halcyon Trader', 'pilot aboard');
GRANT SELECT ON berths TO berth_reader; GRANT INSERT, UPDATE, DELETE ON berths TO berth_writer;
GRANT SELECT ON movements TO vessel_reader; GRANT INSERT ON movements TO vessel_traffic;
GRANT CREATE ON SCHEMA public TO harbour_operator, bcosta;
CREATE SCHEMA cranes AUTHORIZATION jweir;
CREATE TABLE cranes.hours (crane text NOT NULL, hours numeric NOT NULL);
GRANT SELECT, INSERT, UPDATE ON cranes.hours TO kdvor;
ALTER DEFAULT PRIVILEGES IN SCHEMA public GRANT SELECT ON TABLES TO nferro;
";

fn ago(hours: i64) -> Timestamp {
    Timestamp::now().checked_sub(SignedDuration::from_hours(hours)).unwrap_or(Timestamp::MIN)
}

/// The cloud as it stood before anyone looked. `key` gives each identity's key.
pub fn cloud(key: impl Fn(&str) -> String) -> Cloud {
    let path = |path: &str| path.split('/').filter(|name| !name.is_empty()).map(str::to_owned).collect::<Vec<_>>();
    let role = |name: &str, says: &str, permissions: &[&str]| Role {
        name: name.to_owned(),
        says: says.to_owned(),
        permissions: permissions.iter().map(|permission| (*permission).to_owned()).collect(),
    };
    let roles = [
        role("tide-reader", "reads tables and lists what is there", &["read table", "list table"]),
        role("tide-writer", "reads and changes tables", &["read table", "list table", "write table"]),
        role("keysmith", "reads and makes keys of programs", &["read key", "make key"]),
        role(
            "harbour-warden",
            "posts identities to roles, and reads who is posted",
            &["make posting", "list posting", "read table", "write table"],
        ),
        role("everything", "can do everything", &["do everything"]),
        role(
            "broker",
            "lists everything, posts and ends tokens",
            &[
                "list basin",
                "list role",
                "list identity",
                "list posting",
                "list token",
                "list function",
                "list trail",
                "make posting",
                "end token",
            ],
        ),
    ];
    let kind = |name: &str| match name {
        "tempestas-broker" | "night-batch" | "berth-forecast" => IdentityKind::Program,
        "bw-telemetry" => IdentityKind::Provider,
        "ironquay-service" => IdentityKind::Outsider,
        _ => IdentityKind::Person,
    };
    let people = PEOPLE.iter().filter_map(|(.., identity)| *identity);
    let identities: BTreeMap<String, Identity> = people
        .chain(["tempestas-broker", "night-batch", "berth-forecast", "bw-telemetry"])
        .map(|name| {
            (name.to_owned(), Identity { name: name.to_owned(), kind: kind(name), key: key(name), last_seen: None })
        })
        .collect();
    let posted = [
        ("po-broker", "tempestas-broker", "broker", "", 24 * 90, Some(0)),
        ("po-1", "m.lindqvist", "everything", "", 24 * 800, Some(20)),
        ("po-2", "o.brandt", "everything", "", 24 * 700, Some(24 * 40)),
        ("po-3", "ironquay-service", "everything", "", 24 * 420, None),
        ("po-4", "t.reyes", "tide-writer", "lake", 24 * 300, Some(24 * 9)),
        ("po-5", "e.tan", "tide-writer", "lake/raw", 24 * 250, Some(24 * 33)),
        ("po-6", "s.holm", "tide-writer", "lake/curated", 24 * 200, Some(2)),
        ("po-7", "r.quist", "tide-reader", "lake", 24 * 200, Some(5)),
        ("po-8", "a.osei", "tide-reader", "reports/berths", 24 * 150, Some(7)),
        ("po-9", "n.ferro", "tide-reader", "lake/curated/customs", 24 * 150, Some(24 * 3)),
        ("po-10", "night-batch", "tide-writer", "reports", 24 * 500, Some(6)),
        ("po-11", "berth-forecast", "tide-reader", "lake/curated", 24 * 100, Some(1)),
        ("po-12", "bw-telemetry", "tide-reader", "", 24 * 800, Some(1)),
        ("po-13", "r.quist", "harbour-warden", "reports", 24 * 120, Some(24 * 60)),
        ("po-14", "m.lindqvist", "keysmith", "", 24 * 300, Some(24 * 11)),
    ];
    Cloud {
        basins: [
            "lake",
            "lake/raw",
            "lake/curated",
            "lake/curated/customs",
            "reports",
            "reports/berths",
            "reports/cranes",
        ]
        .map(path)
        .to_vec(),
        roles: roles.into_iter().map(|role| (role.name.clone(), role)).collect(),
        identities,
        postings: posted
            .iter()
            .map(|(key, identity, role, basin, since, used)| {
                let posting = Posting {
                    key: (*key).to_owned(),
                    identity: (*identity).to_owned(),
                    role: (*role).to_owned(),
                    basin: path(basin),
                    since: ago(*since),
                    ends: None,
                    note: String::new(),
                    made_by: "m.lindqvist".to_owned(),
                    last_used: used.map(ago),
                };
                ((*key).to_owned(), posting)
            })
            .collect(),
        trail: trail(Timestamp::now()),
        ..Cloud::default()
    }
}

/// What was done in the cloud in the last months, and how often: identity, permission, basin.
const DONE: [(&str, &str, &str, Rhythm); 12] = [
    ("m.lindqvist", "make posting", "", Rhythm::Every { days: 9, from: 9, to: 17 }),
    ("m.lindqvist", "make key", "", Rhythm::Every { days: 20, from: 9, to: 17 }),
    ("o.brandt", "write table", "lake", Rhythm::Every { days: 40, from: 8, to: 17 }),
    ("t.reyes", "write table", "lake", Rhythm::Every { days: 4, from: 7, to: 16 }),
    ("e.tan", "write table", "lake/raw", Rhythm::Every { days: 4, from: 22, to: 5 }),
    ("s.holm", "write table", "lake/curated", Rhythm::Office { uses: 3, from: 8, to: 17 }),
    ("r.quist", "read table", "lake", Rhythm::Office { uses: 4, from: 9, to: 18 }),
    ("a.osei", "read table", "reports/berths", Rhythm::Every { days: 3, from: 8, to: 16 }),
    ("n.ferro", "read table", "lake/curated/customs", Rhythm::Every { days: 6, from: 8, to: 16 }),
    ("night-batch", "write table", "reports", Rhythm::Daily { hour: 2, minute: 15 }),
    ("berth-forecast", "read table", "lake/curated", Rhythm::Daily { hour: 5, minute: 0 }),
    ("bw-telemetry", "list table", "", Rhythm::Daily { hour: 0, minute: 30 }),
];

fn trail(now: Timestamp) -> VecDeque<Activity> {
    let mut done: Vec<Activity> = DONE
        .iter()
        .flat_map(|(identity, permission, basin, rhythm)| {
            uses(identity, *rhythm, now).into_iter().map(|at| Activity {
                at,
                identity: (*identity).to_owned(),
                permission: (*permission).to_owned(),
                basin: basin.split('/').filter(|name| !name.is_empty()).map(str::to_owned).collect(),
                allowed: true,
            })
        })
        .collect();
    done.sort_by_key(|one| one.at);
    done.into()
}

/// Whoever is on call when nobody can be asked may go past approval on the databases. Of what can do everything there, the owners
/// look at what was done.
pub const EMERGENCIES: [&str; 2] = [
    r#"
scope = "/harbour/databases"
[settings]
glass = { by = ["night-watch", "tomas.reyes"], accepts = ["passkey", "totp-code"] }
"#,
    r#"
scope = "/harbour/databases"
weight = "critical"
[settings]
debrief = { is = "wanted", by = ["database-owners"], within = 86400, higher = ["administrators"] }
"#,
];

/// The house's terms: each a rule as `tempestas terms set` reads it.
pub const TERMS: [&str; 8] = [
    // Everywhere: nobody below may do with less.
    r#"
scope = "/"
pins = ["assurance", "reason"]
[settings]
longest = 14400
usual = 3600
assurance = 600
reason = { is = "required", at_least = 10 }
starts = { at_yes = true, at_time_within = 604800, begin_within = 28800 }
"#,
    r#"
scope = "/harbour/databases/berths"
[settings]
longest = 7200
usual = 3600
grace = 600
approval = { is = "stage", approvers = ["database-owners"], yes = 1, no = 1, within = 14400 }
"#,
    // Going on takes the same yes, for half an hour at a time, twice at most.
    r#"
scope = "/harbour/databases/berths"
act = "extend"
[settings]
longest = 1800
usual = 1800
extensions = 2
"#,
    // What can do everything is asked for with a ticket, and for an hour at most.
    r#"
scope = "/harbour/databases/berths"
weight = "critical"
pins = ["ticket"]
[settings]
longest = 3600
usual = 1800
ticket = { is = "required", pattern = "CHG-[0-9]{4,6}" }
"#,
    r#"
scope = "/analytics/brightwater"
asker = "harbour-engineers"
[settings]
approval = { is = "none" }
"#,
    // What can do everything there is held all the time by nobody from outside.
    r#"
scope = "/analytics/brightwater"
asker = "suppliers"
[settings]
standing = "never"
"#,
    // A key that a program was given outlives whoever made it: two look at it, one after the other, and one is made at a time.
    r#"
scope = "/analytics/brightwater"
role = "keysmith"
[settings]
uses = "one"
purposes = ["a new program", "a key that leaked", "a yearly exchange"]
[settings.approval]
is = "stages"
[[settings.approval.stages]]
approvers = ["the manager"]
yes = 1
no = 1
within = 7200
onward = ["administrators"]
[[settings.approval.stages]]
approvers = ["the owners"]
yes = 1
no = 1
within = 14400
cover = true
"#,
    // The same right asks more of a supplier than of the house's own engineers, and which visit it is for.
    r#"
scope = "/"
asker = "suppliers"
pins = ["approval", "longest", "references"]
[settings]
longest = 1800
usual = 1800
references = { visit = { is = "required", pattern = "V-[0-9]{4}" } }
approval = { is = "stage", approvers = ["database-owners"], yes = 2, no = 1, within = 7200 }
"#,
];
