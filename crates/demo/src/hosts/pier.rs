//! The hosts of the running demo: the cranes' machines on the pier, enrolled through the service's own interface.

use std::path::Path;

use anyhow::Context as _;
use jiff::Timestamp;
use serde_json::json;
use tempestas_api::{NewAccount, NewEligibility, NewFolder, NewTerms};
use tempestas_client::Client;
use tempestas_core::LookedAt;

use super::{CRANE, Host, Lab, enrol};
use crate::{
    cluster::free_port,
    rhythm::{Rhythm, uses},
    systems::HostFacts,
};

const FOLDER: &str = "/harbour/cranes";

/// Whose the accounts on the hosts are, where the service knows the person.
const ACCOUNTS: [(&str, &str); 5] = [
    ("tomas.reyes", "tomas"),
    ("jonas.weir", "jweir"),
    ("piet.sol", "psol"),
    ("uma.stern", "ironquay"),
    ("lene.madsen", "lmadsen"),
];

/// Looking may anybody who is eligible; root wants a yes.
const TERMS: [&str; 2] = [
    r#"
scope = "/harbour/cranes"
[settings]
longest = 14400
usual = 1800
approval = { is = "none" }
"#,
    r#"
scope = "/harbour/cranes"
weight = "critical"
[settings]
longest = 3600
approval = { is = "stage", approvers = ["oda.brandt", "henrik.voss"], yes = 1, no = 1, within = 14400 }
"#,
];

/// Starts the hosts and has the service look after them.
///
/// # Errors
/// When a host doesn't start, or the service refuses.
pub async fn begin(mara: &Client, lab: &Lab, directory: &Path) -> anyhow::Result<Vec<Host>> {
    let (parent, name) = FOLDER.rsplit_once('/').context("it lies below another")?;
    mara.add_folder(&NewFolder { parent: parent.to_owned(), name: name.to_owned() }).await?;
    let known = mara.people().await?;
    let mut hosts = Vec::new();
    for name in ["crane-1", "crane-2"] {
        let provision = format!("{CRANE}{}", log_of(name, Timestamp::now()));
        let host = lab.host(&directory.join("hosts").join(name), name, free_port()?, &provision)?;
        let target = enrol(mara, &host, FOLDER).await?;
        for (person, account) in ACCOUNTS {
            if known.iter().any(|subject| subject.name == person) {
                let account = NewAccount { target: target.clone(), account: account.to_owned() };
                mara.set_account(person, LookedAt::Nothing, &account).await?;
            }
        }
        for role in ["root", "run:look-at-crane"] {
            let right = format!("{role}@{target}");
            let new = NewEligibility::for_good("harbour-engineers", &right);
            mara.give_eligibility(&new).await?;
        }
        hosts.push(host);
    }
    for rule in TERMS {
        let rule: NewTerms = toml::from_str(rule)?;
        mara.add_terms(&rule).await?;
    }
    Ok(hosts)
}

/// What was done by sudo on each host in the last months, and how often: account, command.
const DONE: [(&str, &str, Rhythm); 4] = [
    ("jweir", "/usr/bin/pkill", Rhythm::Every { days: 6, from: 21, to: 6 }),
    ("psol", "/usr/bin/tail", Rhythm::Every { days: 15, from: 9, to: 16 }),
    ("tomas", "/usr/bin/tail", Rhythm::Office { uses: 1, from: 7, to: 15 }),
    ("lmadsen", "/usr/sbin/reboot", Rhythm::Sundays { hour: 4, minute: 30 }),
];

/// A script that leaves the lines of these months in the host's log, as sudo writes them.
fn log_of(host: &str, now: Timestamp) -> String {
    let mut lines: Vec<(Timestamp, String)> = Vec::new();
    for (account, command, rhythm) in DONE {
        lines.extend(uses(&format!("{host} {account}"), rhythm, now).into_iter().map(|at| {
            let time = json!({ "seconds": at.as_second(), "nanoseconds": at.subsec_nanosecond() });
            let done = json!({ "server_time": time, "submituser": account, "command": command, "runuser": "root" });
            (at, format!("{at} {host} sudo: @cee:{}", json!({ "sudo": { "accept": done } })))
        }));
    }
    lines.sort();
    let lines: Vec<String> = lines.into_iter().map(|(_, line)| line).collect();
    format!("cat > /var/log/auth.log <<'END'\n{}\nEND\nchmod 640 /var/log/auth.log\n", lines.join("\n"))
}

/// Starts them again, as they were left.
///
/// # Errors
/// When a host doesn't start.
pub fn take_up(lab: &Lab, directory: &Path, known: &[HostFacts]) -> anyhow::Result<Vec<Host>> {
    known.iter().map(|host| lab.host(&directory.join("hosts").join(&host.name), &host.name, host.port, CRANE)).collect()
}
