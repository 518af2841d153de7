//! The passenger terminal's house in the simulated cloud Fathom.

use jiff::Timestamp;
use serde_json::{Value, json};
use tempestas_api::{NewAccount, NewEligibility, NewFolder, NewTarget, NewTerms, WhichTarget};
use tempestas_client::Client;
use tempestas_core::{Connector, LookedAt};

use crate::rhythm::{Rhythm, uses};

/// A sheet, and the site that it is pinned at.
type Held = (&'static str, &'static str);

/// Who is known there, what they are, and what they hold all the time.
const IDENTITIES: [(&str, &str, &[Held]); 8] = [
    ("tempestas-broker", "program", &[("full", "terminal"), ("full", "shop")]),
    ("mara.lindqvist", "person", &[("full", "terminal")]),
    ("henrik.voss", "person", &[("full", "terminal"), ("full", "shop")]),
    ("tomas.reyes", "person", &[]),
    ("signe.holm", "person", &[("boarding", "terminal")]),
    ("lene.madsen", "person", &[("till", "shop")]),
    ("terminal-signs", "program", &[("boarding", "terminal")]),
    ("ferry-line", "outsider", &[("timetable", "terminal")]),
];

/// What the house is like at first. `key` makes each identity's key.
#[must_use]
pub fn seed(key: impl Fn(&str) -> String) -> String {
    let line = |text: &str| {
        let mut words = text.split_whitespace();
        let mut word = || words.next().unwrap_or_default();
        json!({ "may": word() == "may", "verb": word(), "thing": word() })
    };
    let sheet = |says: &str, lines: &[&str]| json!({ "says": says, "lines": lines.iter().map(|text| line(text)).collect::<Vec<_>>() });
    let identities: serde_json::Map<_, _> = IDENTITIES
        .iter()
        .map(|(name, kind, _)| ((*name).to_owned(), json!({ "kind": kind, "key": key(name) })))
        .collect();
    let mut pins = serde_json::Map::new();
    let mut pin = |sheet: &str, to: &str, site: &str| {
        let pin = json!({
            "sheet": sheet, "to": to, "site": site, "since": "2026-03-02T09:00:00Z", "made_by": "henrik.voss",
        });
        pins.insert(format!("p{}", pins.len() + 1), pin);
    };
    for (name, _, held) in IDENTITIES {
        for (sheet, site) in held {
            pin(sheet, name, site);
        }
    }
    pin("boarding", "team/night-gate", "terminal");
    pin("no-crew", "team/night-gate", "terminal");
    let house: Value = json!({
        "sites": ["terminal", "shop"],
        "sheets": {
            "full": sheet("does everything in the house's site", &["may * *"]),
            "boarding": sheet("boards passengers, and changes what the signs say", &["may read *", "may change boarding/*", "may change sign/*"]),
            "timetable": sheet("reads the timetable", &["may read timetable/*"]),
            "till": sheet("opens the tills and gives money back", &["may read till/*", "may change till/*"]),
            "no-crew": sheet("keeps out of the crews' papers", &["maynot * crew/*"]),
        },
        "identities": identities,
        "teams": { "night-gate": ["signe.holm", "tomas.reyes"] },
        "pins": pins,
        "trail": trail(Timestamp::now()),
    });
    house.to_string()
}

/// What was done there in the last months, and how often: identity, verb, thing, site.
const DONE: [(&str, &str, &str, &str, Rhythm); 8] = [
    ("mara.lindqvist", "pin", "sheet", "terminal", Rhythm::Every { days: 25, from: 9, to: 17 }),
    ("henrik.voss", "change", "sign/hall", "terminal", Rhythm::Every { days: 12, from: 19, to: 1 }),
    ("signe.holm", "change", "boarding/gate", "terminal", Rhythm::Office { uses: 2, from: 7, to: 15 }),
    ("lene.madsen", "change", "till/one", "shop", Rhythm::Every { days: 3, from: 9, to: 17 }),
    // A batch that runs under a person's own name.
    ("lene.madsen", "read", "till/one", "shop", Rhythm::Daily { hour: 23, minute: 40 }),
    ("terminal-signs", "change", "sign/hall", "terminal", Rhythm::Daily { hour: 4, minute: 0 }),
    ("terminal-signs", "change", "sign/hall", "terminal", Rhythm::Daily { hour: 16, minute: 0 }),
    ("ferry-line", "read", "timetable/summer", "terminal", Rhythm::Every { days: 7, from: 6, to: 12 }),
];

fn trail(now: Timestamp) -> Vec<Value> {
    let mut done: Vec<(Timestamp, Value)> = Vec::new();
    for (identity, verb, thing, site, rhythm) in DONE {
        done.extend(uses(identity, rhythm, now).into_iter().map(|at| {
            (at, json!({ "at": at, "identity": identity, "verb": verb, "thing": thing, "site": site, "allowed": true }))
        }));
    }
    done.sort_by_key(|(at, _)| *at);
    done.into_iter().map(|(_, one)| one).collect()
}

/// Has the service look after it, as the demo does.
///
/// # Errors
/// When the service refuses.
pub async fn begin(mara: &Client, address: &str, key: &str) -> anyhow::Result<()> {
    mara.add_folder(&NewFolder { parent: "/".to_owned(), name: "terminal".to_owned() }).await?;
    let new = NewTarget {
        parent: "/terminal".to_owned(),
        name: "fathom".to_owned(),
        connector: Connector::Fathom { url: address.to_owned() },
        secret: key.to_owned(),
        emergency_least: 1,
        alarm_after: 30,
    };
    let target = mara.add_target(&new).await?.path;
    mara.survey(&WhichTarget { target: target.clone() }).await?;
    for one in mara.people().await?.iter().filter(|one| IDENTITIES.iter().any(|(name, ..)| *name == one.name)) {
        let account = NewAccount { target: target.clone(), account: one.name.clone() };
        mara.set_account(&one.name, LookedAt::Nothing, &account).await?;
    }
    let rule: NewTerms = toml::from_str(&format!(
        "scope = \"{target}\"\n[settings]\nlongest = 7200\nusual = 1800\napproval = {{ is = \"stage\", approvers = [\"henrik.voss\", \"oda.brandt\"], yes = 1, no = 1, within = 14400 }}\n"
    ))?;
    mara.add_terms(&rule).await?;
    // What can do everything there is held by day alone, when somebody is at the terminal.
    let by_day: NewTerms = toml::from_str(&format!(
        "scope = \"{target}\"\nrole = \"full\"\n[settings]\nhours = [{{ zone = \"Europe/Oslo\", open = [\"mon-fri 06:00-18:00\"] }}]\n"
    ))?;
    mara.add_terms(&by_day).await?;
    let right = format!("boarding@{target}/terminal");
    mara.give_eligibility(&NewEligibility::for_good("harbour-engineers", &right)).await?;
    Ok(())
}
