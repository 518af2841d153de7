//! The systems of the running demo that the service is told of through its own interface, each with what it needs here.

use std::path::Path;

use serde::{Deserialize, Serialize};
use tempestas_client::Client;

use crate::{
    cluster::free_port,
    daemon,
    directory::{self, Directory, Plan},
    fathom, gates,
    hosts::{self, Host, Lab, pier},
    processes::Running,
    seed::random_word,
};

/// Where the systems are, for taking them up again.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct SystemsFacts {
    /// Address of the simulated cloud Fathom.
    pub fathom: Option<String>,
    /// Address of the gate controllers.
    pub gates: Option<String>,
    /// Port of the customs directory; none where OpenLDAP's server is missing.
    pub directory_port: Option<u16>,
    /// The Linux hosts; none where namespaces aren't to be had.
    pub hosts: Vec<HostFacts>,
}

/// A Linux host of the demo.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct HostFacts {
    /// Its name.
    pub name: String,
    /// Where its sshd listens, on loopback.
    pub port: u16,
}

/// Everything that runs. Ends with it; the hosts go before what holds their namespaces.
#[derive(Default)]
pub struct Systems {
    fathom: Option<Running>,
    gates: Option<Running>,
    customs: Option<Directory>,
    hosts: Vec<Host>,
    _lab: Option<Lab>,
}

impl Systems {
    /// Starts all that this machine lets us, and has the service look after them.
    ///
    /// # Errors
    /// When one doesn't start, or the service refuses.
    pub async fn begin(mara: &Client, directory: &Path, say: &impl Fn(&str)) -> anyhow::Result<Self> {
        let key = random_word();
        let of = |name: &str| format!("{key}-{name}");
        let cloud = daemon::fathom(&directory.join("fathom"), free_port()?, Some(&fathom::seed(of)))?;
        fathom::begin(mara, &cloud.address, &of("tempestas-broker")).await?;
        let key = random_word();
        let controllers = daemon::gates(&directory.join("gates"), free_port()?, Some(&gates::seed(&key)))?;
        gates::begin(mara, &controllers.address, &key).await?;
        let customs = customs(mara, directory, say).await?;
        let lab = lab(say)?;
        let hosts = match &lab {
            Some(lab) => pier::begin(mara, lab, directory).await?,
            None => Vec::new(),
        };
        Ok(Self { fathom: Some(cloud), gates: Some(controllers), customs, hosts, _lab: lab })
    }

    /// Starts them again, as they were left.
    ///
    /// # Errors
    /// When one doesn't start.
    pub fn take_up(directory: &Path, facts: &SystemsFacts, say: &impl Fn(&str)) -> anyhow::Result<Self> {
        let port = |address: &String| address.rsplit(':').next().and_then(|port| port.parse().ok()).unwrap_or(0);
        let fathom = facts.fathom.as_ref().map(|at| daemon::fathom(&directory.join("fathom"), port(at), None));
        let gates = facts.gates.as_ref().map(|at| daemon::gates(&directory.join("gates"), port(at), None));
        // Its password is in its own files and sealed in the service; neither is made anew.
        let customs =
            facts.directory_port.map(|port| Directory::start(&directory.join("customs"), port, "", &Plan::default()));
        let lab = if facts.hosts.is_empty() { None } else { lab(say)? };
        let hosts = match &lab {
            Some(lab) => pier::take_up(lab, directory, &facts.hosts)?,
            None => Vec::new(),
        };
        Ok(Self {
            fathom: fathom.transpose()?,
            gates: gates.transpose()?,
            customs: customs.transpose()?,
            hosts,
            _lab: lab,
        })
    }

    /// Where they are.
    #[must_use]
    pub fn facts(&self) -> SystemsFacts {
        SystemsFacts {
            fathom: self.fathom.as_ref().map(|fathom| fathom.address.clone()),
            gates: self.gates.as_ref().map(|gates| gates.address.clone()),
            directory_port: self.customs.as_ref().map(|customs| customs.port),
            hosts: self.hosts.iter().map(|host| HostFacts { name: host.name.clone(), port: host.port }).collect(),
        }
    }
}

/// Starts the customs directory and has the service look after it.
async fn customs(mara: &Client, at: &Path, say: &impl Fn(&str)) -> anyhow::Result<Option<Directory>> {
    if !directory::installed() {
        say(
            "OpenLDAP's server is not installed, so the demo goes on without the customs directory; `apt-get install slapd` adds it",
        );
        return Ok(None);
    }
    say("starting the customs directory");
    let password = random_word();
    let server = Directory::start(&at.join("customs"), free_port()?, &password, &Plan::default())?;
    directory::begin(mara, &server, &password).await?;
    Ok(Some(server))
}

/// What hosts live in, or a word about why there are none.
fn lab(say: &impl Fn(&str)) -> anyhow::Result<Option<Lab>> {
    if let Some(why) = hosts::missing() {
        say(&format!("{why}; the demo goes on without hosts"));
        return Ok(None);
    }
    say("starting the Linux hosts on the pier");
    Lab::start(say).map(Some)
}
