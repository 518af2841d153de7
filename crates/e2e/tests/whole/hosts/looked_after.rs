//! Hosts taken in, surveyed, ordered within their bounds, converted, watched, and let go.

use std::process::Command;

use jiff::{SignedDuration, Timestamp};
use tempestas_api::{
    AuthoritiesStep, Chosen, ConvertRequest, DriftFilter, EffectiveQuery, NewAccount, NewTerms, RotationStage,
    StandingFilter, TriedSeal, WaysQuery, WhichTarget,
};
use tempestas_core::{Act, ItemState, LookedAt, Weight, rehearsal::Rhythm};
use tempestas_demo::{
    cluster::free_port,
    hosts::{CRANE, Host},
};
use tempestas_host::protocol::{Grant, Order, Outcome, Reply, Request, Standing, VERSION};

use super::{Key, Pier};
use crate::house::{MARA, ODA, TOMAS, eventually};

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
        mara.set_account(owner, LookedAt::Nothing, &new).await.unwrap();
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
    mara.set_account("jonas.weir", LookedAt::Nothing, &account).await.unwrap();
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
    // Nor what was taken too long ago.
    let standing =
        Standing { account: "tomas".to_owned(), role: "group:crane".to_owned(), handle: "member:crane".to_owned() };
    let taken = Request { order: Order::TakeStanding { standing: standing.clone() }, ..good.clone() };
    let restored = Request { order: Order::RestoreStanding { standing }, ..good.clone() };
    assert_eq!(ordered(&taken), Outcome::Done);
    host.sh("sed -i '1i undo_within = \"0s\"' /etc/tempestas/host.toml").unwrap();
    match ordered(&restored) {
        Outcome::Refused(said) => assert!(said.contains("undo_within"), "{said}"),
        other => panic!("{other:?}"),
    }
    host.sh("sed -i 's/^undo_within.*/undo_within = \"1h\"/' /etc/tempestas/host.toml").unwrap();
    assert_eq!(ordered(&restored), Outcome::Done);
    // A sealed holder of uid 0 keeps the keys that let it in, by whichever account's name they are called.
    host.sh("useradd -o -u 0 -g 0 -m -d /home/pier-root pier-root; mkdir -p /home/pier-root/.ssh; \
         echo 'ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIF7k seal' > /home/pier-root/.ssh/authorized_keys; \
         sed -i 's/^sealed = \\[/sealed = [\"pier-root\", /' /etc/tempestas/host.toml")
        .unwrap();
    let Outcome::Surveyed(found) = ordered(&Request { order: Order::Survey, ..good.clone() }) else { panic!() };
    let seal = found.rights.iter().find(|held| held.account.ends_with("seal") && held.handle.is_some()).unwrap();
    for account in [seal.account.clone(), "root".to_owned(), "keeper".to_owned()] {
        let standing = Standing { account, role: "root".to_owned(), handle: seal.handle.clone().unwrap() };
        match ordered(&Request { order: Order::TakeStanding { standing }, ..good.clone() }) {
            Outcome::Refused(said) => assert!(said.contains("sealed"), "{said}"),
            other => panic!("{other:?}"),
        }
    }
    assert_eq!(ordered(&good), Outcome::Done);
    assert_eq!(ordered(&good), Outcome::Late, "the same order again changes nothing");
    // Nor is a later order a way to have the first one forgotten, which would then never end.
    for change in [
        (|grant: &mut Grant| grant.account = "jweir".to_owned()) as fn(&mut Grant),
        |grant| grant.role = "run:look-at-crane".to_owned(),
        |grant| grant.until += SignedDuration::from_secs(60),
        |grant| grant.number = 8,
    ] {
        let mut other = grant.clone();
        change(&mut other);
        other.attempt += 5;
        match ordered(&Request { order: Order::Give { grant: other }, ..good.clone() }) {
            Outcome::Refused(said) => assert!(said.contains("kept here for something else"), "{said}"),
            outcome => panic!("{outcome:?}"),
        }
    }
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

#[tokio::test(flavor = "multi_thread")]
async fn a_sealed_emergency_holder_keeps_its_own_way_in_and_each_use_of_it_is_an_alarm() {
    let pier = Pier::new(1).await;
    let (host, mara, path) = (&pier.hosts[0], pier.house.client(MARA), &pier.paths[0]);
    let key = Key::new(pier.house.path());
    host.sh(&format!(
        "install -d -o pier-seal -m 700 ~pier-seal/.ssh
         echo '{}' > ~pier-seal/.ssh/authorized_keys",
        key.public().trim()
    ))
    .unwrap();
    mara.survey(&WhichTarget { target: path.clone() }).await.unwrap();
    let account = NewAccount { target: path.clone(), account: "pier-seal".to_owned() };
    mara.set_account("henrik.voss", LookedAt::Nothing, &account).await.unwrap();
    let all = mara.standing(&StandingFilter::default()).await.unwrap();
    let held = all.iter().find(|one| one.account == "pier-seal" && one.role == "group:sudo").unwrap();
    let refused = mara.preview_conversion(&Chosen { chosen: vec![held.id.clone()] }).await.unwrap_err().to_string();
    assert!(refused.contains("an emergency holder that") && refused.contains("has sealed"), "{refused}");

    let open = async || {
        let alarms = mara.alarms().await.unwrap().into_iter();
        alarms.filter(|one| one.settled.is_none() && one.says.contains("`pier-seal`, a sealed")).collect::<Vec<_>>()
    };
    assert!(open().await.is_empty(), "nobody has used it yet");
    for way in ["a key of its own", "another account of the host"] {
        match way {
            "a key of its own" => {
                assert!(key.run(host, "pier-seal", "true").status.success(), "its own way in is shut")
            }
            _ => drop(host.sh("su pier-seal -c true").unwrap()),
        }
        eventually(way, async || !open().await.is_empty()).await;
        let alarms = open().await;
        assert_eq!(alarms.len(), 1, "{way}");
        // Without a journal nothing on the host says who wrote the line.
        assert!(alarms[0].says.contains("any account could have written"), "{}", alarms[0].says);
        let kept = async || {
            let targets = mara.targets().await.unwrap();
            targets.into_iter().find(|known| known.path == *path).unwrap().seals
        };
        assert!(kept().await.iter().any(|seal| seal.account == "pier-seal" && seal.due > Timestamp::now()));
        let tried = TriedSeal { target: path.clone(), account: "pier-seal".to_owned(), next: None };
        pier.house.client(TOMAS).tried_seal(&tried).await.unwrap_err();
        mara.tried_seal(&tried).await.unwrap();
        let seal = kept().await.into_iter().find(|seal| seal.account == "pier-seal").unwrap();
        assert_eq!(seal.tried_by.as_deref(), Some(MARA), "{way}");
        assert!(open().await.is_empty(), "what was its trial is explained");
        let again = mara.tried_seal(&tried).await.unwrap_err();
        assert_eq!(again.cause(), Some("seal-unused"), "{again}");
        mara.survey(&WhichTarget { target: path.clone() }).await.unwrap();
        assert!(open().await.is_empty(), "{way}: told twice");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_host_that_lies_about_its_site_changes_nobodys_terms_but_to_stricter_ones_and_it_is_said_why() {
    let pier = Pier::new(1).await;
    let (host, mara, path) = (&pier.hosts[0], pier.house.client(MARA), &pier.paths[0]);
    for rule in [
        "scope = \"/harbour\"\nattributes = { site = \"workshop\" }\n[settings]\nlongest = 28800\nusual = 28800\napproval = { is = \"none\" }",
        "scope = \"/harbour\"\nattributes = { site = \"north quay*\" }\n[settings]\nlongest = 600",
    ] {
        let rule: NewTerms = toml::from_str(rule).unwrap();
        mara.add_terms(&rule).await.unwrap();
    }
    let query = EffectiveQuery { right: format!("root@{path}"), asker: Some(TOMAS.to_owned()), act: Act::Elevate };
    let says = async |site: &str| {
        host.sh(&format!("sed -i '/^site = /d; s/^\\[attributes\\]/&\\nsite = \"{site}\"/' /etc/tempestas/host.toml"))
            .unwrap();
        mara.survey(&WhichTarget { target: path.clone() }).await.unwrap();
        let target = mara.targets().await.unwrap().into_iter().find(|one| one.path == *path).unwrap();
        assert_eq!(target.attributes["site"], site);
        mara.effective_terms(&query).await.unwrap().settings
    };
    let standing = async || serde_json::to_value(mara.standing(&StandingFilter::default()).await.unwrap()).unwrap();
    let before = mara.effective_terms(&query).await.unwrap().settings;
    let rights = standing().await;
    let after = says("workshop").await;
    for (was, is) in before.iter().zip(&after) {
        assert_eq!(
            (&was.setting, &was.value),
            (&is.setting, &is.value),
            "a host that says it is a workshop is believed"
        );
    }
    let longest = after.iter().find(|one| one.setting == "longest").unwrap();
    assert_eq!(longest.passed_over.len(), 1, "the rule that goes by what it says is shown as passed over");
    let stricter = says("north quay 4").await;
    assert_eq!(stricter.iter().find(|one| one.setting == "longest").unwrap().value, "10 min");
    assert_eq!(standing().await, rights, "nobody's rights changed");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_host_is_taken_in_by_the_client_and_let_go_again_with_nothing_of_ours_left_on_it() {
    let pier = Pier::new(0).await;
    let host = pier.lab.host(&pier.directory(1), "crane-1", free_port().unwrap(), CRANE).unwrap();
    let home = pier.house.path().join("mara");
    let tempestas = |arguments: &[&str]| pier.house.tempestas(&home, arguments, "");
    pier.house.sign_in_at_a_terminal(&home, MARA);
    let (path, key) = ("/harbour/crane-1", pier.house.path().join("crane-1.pub"));
    let (key, port) = (key.to_str().unwrap(), host.port.to_string());
    std::fs::write(key, host.host_key().unwrap()).unwrap();
    let enrol = ["targets", "enrol", "linux", path, "--host", &host.address, "--port", &port, "--host-key-file", key];
    let (exit, said) = tempestas(&enrol);
    assert_eq!(exit, 0, "{said}");
    let mara = pier.house.client(MARA);
    let placed = mara.host_enrolment(&WhichTarget { target: path.to_owned() }).await.unwrap();
    assert!(said.starts_with(&placed.script), "the script alone goes to standard output: {said}");
    assert!(placed.says.iter().all(|sentence| said.contains(sentence)), "it says what power that is: {said}");
    let (_, said) = tempestas(&["targets", "check", path]);
    assert!(
        said.contains("can't be looked after yet") && said.contains("doesn't let the service account in"),
        "{said}"
    );
    host.sh(&placed.script).unwrap();
    eventually("nothing is missing", async || tempestas(&["targets", "check", path]).1.contains("nothing is missing"))
        .await;
    assert_eq!(tempestas(&["targets", "survey", path]).0, 0);
    assert!(tempestas(&["standing", "--at", path]).1.contains("jweir"));

    mara.set_account(TOMAS, LookedAt::Nothing, &NewAccount { target: path.to_owned(), account: "tomas".to_owned() })
        .await
        .unwrap();
    let right = format!("root@{path}");
    pier.house.eligible(TOMAS, &right).await;
    let asked = pier.house.ask(TOMAS, &right, 600).await.unwrap();
    let let_go = ["targets", "let-go", path, "--reason", "scrapped", "--yes"];
    let (exit, said) = tempestas(&let_go);
    assert!(exit == 3 && said.contains(&format!("not over yet there: {}; end that first", asked.id)), "{exit}: {said}");
    pier.house.yes(ODA, &asked.id).await.unwrap();
    pier.house.live(&asked.id).await;
    assert_eq!(host.run(&placed.undo).unwrap().status.code(), Some(1), "a grant that is live there would never end");
    pier.house.client(TOMAS).give_back(&asked.id).await.unwrap();
    pier.house.over(&asked.id).await;
    let (exit, said) = tempestas(&let_go);
    assert!(exit == 0 && said.starts_with(&placed.undo), "{exit}: {said}");
    host.sh(&placed.undo).unwrap();
    let left = "find / -xdev -iname '*tempestas*' | grep -v '^/var/log' || true; grep -rl tempestas /etc --exclude='*-' || true";
    assert_eq!(host.sh(left).unwrap(), "", "something of ours is left");
    host.sh("visudo -c && sshd -t && ! id tempestas").unwrap();
    let (_, said) = tempestas(&["standing"]);
    assert!(!said.contains(path), "{said}");
    assert!(pier.house.client(TOMAS).eligible().await.unwrap().eligible.iter().all(|one| one.right != right));
}
