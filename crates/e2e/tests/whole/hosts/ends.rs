//! How rights on a host end, whatever becomes of Tempestas and whatever their holder tries.

use jiff::{SignedDuration, Timestamp};
use tempestas_api::{ElevationStory, StandingFilter, WhichTarget};
use tempestas_demo::hosts::{CRANE, Host};

use super::{Key, Pier};
use crate::{
    extensions::{extend, settled},
    house::{MARA, ODA, TOMAS, eventually},
};

/// What a holder might try in order to keep root, each with whether it is ended, or found, or beyond us.
const HOSTILE: [(&str, &str, Fate); 18] = [
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
    ("a job of at", "echo 'sleep 7007' | sudo at now + 1 hour", Fate::Found("/var/spool/cron/atjobs/")),
    (
        "a table of cron's own",
        "echo '@daily sleep 7008' | sudo crontab -u jweir -",
        Fate::Found("/var/spool/cron/crontabs/jweir (jobs) is new"),
    ),
    (
        "what PAM lets pass",
        "echo 'auth sufficient pam_permit.so' | sudo tee -a /etc/pam.d/su",
        Fate::Found("/etc/pam.d/su"),
    ),
    ("what every program loads", "sudo touch /etc/ld.so.preload", Fate::Found("/etc/ld.so.preload")),
    (
        "how sshd lets in",
        "echo 'PermitRootLogin yes' | sudo tee /etc/ssh/sshd_config.d/05-kept.conf",
        Fate::Found("/etc/ssh/sshd_config.d/05-kept.conf"),
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

/// Has a holder try all of a table, in one sign-in, so that there is time left.
fn try_all(key: &Key, host: &Host, table: &[(&str, &str, Fate)]) {
    let one = |(n, (_, command, _)): (usize, &(&str, &str, Fate))| format!("{{ {command}\n}} >&2 && echo done {n}");
    let script: Vec<String> = table.iter().enumerate().map(one).collect();
    let output = key.run(host, "tomas", &script.join("\n"));
    let (said, words) = (String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
    for (n, (name, ..)) in table.iter().enumerate() {
        assert!(said.lines().any(|line| line == format!("done {n}")), "{name} can't be tried: {words}");
    }
}

/// What an end found, with everything of a table in it that is to be found.
fn all_found(over: ElevationStory, table: &[(&str, &str, Fate)]) -> Vec<String> {
    let leftovers = over.elevation.grant.unwrap().leftovers.unwrap();
    let found: Vec<String> = leftovers.into_iter().map(|leftover| leftover.what).collect();
    for (name, _, fate) in table {
        if let Fate::Found(expected) = fate {
            assert!(found.iter().any(|what| what.contains(expected)), "{name}: `{expected}` is not among {found:#?}");
        }
    }
    found
}

#[tokio::test(flavor = "multi_thread")]
async fn with_the_service_dead_a_host_ends_root_what_runs_under_it_and_the_way_in_and_what_was_kept_is_found() {
    let mut pier = Pier::new(1).await;
    let (id, until) = pier.live("root", 20).await;
    let key = pier.certified(&id).await;
    let host = &pier.hosts[0];
    assert_eq!(key.says(host, "sudo -n id -u"), "0");
    try_all(&key, host, &HOSTILE);
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
    let found = all_found(over, &HOSTILE);
    assert!(found.iter().any(|what| what.contains("trust in this host ended with the grant")));
}

#[tokio::test(flavor = "multi_thread")]
async fn what_runs_on_a_host_goes_on_beyond_its_first_end_and_ends_at_the_later_one_with_the_service_dead() {
    let mut pier = Pier::new(1).await;
    let (id, first) = pier.live("root", 12).await;
    let key = pier.certified(&id).await;
    let host = &pier.hosts[0];
    let mut open = key.ssh(host, "tomas", "sudo -n sleep 7000").spawn().unwrap();
    eventually("the session is open", async || host.run("pgrep -f '^sleep 7000'").unwrap().status.success()).await;
    extend(&pier.house, TOMAS, &id, 8).await.unwrap();
    pier.house.yes(ODA, &id).await.unwrap();
    let later = settled(&pier.house, &id).await;
    assert!(first < later && Timestamp::now() < first, "moving took longer than the grant");
    pier.house.service.kill();
    tokio::task::spawn_blocking(move || open.wait()).await.unwrap().unwrap();
    let late = Timestamp::now().duration_since(later);
    assert!(!late.is_negative() && late < SignedDuration::from_secs(3), "the session ended {late} after its later end");
    println!("the session ended {} ms after the later end, with the service dead", late.as_millis());
    let host = &pier.hosts[0];
    let no_rule = async || host.run("test ! -e /etc/sudoers.d/tempestas-*").unwrap().status.success();
    eventually("the rule of sudo goes too", no_rule).await;
    pier.house.start_again(&[]);
    assert_eq!(pier.house.over(&id).await.elevation.state, "lapsed");
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
async fn what_a_holder_made_for_afterwards_is_known_as_standing_once_the_grant_is_over() {
    let pier = Pier::new(1).await;
    let (mara, path) = (pier.house.client(MARA), &pier.paths[0]);
    let is_root = async || {
        let standing = mara.standing(&StandingFilter::default()).await.unwrap();
        standing.iter().any(|held| held.target == *path && held.account == "tomas" && held.role == "root")
    };
    assert!(!is_root().await);
    let (id, _) = pier.live("root", 600).await;
    let rule = "echo 'tomas ALL=(ALL) NOPASSWD: ALL' | sudo tee /etc/sudoers.d/kept";
    assert!(pier.certified(&id).await.run(&pier.hosts[0], "tomas", rule).status.success());
    pier.house.client(TOMAS).give_back(&id).await.unwrap();
    pier.house.over(&id).await;
    eventually("it is found, though nobody asked for a survey and none is due", is_root).await;
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
    let (id, until) = pier.live("root", 45).await;
    let key = pier.certified(&id).await;
    let host = &pier.hosts[0];
    assert_eq!(key.says(host, "sudo -n cat /proc/self/loginuid"), "1001");
    try_all(&key, host, &WITH_SYSTEMD);
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
    all_found(over, &WITH_SYSTEMD);
    // What was done is read from the journal, as the kernel says who wrote it.
    host_uses(&pier).await;

    // Left alone, and without the sweep that comes round, its own timer ends it.
    let (id, until) = pier.live("run:look-at-crane", 8).await;
    pier.house.service.kill();
    let host = &pier.hosts[0];
    host.sh("systemctl stop tempestas-host-sweep.timer").unwrap();
    host.cut_network(true);
    assert!(!key.run(host, "tomas", "true").status.success(), "the network is cut");
    while host.run("ls /etc/sudoers.d/tempestas-*").unwrap().status.success() {
        assert!(Timestamp::now() < until + SignedDuration::from_secs(60), "its timer does not end it");
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    let late = Timestamp::now().duration_since(until);
    assert!(!late.is_negative(), "it ended {late} too early");
    println!("systemd's timer ended it {} ms after the grant's end, with the service dead", late.as_millis());
    host.sh("systemctl start tempestas-host-sweep.timer").unwrap();
    host.cut_network(false);
    pier.house.start_again(&[]);
    pier.house.over(&id).await;

    // A membership given before a restart of the host ends after it, with the service dead.
    pier.house.eligible(TOMAS, &format!("group:adm@{}", pier.paths[0])).await;
    let (_, until) = pier.live("group:adm", 60).await;
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
    let sealed = "pam_unix(su:session): session opened for user pier-seal(uid=1006) by (uid=0)";
    host.sh(&format!(
        "su jweir -c 'logger -t sudo \"{forged}\"; logger -t su \"{sealed}\"' || true; journalctl --sync"
    ))
    .unwrap();
    mara.survey(&WhichTarget { target: path.clone() }).await.unwrap();
    let all = mara.standing(&StandingFilter::default()).await.unwrap();
    let used = |account: &str| all.iter().find(|one| one.account == account && one.role == "root").unwrap().last_used;
    let log = || std::fs::read_to_string(pier.house.setup.log()).unwrap();
    assert!(used("jweir").is_some(), "sudo's own line is not read: {}", log());
    assert_eq!(used("ironquay"), None, "a forged line counts as a use");
    let broken = async || {
        let alarms = mara.alarms().await.unwrap();
        alarms.into_iter().find(|alarm| alarm.says.contains("`pier-seal`, a sealed")).map(|alarm| alarm.says)
    };
    assert_eq!(broken().await, None, "a forged line broke a seal");
    host.sh("su pier-seal -c true; journalctl --sync").unwrap();
    mara.survey(&WhichTarget { target: path.clone() }).await.unwrap();
    let says = broken().await.expect("its use is no alarm");
    assert!(!says.contains("could have written"), "the journal knows who wrote it: {says}");
}
