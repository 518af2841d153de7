//! What a holder of root puts in the way of their end on a host, and what an ordinary account there can do to everybody's.

use jiff::{SignedDuration, Timestamp};
use tempestas_demo::hosts::Host;

use super::Pier;
use crate::house::TOMAS;

/// Each with what to look for among the leftovers, where it leaves something.
const IN_THE_WAY: [(&str, &str, Option<&str>); 9] = [
    (
        "our own program run in a loop, so that the loop is its caller",
        "nohup sudo sh -c 'while :; do /usr/local/libexec/tempestas-host sweep; done; sleep 7201' >/dev/null 2>&1 &",
        None,
    ),
    (
        "the lock kept",
        "nohup sudo flock /var/lib/tempestas-host/lock sleep 7202 >/dev/null 2>&1 &",
        Some("the lock that keeps orders apart was broken"),
    ),
    (
        "the rule mounted over",
        "sudo sh -c 'mount --bind /etc/hostname /etc/sudoers.d/tempestas-{name}'",
        Some("something was mounted over /etc/sudoers.d/tempestas-"),
    ),
    (
        "what was there before, removed",
        "sudo rm /var/lib/tempestas-host/before/{name}",
        Some("the inventory from before the grant is gone"),
    ),
    ("a record that nobody can read", "echo '{' | sudo tee /var/lib/tempestas-host/grants/kept", None),
    ("a pipe for a record", "sudo mkfifo /var/lib/tempestas-host/grants/pipe", None),
    ("a lock of the groups", "echo 1 | sudo tee /etc/group.lock /etc/gshadow.lock", None),
    (
        "what starts itself again, fast",
        "nohup sudo sh -c 'while :; do sleep 0.01; done; sleep 7203' >/dev/null 2>&1 &",
        None,
    ),
    ("a root shell that stays", "nohup sudo setsid sleep 7204 >/dev/null 2>&1 &", None),
];

fn still_runs(host: &Host) -> bool {
    host.run("pgrep -f 'sleep 720[0-9]'").unwrap().status.success()
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_that_root_puts_in_the_way_keeps_an_end_from_coming() {
    let mut pier = Pier::new(1).await;
    let (id, until) = pier.live("root", 25).await;
    let key = pier.certified(&id).await;
    let host = &pier.hosts[0];
    let name = host.sh("ls /etc/sudoers.d | sed -n s/^tempestas-//p").unwrap().trim().to_owned();
    for (what, command, _) in IN_THE_WAY {
        let tried = key.run(host, "tomas", &command.replace("{name}", &name));
        assert!(tried.status.success(), "{what} can't be tried: {}", String::from_utf8_lossy(&tried.stderr));
    }
    assert!(still_runs(host));
    pier.house.service.kill();
    assert!(Timestamp::now() < until, "trying took longer than the grant");
    let by = until + SignedDuration::from_secs(4);
    let gone = |host: &Host| !still_runs(host) && !host.run("ls /etc/sudoers.d/tempestas-*").unwrap().status.success();
    while !gone(host) {
        assert!(Timestamp::now() < by, "it goes on: {}", host.sh("ps axo pid,ppid,args; ls /etc/sudoers.d").unwrap());
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    println!(
        "ended {} ms after the grant's end, whatever was in the way",
        Timestamp::now().duration_since(until).as_millis()
    );
    assert!(!host.run("su tomas -c 'sudo -n true'").unwrap().status.success(), "sudo still lets him");
    pier.house.start_again(&[]);
    let over = pier.house.over(&id).await;
    let leftovers = over.elevation.grant.unwrap().leftovers.unwrap();
    let found: Vec<&str> = leftovers.iter().map(|leftover| leftover.what.as_str()).collect();
    assert!(found[0].contains("trust in this host ended"), "what matters most comes first: {found:#?}");
    for (what, _, expected) in IN_THE_WAY {
        if let Some(expected) = expected {
            assert!(found.iter().any(|one| one.contains(expected)), "{what}: `{expected}` is not among {found:#?}");
        }
    }
    // Whatever was done to it, the host goes on serving.
    let (again, _) = pier.live("run:look-at-crane", 600).await;
    pier.house.client(TOMAS).give_back(&again).await.unwrap();
    pier.house.over(&again).await;
}

#[tokio::test(flavor = "multi_thread")]
async fn a_grant_whose_record_was_removed_ends_all_the_same_and_that_is_said() {
    let pier = Pier::new(1).await;
    let (id, until) = pier.live("root", 10).await;
    let key = pier.certified(&id).await;
    let host = &pier.hosts[0];
    for command in [
        "nohup sudo setsid sleep 7205 >/dev/null 2>&1 &",
        "sudo sh -c 'install -m 4755 /bin/sh /kept; install -m 4755 /bin/sh /mnt/kept; install -m 4755 /bin/sh /dev/shm/kept'",
        "sudo sh -c 'rm /var/lib/tempestas-host/grants/*'",
    ] {
        let tried = key.run(host, "tomas", command);
        assert!(tried.status.success(), "{command}: {}", String::from_utf8_lossy(&tried.stderr));
    }
    assert!(still_runs(host));
    let over = pier.house.over(&id).await;
    assert!(Timestamp::now() >= until || over.elevation.state != "live");
    assert!(!still_runs(host), "it goes on without its record");
    let found: Vec<String> =
        over.elevation.grant.unwrap().leftovers.unwrap().into_iter().map(|leftover| leftover.what).collect();
    for expected in [
        "the host's own record of this grant was gone",
        "/kept (programs that run as another) is new",
        "/mnt/kept (programs that run as another) is new",
        "/dev/shm/kept (programs that run as another) is new",
    ] {
        assert!(found.iter().any(|one| one.starts_with(expected)), "{expected} is not among {found:#?}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn an_ordinary_account_that_fills_the_host_keeps_nobody_from_anything_and_hides_nothing() {
    let pier = Pier::new(1).await;
    let host = &pier.hosts[0];
    // As jweir, with nothing but a shell: a full `.ssh`, and more files than anybody looks at.
    host.sh(
        "su jweir -c 'mkdir -p ~/.ssh ~/many ~/.ssh/more; cd ~/.ssh/more; seq 20000 | xargs touch; head -c 900000 /dev/zero > big;
         for n in 1 2 3 4 5 6 7 8 9 10 11 12 13 14 15 16 17 18 19 20; do cp big big$n; done; cd ~/many; seq 150000 | xargs touch'",
    )
    .unwrap();
    let began = Timestamp::now();
    let (id, _) = pier.live("root", 600).await;
    let took = Timestamp::now().duration_since(began);
    assert!(took < SignedDuration::from_secs(20), "it took {took} to give");
    let key = pier.certified(&id).await;
    let tried = key.run(
        host,
        "tomas",
        "sudo install -m 4755 /bin/sh /home/jweir/many/zz-kept && sudo install -m 4755 /bin/sh /srv/kept",
    );
    assert!(tried.status.success(), "{}", String::from_utf8_lossy(&tried.stderr));
    pier.house.client(TOMAS).give_back(&id).await.unwrap();
    let over = pier.house.over(&id).await;
    let found: Vec<String> =
        over.elevation.grant.unwrap().leftovers.unwrap().into_iter().map(|leftover| leftover.what).collect();
    for expected in [
        "/home/jweir/many/zz-kept (programs that run as another) is new",
        "/srv/kept (programs that run as another) is new",
        "/home/jweir/.ssh: more in it than keys of an account",
        "files of uid",
    ] {
        assert!(found.iter().any(|one| one.contains(expected)), "{expected} is not among {found:#?}");
    }
}
