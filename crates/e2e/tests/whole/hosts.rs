//! Linux hosts: a real sshd, a real sudo, each in namespaces of its own.

use std::{
    path::{Path, PathBuf},
    process::{Command, Output},
};

use jiff::{SignedDuration, Timestamp};
use tempestas_api::{
    AuthoritiesStep, Chosen, ConvertRequest, DriftFilter, LoginAsk, NewAccount, NewTerms, RotationStage,
    StandingFilter, WaysQuery, WhichTarget,
};
use tempestas_core::{ItemState, Weight, rehearsal::Rhythm};
use tempestas_demo::{
    cluster::free_port,
    hosts::{CRANE, Host, Lab, enrol, missing},
    seed,
};
use tempestas_host::protocol::{Grant, Order, Outcome, Reply, Request, Standing, VERSION};

use crate::house::{House, MARA, ODA, Plan, TOMAS, eventually};

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
        mara.set_account(TOMAS, &account).await.unwrap();
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

/// What a holder might try in order to keep root, each with whether it is ended, or found, or beyond us.
const HOSTILE: [(&str, &str, Fate); 13] = [
    (
        "a pipe where a file is read",
        "sudo mkfifo /etc/cron.d/pipe /root/.ssh/authorized_keys2",
        Fate::Found("/etc/cron.d/pipe (jobs) is new"),
    ),
    ("a job of the shell", "nohup sudo sleep 7001 >/dev/null 2>&1 &", Fate::Ended("sleep 7001")),
    ("a session of its own", "setsid sudo setsid sleep 7002 >/dev/null 2>&1 &", Fate::Ended("sleep 7002")),
    ("without an environment", "sudo env -i setsid sleep 7003 >/dev/null 2>&1 &", Fate::Ended("sleep 7003")),
    ("started by another user", "sudo su jweir -c 'setsid sleep 7004 >/dev/null 2>&1 &'", Fate::Ended("sleep 7004")),
    (
        "what starts itself again",
        "sudo sh -c 'while :; do sleep 7005; done' >/dev/null 2>&1 &",
        Fate::Ended("sleep 7005"),
    ),
    (
        "a job of cron",
        "echo '* * * * * root sleep 7006' | sudo tee /etc/cron.d/kept",
        Fate::Found("/etc/cron.d/kept (jobs) is new"),
    ),
    (
        "a key of root",
        "echo 'ssh-ed25519 AAAA kept' | sudo tee -a /root/.ssh/authorized_keys",
        Fate::Found("/root/.ssh/authorized_keys (keys of root) is changed"),
    ),
    (
        "a copy that runs as root",
        "sudo install -m 4755 /bin/sh /var/tmp/kept",
        Fate::Found("/var/tmp/kept (programs that run as another) is new"),
    ),
    (
        "a capability",
        "sudo cp /bin/true /opt/able && sudo setcap cap_setuid+ep /opt/able",
        Fate::Found("/opt/able (programs that run as another) is new"),
    ),
    ("an account of uid 0", "sudo useradd -o -u 0 -g 0 -M kept", Fate::Found("/etc/passwd (accounts) is changed")),
    (
        "a rule of sudo",
        "echo 'tomas ALL=(ALL) NOPASSWD: ALL' | sudo tee /etc/sudoers.d/kept",
        Fate::Found("/etc/sudoers.d/kept (sudo rules) is new"),
    ),
    (
        "the bounds themselves",
        "sudo sed -i 's/^longest.*/longest = \"900h\"/' /etc/tempestas/host.toml",
        Fate::Found("/etc/tempestas/host.toml (our own bounds) is changed"),
    ),
];

enum Fate {
    /// Nothing so called runs after the end.
    Ended(&'static str),
    /// It is named among the leftovers.
    Found(&'static str),
}

#[tokio::test(flavor = "multi_thread")]
async fn with_the_service_dead_a_host_ends_root_what_runs_under_it_and_the_way_in_and_what_was_kept_is_found() {
    let mut pier = Pier::new(1).await;
    let (id, until) = pier.live("root", 15).await;
    let key = pier.certified(&id).await;
    let host = &pier.hosts[0];
    assert_eq!(key.says(host, "sudo -n id -u"), "0");
    // All in one sign-in, so that there is time left.
    let script: Vec<String> = HOSTILE
        .iter()
        .enumerate()
        .map(|(n, (_, command, _))| format!("{{ {command}\n}} >&2 && echo done {n}"))
        .collect();
    let output = key.run(host, "tomas", &script.join("\n"));
    let (said, words) = (String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
    for (n, (name, ..)) in HOSTILE.iter().enumerate() {
        assert!(said.lines().any(|line| line == format!("done {n}")), "{name} can't be tried: {words}");
    }
    let mut open = key.ssh(host, "tomas", "sudo -n sleep 7000").spawn().unwrap();
    eventually("the session is open", async || host.run("pgrep -f '^sleep 7000'").unwrap().status.success()).await;
    pier.house.service.kill();
    assert!(Timestamp::now() < until, "trying took longer than the grant");
    tokio::task::spawn_blocking(move || open.wait()).await.unwrap().unwrap();
    let late = Timestamp::now().duration_since(until);
    assert!(!late.is_negative() && late < SignedDuration::from_secs(3), "the open session ended {late} after its end");
    println!("the open session ended {} ms after the grant's end, with the service dead", late.as_millis());
    let host = &pier.hosts[0];
    assert!(!key.run(host, "tomas", "true").status.success(), "a new sign-in is let in");
    let no_rule =
        host.run("test ! -e /etc/sudoers.d/tempestas-* && ! su tomas -c 'sudo -n -l' 2>/dev/null | grep NOTAFTER");
    assert!(no_rule.unwrap().status.success(), "the rule of sudo is still there");
    for (name, _, fate) in &HOSTILE {
        if let Fate::Ended(process) = fate {
            let running = host.run(&format!("pgrep -f '^{process}'")).unwrap();
            assert!(!running.status.success(), "{name}: `{process}` still runs");
        }
    }
    pier.house.start_again(&[]);
    let over = pier.house.over(&id).await;
    assert_eq!(over.elevation.state, "lapsed");
    let found: Vec<String> =
        over.elevation.grant.unwrap().leftovers.unwrap().into_iter().map(|leftover| leftover.what).collect();
    for (name, _, fate) in &HOSTILE {
        if let Fate::Found(expected) = fate {
            assert!(found.iter().any(|what| what.contains(expected)), "{name}: `{expected}` is not among {found:#?}");
        }
    }
    assert!(found.iter().any(|what| what.contains("trust in this host ended with the grant")));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_root_undoes_of_its_own_end_on_a_host_ends_when_tempestas_is_back() {
    let mut pier = Pier::new(1).await;
    let (id, until) = pier.live("root", 12).await;
    let key = pier.certified(&id).await;
    let host = &pier.hosts[0];
    for command in [
        "sudo sed -i 's/NOTAFTER=[0-9]*Z//' /etc/sudoers.d/tempestas-*",
        "sudo pkill -f 'tempestas-host wait'",
        "nohup sudo setsid sh -c 'echo $$ > /proc/self/loginuid; exec sleep 7100' >/dev/null 2>&1 &",
    ] {
        let output = key.run(host, "tomas", command);
        assert!(output.status.success(), "{command}: {}", String::from_utf8_lossy(&output.stderr));
    }
    pier.house.service.kill();
    while Timestamp::now() < until + SignedDuration::from_secs(1) {
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    let host = &pier.hosts[0];
    assert_eq!(host.sh("su tomas -c 'sudo -n id -u'").unwrap().trim(), "0", "beyond us, as its lapse says");
    assert!(host.run("pgrep -f '^sleep 7100'").unwrap().status.success());
    pier.house.start_again(&[]);
    assert_eq!(pier.house.over(&id).await.elevation.state, "lapsed");
    let host = &pier.hosts[0];
    assert!(!host.run("su tomas -c 'sudo -n id -u'").unwrap().status.success(), "the edited rule still holds");
    assert!(!host.run("pgrep -f '^sleep 7100'").unwrap().status.success(), "what was started still runs");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_membership_ends_with_its_grant_and_one_that_was_there_before_stays() {
    let pier = Pier::new(1).await;
    let host = &pier.hosts[0];
    let groups = || host.sh("id -nG tomas").unwrap().split_whitespace().map(str::to_owned).collect::<Vec<_>>();
    let (id, _) = pier.live("group:adm", 600).await;
    assert!(groups().contains(&"adm".to_owned()));
    let key = pier.certified(&id).await;
    assert!(key.says(host, "id -nG").contains("adm"));
    // He is of the crane group all the time; a grant of it beside that ends alone.
    let (beside, _) = pier.live("group:crane", 600).await;
    let tomas = pier.house.client(TOMAS);
    tomas.give_back(&beside).await.unwrap();
    pier.house.over(&beside).await;
    assert!(groups().contains(&"crane".to_owned()), "the standing membership went with the grant");
    assert!(groups().contains(&"adm".to_owned()), "the other grant's membership went too");
    tomas.give_back(&id).await.unwrap();
    assert_eq!(pier.house.over(&id).await.elevation.state, "given-back");
    assert!(!groups().contains(&"adm".to_owned()));
    let (other, _) = pier.live("run:look-at-crane", 600).await;
    assert!(pier.certified(&other).await.run(host, "tomas", "true").status.success());
    let refused = key.run(host, "tomas", "true");
    assert!(
        !refused.status.success(),
        "its certificate is good for longer and the account has another grant, but it ended"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_certificate_opens_one_account_on_one_host_and_no_other() {
    let pier = Pier::new(2).await;
    let (id, _) = pier.live("run:look-at-crane", 600).await;
    let key = pier.certified(&id).await;
    let (first, second) = (&pier.hosts[0], &pier.hosts[1]);
    assert_eq!(key.says(first, "id -un"), "tomas");
    assert!(key.says(first, "sudo -n -l").contains("/usr/bin/tail /var/log/crane.log"));
    let lets_in = |host: &Host, account: &str| key.run(host, account, "true").status.success();
    for account in ["root", "keeper", "jweir", "tempestas"] {
        assert!(!lets_in(first, account), "{account} was let in");
    }
    // The account is the same there, and holds a grant there too: only the host's name differs.
    let right = format!("run:look-at-crane@{}", pier.paths[1]);
    pier.house.eligible(TOMAS, &right).await;
    let there = pier.house.ask(TOMAS, &right, 600).await.unwrap();
    pier.house.live(&there.id).await;
    assert!(!lets_in(second, "tomas"), "a certificate for one host opens the next");
    let own = pier.certified(&there.id).await;
    assert_eq!(own.says(second, "hostname"), "crane-2");

    // Neither authority signs for the other's door.
    let certificate = std::fs::read_to_string(key.0.with_file_name("key-cert.pub")).unwrap();
    let shown =
        Command::new("ssh-keygen").args(["-L", "-f"]).arg(key.0.with_file_name("key-cert.pub")).output().unwrap();
    let shown = String::from_utf8_lossy(&shown.stdout).into_owned();
    assert!(certificate.starts_with("ssh-ed25519-cert-v01@openssh.com "), "{certificate}");
    assert!(shown.contains("permit-pty") && !shown.contains("permit-port-forwarding"), "{shown}");
    assert!(shown.matches("tomas@t").count() == 1, "one principal, of one host: {shown}");

    // A host that is another than the one that was pinned is not spoken to, and it is said.
    first
        .sh("rm /etc/ssh/ssh_host_*; ssh-keygen -q -t ed25519 -N '' -f /etc/ssh/ssh_host_ed25519_key; kill -HUP 1")
        .unwrap();
    let which = WhichTarget { target: pier.paths[0].clone() };
    let mara = pier.house.client(MARA);
    eventually("the other key is noticed", async || {
        let missing = mara.check_target(&which).await.unwrap().missing;
        missing.iter().any(|one| one.contains("host key is not the one that was pinned"))
    })
    .await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_line_of_sudoers_loses_one_name_and_gets_it_back_word_for_word() {
    let pier = Pier::new(1).await;
    let (host, mara, path) = (&pier.hosts[0], pier.house.client(MARA), &pier.paths[0]);
    let before = host.sh("cat /etc/sudoers.d/pier /etc/group /root/.ssh/authorized_keys").unwrap();
    let all = mara.standing(&StandingFilter::default()).await.unwrap();
    let named = |account: &str, role: &str| {
        let held = all.iter().find(|one| one.scope == *path && one.account.starts_with(account) && one.role == role);
        held.unwrap_or_else(|| panic!("{account} is not seen to hold {role}")).clone()
    };
    assert_eq!(named("psol", "root").chain, ["%sudo in /etc/sudoers"]);
    assert_eq!(named("lmadsen", "sudo:ef307211").chain, ["an alias in /etc/sudoers.d/pier"]);
    assert!(all.iter().all(|one| !(one.account == "ironquay" && one.role == "run:look-at-crane")), "excepted by name");
    for (account, owner) in [
        ("jweir", "henrik.voss"),
        ("psol", ODA),
        ("lmadsen", "lene.madsen"),
        ("key efa309 ironquay-remote", "ines.kowal"),
    ] {
        let new = NewAccount { target: path.clone(), account: account.to_owned() };
        mara.set_account(owner, &new).await.unwrap();
    }
    let chosen = ["jweir root", "psol group:sudo", "lmadsen sudo:ef307211"]
        .map(|one| one.split_once(' ').map(|(account, role)| named(account, role).id).unwrap())
        .to_vec();
    let plan = mara.preview_conversion(&Chosen { chosen: chosen.clone() }).await.unwrap();
    let converted = mara.convert(&ConvertRequest::at_once(chosen, plan.digest)).await.unwrap();
    let became = async |state: ItemState| {
        eventually("every item is done", async || {
            let all = mara.conversions().await.unwrap();
            let now = all.iter().find(|one| one.id == converted.id).unwrap();
            now.items.iter().all(|item| item.state == state)
        })
        .await;
    };
    became(ItemState::Taken).await;
    let after = host.sh("cat /etc/sudoers.d/pier").unwrap();
    assert!(after.contains("\n#1004 ALL = (ALL) NOPASSWD: ALL\n"), "{after}");
    assert!(!after.contains("jweir") && after.contains("%crane, !ironquay"), "{after}");
    assert!(after.contains("\nNIGHT, !lmadsen ALL = (root)"), "the alias serves other lines: {after}");
    assert!(!host.sh("id -nG psol").unwrap().contains("sudo"));
    host.sh("visudo -c && ! su lmadsen -c 'sudo -n -l' | grep -q reboot").unwrap();

    // Something puts one of them back each night: that is said, and what to change at its source.
    host.sh("sed -i 's/^#1004 ALL/jweir, #1004 ALL/' /etc/sudoers.d/pier").unwrap();
    // Not at once: what a survey sees of our own act is no drift.
    let back = async || {
        mara.survey(&WhichTarget { target: path.clone() }).await.unwrap();
        mara.drift(&DriftFilter::default()).await.unwrap().into_iter().find(|one| one.account == "jweir")
    };
    eventually("it is seen to be back", async || back().await.is_some()).await;
    let back = back().await.unwrap();
    assert!(back.says.contains("again"), "{}", back.says);
    let patch = mara.source_patch(&back.id).await.unwrap().patch.unwrap();
    host.sh(&format!("cat > /tmp/source.diff <<'END'\n{patch}END\ncp /etc/sudoers.d/pier /tmp/pier")).unwrap();
    assert!(patch.contains("\n-jweir, #1004 ALL = (ALL) NOPASSWD: ALL\n+#1004 ALL = (ALL) NOPASSWD: ALL\n"), "{patch}");
    host.sh("sed -i 's/^jweir, #1004 ALL/#1004 ALL/' /etc/sudoers.d/pier").unwrap();
    mara.survey(&WhichTarget { target: path.clone() }).await.unwrap();
    mara.undo_conversion(&converted.id).await.unwrap();
    became(ItemState::Restored).await;
    let restored = host.sh("cat /etc/sudoers.d/pier /etc/group /root/.ssh/authorized_keys").unwrap();
    let sorted = |text: &str| text.replace("pier-seal,psol", "psol,pier-seal");
    assert_eq!(sorted(&restored), sorted(&before));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_sudo_and_sshd_leave_in_the_log_is_the_use_of_a_right() {
    let pier = Pier::new(1).await;
    let (host, mara, path) = (&pier.hosts[0], pier.house.client(MARA), &pier.paths[0]);
    let account = NewAccount { target: path.clone(), account: "jweir".to_owned() };
    mara.set_account("jonas.weir", &account).await.unwrap();
    for _ in 0..2 {
        assert_eq!(host.sh("su jweir -c 'sudo -n id -u'").unwrap().trim(), "0");
    }
    eventually("sudo's lines are in the log", async || {
        host.sh("grep -c '\"submituser\":\"jweir\"' /var/log/auth.log || true").unwrap().trim() == "2"
    })
    .await;
    mara.survey(&WhichTarget { target: path.clone() }).await.unwrap();
    let all = mara.standing(&StandingFilter::default()).await.unwrap();
    let held = all.iter().find(|one| one.account == "jweir" && one.role == "root").unwrap();
    assert!(held.last_used.is_some_and(|at| at.duration_since(Timestamp::now()).abs() < SignedDuration::from_mins(1)));
    let plan = mara.preview_conversion(&Chosen { chosen: vec![held.id.clone()] }).await.unwrap();
    assert_eq!((plan.items[0].uses, plan.items[0].rhythm), (2, Rhythm::Rarely));
    let log = host.sh("cat /var/log/auth.log").unwrap();
    assert!(!log.contains("\"submituser\":\"tempestas\""), "our own orders are no activity");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_host_does_nothing_beyond_its_own_bounds_whoever_orders_it() {
    let pier = Pier::new(1).await;
    let host = &pier.hosts[0];
    let bounds = host.sh("cat /etc/tempestas/host.toml").unwrap();
    let value = |key: &str| {
        let line = bounds.lines().find_map(|line| line.strip_prefix(&format!("{key} = \""))).unwrap();
        line.trim_end_matches('"').to_owned()
    };
    let now = Timestamp::now();
    let grant = Grant {
        number: 7,
        attempt: 10,
        name: "tpbounds".to_owned(),
        account: "tomas".to_owned(),
        role: "root".to_owned(),
        opened_at: now,
        until: now + SignedDuration::from_secs(60),
    };
    let good = Request {
        version: VERSION,
        installation: value("installation"),
        target: value("target"),
        ordered_at: now,
        order: Order::Give { grant: grant.clone() },
    };
    // As the forced command hears it, past Tempestas: with the power of a stolen authority.
    let ordered = |request: &Request| {
        let text = serde_json::to_string(request).unwrap().replace('\'', "");
        let reply = host.sh(&format!("printf '%s' '{text}' | /usr/local/libexec/tempestas-host")).unwrap();
        serde_json::from_str::<Reply>(&reply).unwrap().outcome
    };
    let give = |change: fn(&mut Grant)| {
        let mut grant = grant.clone();
        change(&mut grant);
        Request { order: Order::Give { grant }, ..good.clone() }
    };
    let long_ago = now - SignedDuration::from_secs(120);
    for (why, request) in [
        ("another installation", Request { installation: "other".to_owned(), ..good.clone() }),
        ("another installation or host", Request { target: "t1-other".to_owned(), ..good.clone() }),
        ("was ordered", Request { ordered_at: long_ago, ..good.clone() }),
        ("speaks version", Request { version: VERSION + 1, ..good.clone() }),
        ("longer than", give(|grant| grant.until += SignedDuration::from_hours(9))),
        ("end is past", give(|grant| grant.until -= SignedDuration::from_hours(1))),
        ("doesn't allow the role", give(|grant| grant.role = "group:shadow".to_owned())),
        ("doesn't allow the role", give(|grant| grant.role = "run:other".to_owned())),
        ("root's, the system's", give(|grant| grant.account = "keeper".to_owned())),
        ("root's, the system's", give(|grant| grant.account = "tempestas".to_owned())),
        ("root's, the system's", give(|grant| grant.account = "games".to_owned())),
        ("sealed", give(|grant| grant.account = "pier-seal".to_owned())),
        ("not on the host", give(|grant| grant.account = "nobody-here".to_owned())),
        ("account's name", give(|grant| grant.account = "tomas ALL=(ALL) ALL\n#".to_owned())),
        ("letters and digits", give(|grant| grant.name = "../../etc/cron.d/x".to_owned())),
    ] {
        match ordered(&request) {
            Outcome::Refused(said) => assert!(said.contains(why), "{why}: {said}"),
            other => panic!("{why}: {other:?}"),
        }
    }
    assert_eq!(
        host.sh("ls /etc/sudoers.d").unwrap().split_whitespace().collect::<Vec<_>>(),
        ["README", "pier", "tempestas"]
    );
    // Putting back is no way around the bounds: only what was taken on this host.
    for (account, handle) in [("tomas", "member:shadow"), ("tomas", "sudoers:00"), ("psol", "member:sudo")] {
        let standing = Standing { account: account.to_owned(), role: "root".to_owned(), handle: handle.to_owned() };
        match ordered(&Request { order: Order::RestoreStanding { standing }, ..good.clone() }) {
            Outcome::Refused(said) => assert!(said.contains("nothing of the kind was taken"), "{handle}: {said}"),
            other => panic!("{handle}: {other:?}"),
        }
    }
    assert!(!host.sh("id -nG tomas").unwrap().contains("shadow"));
    assert_eq!(ordered(&good), Outcome::Done);
    assert_eq!(ordered(&good), Outcome::Late, "the same order again changes nothing");
    assert_eq!(ordered(&Request { order: Order::Take { grant: grant.clone() }, ..good.clone() }), Outcome::Done);
    let again = give(|grant| grant.attempt += 5);
    assert_eq!(ordered(&again), Outcome::Late, "an order that comes after the end changes nothing");
    assert_eq!(ordered(&Request { order: Order::Marked, ..good.clone() }), Outcome::Marked(Vec::new()));
}

#[tokio::test(flavor = "multi_thread")]
async fn one_pair_of_authorities_follows_another_and_what_was_taken_back_is_void_on_the_host() {
    let pier = Pier::new(1).await;
    let (mara, host) = (pier.house.client(MARA), &pier.hosts[0]);
    let told = async || mara.authorities().await.unwrap().hosts.iter().all(|host| host.told);
    let step = async |from, leave_behind| mara.step_authorities(&AuthoritiesStep { from, leave_behind }).await;
    let (id, _) = pier.live("run:look-at-crane", 600).await;
    let old = pier.certified(&id).await;
    eventually("the host is told what to trust", told).await;
    let before = mara.authorities().await.unwrap();
    assert_eq!((before.stage, before.people.len()), (RotationStage::Steady, 1));

    assert_eq!(step(RotationStage::Steady, false).await.unwrap().people.len(), 2);
    assert!(step(RotationStage::Steady, false).await.is_err(), "a step taken twice");
    eventually("the next pair is announced", told).await;
    assert_eq!(old.says(host, "id -un"), "tomas", "the present pair signs on");
    step(RotationStage::Announced, false).await.unwrap();
    eventually("both are trusted", told).await;
    let new = pier.certified(&id).await;
    assert_eq!(new.says(host, "id -un"), "tomas", "the new pair signs");
    let after = step(RotationStage::Switched, false).await.unwrap();
    assert_ne!(after.people, before.people);
    assert_ne!(after.orders, before.orders);
    eventually("the past pair is withdrawn", told).await;
    assert_eq!(host.sh("cat /etc/tempestas/*_ca.pub").unwrap().lines().count(), 2);
    assert_eq!(new.says(host, "id -un"), "tomas");
    mara.survey(&WhichTarget { target: pier.paths[0].clone() }).await.expect("orders still come through");

    // A host that can't be told holds the next step up, until it is left behind.
    host.sh("sed -i 's/^follow_authorities.*/follow_authorities = false/' /etc/tempestas/host.toml").unwrap();
    step(RotationStage::Steady, false).await.unwrap();
    let refused = step(RotationStage::Announced, false).await.unwrap_err().to_string();
    assert!(refused.contains(&pier.paths[0]) && refused.contains("not been told"), "{refused}");
    eventually("the host says why", async || {
        let hosts = mara.authorities().await.unwrap().hosts;
        hosts[0].trouble.as_ref().is_some_and(|why| why.contains("host.toml doesn't let orders change"))
    })
    .await;
    step(RotationStage::Announced, true).await.unwrap();
    step(RotationStage::Switched, true).await.unwrap();
    // It trusts none that there is any more: what the loss of the authorities looks like, and what ends it.
    let which = WhichTarget { target: pier.paths[0].clone() };
    let lost = mara.survey(&which).await.unwrap_err().to_string();
    assert!(lost.contains("run what `tempestas targets enrolment` prints on it"), "{lost}");
    host.sh(&mara.host_enrolment(&which).await.unwrap().script).unwrap();
    eventually("the host lets orders in again", async || mara.survey(&which).await.is_ok()).await;
    host.sh("sed -i 's/^follow_authorities.*/follow_authorities = true/' /etc/tempestas/host.toml").unwrap();
    eventually("the host is told", told).await;
    let new = pier.certified(&id).await;
    assert_eq!(new.says(host, "id -un"), "tomas");

    // What was given back is void by its number, whatever else the host would say.
    pier.house.client(TOMAS).give_back(&id).await.unwrap();
    pier.house.over(&id).await;
    eventually("the list is delivered", async || told().await && host.sh("test -s /etc/tempestas/revoked").is_ok())
        .await;
    let certificate = std::fs::read_to_string(new.0.with_file_name("key-cert.pub")).unwrap();
    let asked = format!(
        "echo '{}' > /tmp/c-cert.pub; ssh-keygen -Q -f /etc/tempestas/revoked /tmp/c-cert.pub",
        certificate.trim()
    );
    let said = host.run(&asked).unwrap();
    assert!(!said.status.success() && String::from_utf8_lossy(&said.stdout).contains("REVOKED"), "{said:?}");
    assert!(!new.run(host, "tomas", "id").status.success());
}

#[tokio::test(flavor = "multi_thread")]
async fn hidden_ways_to_root_are_found_and_lead_on_in_the_graph() {
    let pier = Pier::new(1).await;
    let (host, mara, path) = (&pier.hosts[0], pier.house.client(MARA), &pier.paths[0]);
    host.sh(
        "groupadd -g 2001 editors && usermod -aG editors lmadsen && chgrp editors /etc/cron.d && chmod g+w /etc/cron.d
         mkdir -p /home/tomas/.ssh /home/psol/.ssh
         ssh-keygen -q -t ed25519 -N '' -f /home/tomas/.ssh/id_ed25519
         cat /home/tomas/.ssh/id_ed25519.pub >> /home/psol/.ssh/authorized_keys
         cp /usr/bin/tail /opt/look && chown jweir /opt/look
         printf '%s\n' 'tomas ALL=(root) /usr/bin/less /var/log/crane.log' 'tomas ALL=(root) /usr/bin/tail -n 5 /var/log/crane.log' \
             'tomas ALL=(root) /usr/bin/find' 'tomas ALL=(root) /usr/bin/find /var -newer /tmp/x' 'tomas ALL=(root) /opt/look' > /etc/sudoers.d/crane",
    )
    .unwrap();
    mara.survey(&WhichTarget { target: path.clone() }).await.unwrap();
    let all = mara.standing(&StandingFilter::default()).await.unwrap();
    let here: Vec<_> = all.iter().filter(|one| one.scope == *path).collect();
    let roles = mara.roles().await.unwrap();
    let weight_of = |says: &str| {
        let role = roles.iter().find(|role| role.says.contains(says)).unwrap_or_else(|| panic!("{says}: {roles:?}"));
        assert!(here.iter().any(|one| one.account == "tomas" && one.role == role.role), "{says} is nobody's");
        role.weight
    };
    for (says, weight) in [
        ("less /var/log/crane.log; as good as root, for /usr/bin/less runs whatever is typed", Weight::Critical),
        ("tail -n 5 /var/log/crane.log", Weight::Privileged),
        ("find; as good as root, for /usr/bin/find does whatever its arguments say", Weight::Critical),
        ("find /var -newer /tmp/x", Weight::Privileged),
        ("look; as good as root, for /opt/look may be replaced by uid 1002", Weight::Critical),
    ] {
        assert_eq!(weight_of(says), weight, "{says}");
    }
    let writes = here.iter().find(|one| one.account == "lmadsen" && one.role == "root").unwrap();
    assert_eq!(writes.chain, ["%editors may write /etc/cron.d"]);
    let crosses = here.iter().find(|one| one.account == "tomas" && one.role == "as:psol").unwrap();
    assert!(crosses.chain[0].contains("in authorized_keys of psol"), "{:?}", crosses.chain);
    let query = WaysQuery { of: Some(TOMAS.to_owned()), to: None };
    let ways = mara.ways(&query).await.unwrap();
    let leads = ways.ways.iter().any(|way| way.steps.iter().any(|step| step.contains("which signs in as `psol`")));
    assert!(leads, "the graph stops at the key: {:?}", ways.ways);
}

/// What a holder might try on a host with systemd, where root may rewrite who signed in.
const WITH_SYSTEMD: [(&str, &str, Fate); 9] = [
    ("a job of the shell", "nohup sudo sleep 8001 >/dev/null 2>&1 &", Fate::Ended("sleep 8001")),
    (
        "the sign-in rewritten",
        "sudo sh -c 'echo 4294967295 > /proc/self/loginuid; env -i setsid sleep 8002 >/dev/null 2>&1 &'",
        Fate::Ended("sleep 8002"),
    ),
    (
        "another's sign-in",
        "sudo sh -c 'echo 1002 > /proc/self/loginuid; env -i setsid sleep 8003 >/dev/null 2>&1 &'",
        Fate::Ended("sleep 8003"),
    ),
    (
        "a unit made on the spot",
        "sudo systemd-run --quiet --unit=kept sleep 8004",
        Fate::Found("/run/systemd/transient/kept.service (services and timers made on the spot) is new"),
    ),
    (
        "a timer made on the spot",
        "sudo systemd-run --quiet --unit=later --on-active=1h true",
        Fate::Found("/run/systemd/transient/later.timer (services and timers made on the spot) is new"),
    ),
    (
        "a unit",
        "printf '[Service]\nExecStart=/bin/true\n' | sudo tee /etc/systemd/system/kept.service",
        Fate::Found("/etc/systemd/system/kept.service (services and timers) is new"),
    ),
    (
        "services that outlive a sign-in",
        "sudo mkdir -p /var/lib/systemd/linger && sudo touch /var/lib/systemd/linger/tomas",
        Fate::Found("/var/lib/systemd/linger/tomas (services that outlive a sign-in) is new"),
    ),
    (
        "the clock set back",
        "sudo sh -c '! date -s 2020-01-01'",
        Fate::Ended("nothing, for this machine keeps its clock"),
    ),
    ("the timer stopped", "sudo systemctl stop 'tempestas-end-*.timer'", Fate::Ended("what the sweep then ends")),
];

#[tokio::test(flavor = "multi_thread")]
async fn a_host_with_systemd_and_a_root_of_its_own_ends_everything_by_its_timers_also_after_a_restart() {
    let mut pier = Pier::with_systemd().await;
    let role =
        pier.house.client(MARA).roles().await.unwrap().into_iter().find(|role| role.role == "group:adm").unwrap();
    assert!(!role.lapse.says.contains("should the host restart"), "{}", role.lapse.says);
    let (id, until) = pier.live("root", 20).await;
    let key = pier.certified(&id).await;
    let host = &pier.hosts[0];
    assert_eq!(key.says(host, "sudo -n cat /proc/self/loginuid"), "1001");
    let script: Vec<String> = WITH_SYSTEMD
        .iter()
        .enumerate()
        .map(|(n, (_, command, _))| format!("{{ {command}\n}} >&2 && echo done {n}"))
        .collect();
    let output = key.run(host, "tomas", &script.join("\n"));
    let (said, words) = (String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
    for (n, (name, ..)) in WITH_SYSTEMD.iter().enumerate() {
        assert!(said.lines().any(|line| line == format!("done {n}")), "{name} can't be tried: {words}");
    }
    host.sh("pgrep -f '^sleep 8002' && pgrep -f '^sleep 8003'").unwrap();
    pier.house.service.kill();
    // Their timer is stopped: the sweep, every twenty seconds, ends it then.
    let host = &pier.hosts[0];
    assert!(Timestamp::now() < until, "trying took longer than the grant");
    let gone =
        async || !host.run("pgrep -f '^sleep 800[123]' || ls /etc/sudoers.d/tempestas-*").unwrap().status.success();
    let by = until + SignedDuration::from_secs(24);
    while !gone().await {
        assert!(
            Timestamp::now() < by,
            "it goes on: {}",
            host.sh("ps axo pid,cgroup,args; systemctl list-timers").unwrap()
        );
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    }
    assert!(Timestamp::now() >= until, "it ended early");
    assert!(!key.run(host, "tomas", "true").status.success(), "a new sign-in is let in");
    pier.house.start_again(&[]);
    let over = pier.house.over(&id).await;
    let found: Vec<String> =
        over.elevation.grant.unwrap().leftovers.unwrap().into_iter().map(|leftover| leftover.what).collect();
    for (name, _, fate) in &WITH_SYSTEMD {
        if let Fate::Found(expected) = fate {
            assert!(found.iter().any(|what| what.contains(expected)), "{name}: `{expected}` is not among {found:#?}");
        }
    }
    // What was done is read from the journal, as the kernel says who wrote it.
    host_uses(&pier).await;

    // Left alone, the timer is on the second.
    let (id, until) = pier.live("run:look-at-crane", 8).await;
    pier.house.service.kill();
    let host = &pier.hosts[0];
    host.cut_network(true);
    assert!(!key.run(host, "tomas", "true").status.success(), "the network is cut");
    while host.run("ls /etc/sudoers.d/tempestas-*").unwrap().status.success() {
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    let late = Timestamp::now().duration_since(until);
    assert!(
        !late.is_negative() && late < SignedDuration::from_secs(3),
        "systemd's timer ended it {late} after its end"
    );
    println!("systemd's timer ended it {} ms after the grant's end, with the service dead", late.as_millis());
    host.cut_network(false);
    pier.house.start_again(&[]);
    pier.house.over(&id).await;

    // A membership given before a restart of the host ends after it, with the service dead.
    pier.house.eligible(TOMAS, &format!("group:adm@{}", pier.paths[0])).await;
    let (_, until) = pier.live("group:adm", 25).await;
    pier.house.service.kill();
    let port = pier.hosts[0].port;
    pier.hosts.clear();
    let host = pier.lab.systemd_host(&pier.directory(1), "mooring-1", port, CRANE).unwrap();
    assert!(host.sh("id -nG tomas").unwrap().contains("adm"), "it was not there any more after the restart");
    let by = until + SignedDuration::from_secs(24);
    while host.sh("id -nG tomas").unwrap().contains("adm") {
        assert!(Timestamp::now() < by, "the membership outlived the restart");
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    }
    assert!(Timestamp::now() >= until, "it ended early");
    pier.hosts.push(host);
}

/// Forged lines of the journal are passed over, genuine ones read.
async fn host_uses(pier: &Pier) {
    let (host, mara, path) = (&pier.hosts[0], pier.house.client(MARA), &pier.paths[0]);
    assert_eq!(host.sh("su jweir -c 'sudo -n id -u'").unwrap().trim(), "0");
    let forged = r#"@cee:{\"sudo\":{\"accept\":{\"server_time\":{\"seconds\":1795400100,\"nanoseconds\":5},\"submituser\":\"ironquay\",\"command\":\"/bin/sh\",\"runuser\":\"root\"}}}"#;
    host.sh(&format!("su jweir -c 'logger -t sudo \"{forged}\"' || true; journalctl --sync")).unwrap();
    mara.survey(&WhichTarget { target: path.clone() }).await.unwrap();
    let all = mara.standing(&StandingFilter::default()).await.unwrap();
    let used = |account: &str| all.iter().find(|one| one.account == account && one.role == "root").unwrap().last_used;
    assert!(used("jweir").is_some(), "sudo's own line is not read");
    assert_eq!(used("ironquay"), None, "a forged line counts as a use");
}
