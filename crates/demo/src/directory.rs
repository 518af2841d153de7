//! A private OpenLDAP server: the customs directory of the sample world.

use std::{
    path::{Path, PathBuf},
    process::{Child, Command, Stdio},
    time::{Duration, Instant},
};

use anyhow::{Context as _, bail, ensure};
use tempestas_api::{NewAccount, NewEligibility, NewFolder, NewTarget, NewTerms, WhichTarget};
use tempestas_client::Client;
use tempestas_core::{Connector, LookedAt};

/// Where Debian puts the server and its modules.
const SLAPD: &str = "/usr/sbin/slapd";
const MODULES: &str = "/usr/lib/ldap";
/// The root of the customs directory.
pub const BASE: &str = "dc=customs,dc=quillhaven,dc=example";
/// Our account there.
pub const BROKER: &str = "cn=tempestas,dc=customs,dc=quillhaven,dc=example";
const START: Duration = Duration::from_secs(10);

/// What is in it at first: people, groups within groups, and one that gathers grants.
const ENTRIES: &str = include_str!("customs.ldif");

/// How a directory is set up.
pub struct Plan {
    /// Seconds between its sweeps.
    pub sweep: u32,
    /// Most entries that it answers our account with at once; none where there is no limit.
    pub size_limit: Option<u32>,
}

impl Default for Plan {
    fn default() -> Self {
        Self { sweep: 1, size_limit: None }
    }
}

/// A running server. Ends when dropped; what is on its disk stays.
pub struct Directory {
    child: Child,
    /// Its port, on loopback.
    pub port: u16,
    directory: PathBuf,
}

/// Whether the server is installed here.
#[must_use]
pub fn installed() -> bool {
    Path::new(SLAPD).exists()
}

/// The distinguished name of somebody in it.
#[must_use]
pub fn person(uid: &str) -> String {
    format!("uid={uid},ou=people,{BASE}")
}

impl Directory {
    /// Starts a server, or goes on with what an earlier start left in `directory`.
    ///
    /// # Errors
    /// When it doesn't start.
    pub fn start(directory: &Path, port: u16, password: &str, plan: &Plan) -> anyhow::Result<Self> {
        let data = directory.join("data");
        let first = !data.exists();
        std::fs::create_dir_all(&data)?;
        let limit = plan
            .size_limit
            .map(|most| format!("limits dn.exact=\"{BROKER}\" size={most} size.pr={most} size.prtotal={most}\n"));
        let conf = directory.join("slapd.conf");
        std::fs::write(
            &conf,
            format!(
                "include /etc/ldap/schema/core.schema\ninclude /etc/ldap/schema/cosine.schema\n\
                 include /etc/ldap/schema/inetorgperson.schema\ninclude /etc/ldap/schema/dyngroup.schema\n\
                 modulepath {MODULES}\nmoduleload back_mdb\nmoduleload dds\nmoduleload dynlist\n\
                 pidfile {pid}\ndatabase mdb\nmaxsize 67108864\nsuffix \"{BASE}\"\nrootdn \"cn=root,{BASE}\"\ndirectory {data}\n\
                 {limit}access to * by dn.exact=\"{BROKER}\" manage by self write by users read by anonymous auth\n\
                 overlay dds\ndds-interval {sweep}\ndds-default-ttl 30\ndds-max-ttl 86400\ndds-min-ttl 1\n\
                 overlay dynlist\ndynlist-attrset groupOfURLs memberURL\n",
                pid = directory.join("pid").display(),
                data = data.display(),
                limit = limit.unwrap_or_default(),
                sweep = plan.sweep,
            ),
        )?;
        if first {
            let entries = directory.join("customs.ldif");
            std::fs::write(&entries, ENTRIES.replace("@BASE@", BASE).replace("@PASSWORD@", password))?;
            let added = Command::new("/usr/sbin/slapadd").arg("-f").arg(&conf).arg("-l").arg(&entries).output()?;
            ensure!(added.status.success(), "slapadd failed:\n{}", String::from_utf8_lossy(&added.stderr));
        }
        let child = Command::new(SLAPD)
            .args(["-d", "0", "-h", &format!("ldap://127.0.0.1:{port}"), "-f"])
            .arg(&conf)
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(std::fs::File::create(directory.join("log"))?)
            .spawn()
            .context("slapd can't be run")?;
        let mut server = Self { child, port, directory: directory.to_owned() };
        server.wait()?;
        Ok(server)
    }

    fn wait(&mut self) -> anyhow::Result<()> {
        let begun = Instant::now();
        while std::net::TcpStream::connect(("127.0.0.1", self.port)).is_err() {
            if begun.elapsed() > START || self.child.try_wait()?.is_some() {
                let log = std::fs::read_to_string(self.directory.join("log")).unwrap_or_default();
                bail!("the customs directory did not start:\n{log}");
            }
            std::thread::sleep(Duration::from_millis(20));
        }
        Ok(())
    }

    /// How a service reaches it.
    #[must_use]
    pub fn connector(&self, sweep: u32) -> Connector {
        Connector::Ldap {
            url: format!("ldap://127.0.0.1:{}", self.port),
            user: BROKER.to_owned(),
            base: BASE.to_owned(),
            grants: format!("ou=grants,{BASE}"),
            sweep,
        }
    }
}

/// Has the service look after the customs directory, as the demo does.
///
/// # Errors
/// When the service refuses.
pub async fn begin(mara: &Client, server: &Directory, password: &str) -> anyhow::Result<()> {
    mara.add_folder(&NewFolder { parent: "/".to_owned(), name: "customs".to_owned() }).await?;
    let new = NewTarget {
        parent: "/customs".to_owned(),
        name: "directory".to_owned(),
        connector: server.connector(Plan::default().sweep),
        secret: password.to_owned(),
        emergency_least: 0,
        alarm_after: 30,
    };
    let target = mara.add_target(&new).await?.path;
    mara.survey(&WhichTarget { target: target.clone() }).await?;
    for one in mara.people().await?.iter().filter(|one| ENTRIES.contains(&format!("uid={},", one.name))) {
        let account = NewAccount { target: target.clone(), account: person(&one.name) };
        mara.set_account(&one.name, LookedAt::Nothing, &account).await?;
    }
    let rule: NewTerms = toml::from_str(
        r#"
scope = "/customs/directory"
[settings]
longest = 7200
usual = 1800
approval = { is = "stage", approvers = ["henrik.voss", "oda.brandt"], yes = 1, no = 1, within = 14400 }
"#,
    )?;
    mara.add_terms(&rule).await?;
    let right = format!("seal-breakers@{target}");
    mara.give_eligibility(&NewEligibility::for_good("harbour-engineers", &right)).await?;
    Ok(())
}

impl Drop for Directory {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
