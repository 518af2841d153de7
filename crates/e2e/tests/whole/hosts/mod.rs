//! Linux hosts: a real sshd, a real sudo, each in namespaces of its own.

mod ends;
mod in_the_way;
mod looked_after;

use std::{
    path::{Path, PathBuf},
    process::{Command, Output},
};

use jiff::Timestamp;
use tempestas_api::{LoginAsk, NewAccount, NewTerms};
use tempestas_core::LookedAt;
use tempestas_demo::{
    cluster::free_port,
    hosts::{CRANE, Host, Lab, enrol, missing},
    seed,
};

use crate::house::{House, MARA, ODA, Plan, TOMAS};

/// What is asked on the pier: nobody's yes but for what is critical.
const TERMS: [&str; 2] = [
    r#"
scope = "/harbour"
[settings]
approval = { is = "none" }
"#,
    r#"
scope = "/harbour"
weight = "critical"
[settings]
approval = { is = "stage", approvers = ["oda.brandt"], yes = 1, no = 1, within = 3600 }
"#,
];

/// A house with hosts. The hosts go before what holds their namespace.
struct Pier {
    house: House,
    hosts: Vec<Host>,
    lab: Lab,
    paths: Vec<String>,
}

impl Pier {
    async fn new(hosts: usize) -> Self {
        assert_eq!(missing(), None, "hosts are never skipped silently");
        let house = House::new(Plan::cloud_only()).await;
        let lab = Lab::start(&|said| println!("{said}")).unwrap();
        let mut pier = Self { house, hosts: Vec::new(), lab, paths: Vec::new() };
        for rule in TERMS {
            let rule: NewTerms = toml::from_str(rule).unwrap();
            pier.house.client(MARA).add_terms(&rule).await.unwrap();
        }
        for n in 1..=hosts {
            let directory = pier.directory(n);
            let host = pier.lab.host(&directory, &format!("crane-{n}"), free_port().unwrap(), CRANE).unwrap();
            pier.take_in(host).await;
        }
        pier
    }

    async fn take_in(&mut self, host: Host) {
        let mara = self.house.client(MARA);
        let path = enrol(mara, &host, "/harbour").await.unwrap();
        let account = NewAccount { target: path.clone(), account: "tomas".to_owned() };
        mara.set_account(TOMAS, LookedAt::Nothing, &account).await.unwrap();
        self.paths.push(path);
        self.hosts.push(host);
    }

    /// A house with one host whose first process is systemd, and whose root is this machine's.
    async fn with_systemd() -> Self {
        let mut pier = Self::new(0).await;
        let host = pier.lab.systemd_host(&pier.directory(1), "mooring-1", free_port().unwrap(), CRANE).unwrap();
        pier.take_in(host).await;
        pier
    }

    fn directory(&self, n: usize) -> PathBuf {
        self.house.setup.directory.join(format!("crane-{n}"))
    }

    /// Tomas gets a role on the first host, for so long; says when it ends.
    async fn live(&self, role: &str, seconds: u32) -> (String, Timestamp) {
        let right = format!("{role}@{}", self.paths[0]);
        self.house.eligible(TOMAS, &right).await;
        let asked = self.house.ask(TOMAS, &right, seconds).await.unwrap();
        if asked.state == "waiting" {
            self.house.yes(ODA, &asked.id).await.unwrap();
        }
        let until = self.house.live(&asked.id).await.elevation.grant.unwrap().until;
        (asked.id, until)
    }

    /// A fresh key of Tomas's, certified for an elevation.
    async fn certified(&self, id: &str) -> Key {
        let directory = self.house.path().join(format!("key-{id}-{}", seed::random_word()));
        std::fs::create_dir_all(&directory).unwrap();
        let key = Key::new(&directory);
        let ask = LoginAsk { public_key: Some(key.public()) };
        let login = self.house.client(TOMAS).login(id, &ask).await.unwrap();
        key.keep_certificate(&login.certificate.unwrap());
        key
    }
}

/// A key of OpenSSH's, with what was certified for it.
struct Key(PathBuf);

impl Key {
    fn new(directory: &Path) -> Self {
        let key = directory.join("key");
        let made = Command::new("ssh-keygen").args(["-q", "-t", "ed25519", "-N", "", "-f"]).arg(&key).status();
        assert!(made.unwrap().success());
        Self(key)
    }

    fn public(&self) -> String {
        std::fs::read_to_string(self.0.with_extension("pub")).unwrap()
    }

    fn keep_certificate(&self, certificate: &str) {
        std::fs::write(self.0.with_file_name("key-cert.pub"), format!("{certificate}\n")).unwrap();
    }

    fn ssh(&self, host: &Host, account: &str, command: &str) -> Command {
        let mut ssh = Command::new("ssh");
        ssh.args([
            "-F",
            "none",
            "-o",
            "BatchMode=yes",
            "-o",
            "StrictHostKeyChecking=no",
            "-o",
            "UserKnownHostsFile=/dev/null",
        ])
        .args(["-o", "IdentitiesOnly=yes", "-o", "LogLevel=ERROR", "-o", "ConnectTimeout=5", "-i"])
        .arg(&self.0)
        .args(["-p", &host.port.to_string(), &format!("{account}@{}", host.address), command]);
        ssh
    }

    fn run(&self, host: &Host, account: &str, command: &str) -> Output {
        self.ssh(host, account, command).output().unwrap()
    }

    fn says(&self, host: &Host, command: &str) -> String {
        let output = self.run(host, "tomas", command);
        assert!(output.status.success(), "{command}: {}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8_lossy(&output.stdout).trim().to_owned()
    }
}
