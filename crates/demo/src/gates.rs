//! The port's gate controllers: a system that is described in a file.

use serde_json::json;
use tempestas_api::{CircumstanceBody, NewAccount, NewEligibility, NewTarget, NewTerms, WhichTarget};
use tempestas_client::Client;
use tempestas_core::{Connector, LookedAt};

/// The description, but for the address.
const FORM: &str = include_str!("gates.toml");

/// That somebody is at the north gate.
const STAFFED: &str = "north-gate-staffed";

/// Who keeps the gates at first, each with what they may.
const KEEPERS: [(&str, &str); 5] = [
    ("jonas.weir", "rule"),
    ("henrik.voss", "rule"),
    ("signe.holm", "open"),
    ("lene.madsen", "open"),
    ("ironquay-remote", "rule"),
];

/// What the controllers know at first.
#[must_use]
pub fn seed(key: &str) -> String {
    let keepers: serde_json::Map<_, _> = KEEPERS
        .iter()
        .enumerate()
        .map(|(n, (who, may))| (format!("k{}", n + 1), json!({ "who": who, "may": may })))
        .collect();
    json!({ "key": key, "keepers": keepers, "staffed": ["north", "south"] }).to_string()
}

/// How a service reaches them.
#[must_use]
pub fn connector(address: &str) -> Connector {
    Connector::Described { form: FORM.replace("@ADDRESS@", address) }
}

/// Has the service look after them, as the demo does.
///
/// # Errors
/// When the service refuses.
pub async fn begin(mara: &Client, address: &str, key: &str) -> anyhow::Result<()> {
    let new = NewTarget {
        parent: "/harbour/gates".to_owned(),
        name: "controllers".to_owned(),
        connector: connector(address),
        secret: key.to_owned(),
        emergency_least: 1,
        alarm_after: 30,
    };
    let target = mara.add_target(&new).await?.path;
    mara.survey(&WhichTarget { target: target.clone() }).await?;
    for one in mara.people().await? {
        if one.name == "tomas.reyes" || KEEPERS.iter().any(|(who, _)| *who == one.name) {
            let account = NewAccount { target: target.clone(), account: one.name.clone() };
            mara.set_account(&one.name, LookedAt::Nothing, &account).await?;
        }
    }
    // From afar a gate is opened only while somebody is there who sees it.
    let staffed = CircumstanceBody {
        address: format!("{address}/gates/north"),
        pointer: "/staffed".to_owned(),
        is: "true".to_owned(),
        secret: Some(key.to_owned()),
    };
    mara.set_circumstance(STAFFED, LookedAt::Nothing, &staffed).await?;
    let rule: NewTerms = toml::from_str(&format!(
        "scope = \"{target}\"\n[settings]\nlongest = 14400\nusual = 3600\nonly_while = [\"{STAFFED}\"]\n\
         approval = {{ is = \"none\" }}\n"
    ))?;
    mara.add_terms(&rule).await?;
    let right = format!("open@{target}");
    mara.give_eligibility(&NewEligibility::for_good("harbour-engineers", &right)).await?;
    Ok(())
}
