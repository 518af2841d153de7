//! Real systems: large surveys, many at once, and giving a right beside the same commands by hand.

use std::{
    path::Path,
    process::{Command, Stdio},
    time::{Duration, Instant},
};

use anyhow::{Context as _, ensure};
use jiff::{SignedDuration, Timestamp};
use tempestas_api::{NewFolder, NewTarget};
use tempestas_core::{Connector, ScopeId};
use tempestas_demo::{
    cluster::{Cluster, free_port},
    daemon::{self, Setup},
    hosts::{CRANE, Host, Lab},
    quillhaven, seed,
};
use tempestas_targets::{
    GrantCall, Place, Target,
    linux::{Authority, Enrolment},
};

use crate::report::{Report, seconds};

/// Accounts of the large host, and roles of the large cluster.
const MANY: usize = 2_000;
/// Systems that are surveyed together; one of them never answers.
const SYSTEMS: usize = 200;
/// How often a right is given for its figure.
const GIVEN: usize = 7;
/// The installation that the systems hear of.
const INSTALLATION: &str = "bench";

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    let directory = tempfile::tempdir()?;
    // Hosts reach into it as others than its owner.
    std::fs::set_permissions(directory.path(), std::os::unix::fs::PermissionsExt::from_mode(0o755))?;
    cluster(directory.path(), report).await?;
    host(directory.path(), report).await?;
    many(directory.path(), report).await
}

fn call(name: String, role: &str, account: Option<&str>) -> GrantCall {
    let now = Timestamp::now();
    GrantCall {
        grant: 1,
        attempt: now.as_microsecond(),
        name,
        role: role.to_owned(),
        part: Vec::new(),
        account: account.map(str::to_owned),
        opened_at: now,
        until: now + SignedDuration::from_mins(10),
    }
}

/// The median time of giving a right and reading it back, as a keeper does both; each is taken away again after.
async fn given(target: &Target, role: &str, account: Option<&str>) -> anyhow::Result<Duration> {
    let mut took = Vec::new();
    for n in 0..GIVEN {
        let order = call(format!("tpbench{n}"), role, account);
        let begun = Instant::now();
        ensure!(target.give(&order).await?.there, "it is not there when read back");
        took.push(begun.elapsed());
        let end = GrantCall { attempt: Timestamp::now().as_microsecond(), ..order };
        target.take(&end).await?;
        target.leftovers(&end).await?;
    }
    median(took)
}

fn median(mut took: Vec<Duration>) -> anyhow::Result<Duration> {
    took.sort_unstable();
    took.get(took.len() / 2).copied().context("nothing was measured")
}

/// The best of three surveys, and how many rights it read.
async fn surveyed(target: &Target) -> anyhow::Result<(Duration, usize)> {
    let mut best = (Duration::MAX, 0);
    for _ in 0..3 {
        let begun = Instant::now();
        let survey = target.survey().await?;
        ensure!(survey.complete && survey.accounts.len() >= MANY, "{} accounts were read", survey.accounts.len());
        best = best.min((begun.elapsed(), survey.rights.len()));
    }
    Ok(best)
}

async fn cluster(directory: &Path, report: &mut Report) -> anyhow::Result<()> {
    let cluster = Cluster::start(&directory.join("postgres"), free_port()?, &seed::random_word())?;
    let broker = seed::random_word();
    seed::cluster(&cluster, "SUPERUSER", &broker).await?;
    let sql = cluster.connect("berths").await?;
    sql.batch_execute(&format!(
        "DO $$ BEGIN
            FOR n IN 1..{MANY} LOOP
                EXECUTE format('CREATE ROLE clerk_%s LOGIN', n);
                EXECUTE format('GRANT berth_planner TO clerk_%s', n);
            END LOOP;
         END $$"
    ))
    .await?;
    let connector = Connector::Postgres {
        host: "127.0.0.1".to_owned(),
        port: cluster.port,
        user: seed::BROKER.to_owned(),
        database: "tempestas".to_owned(),
        own_login: false,
    };
    let place = Place { connector: &connector, scope: ScopeId(1), installation: INSTALLATION, programs: &[] };
    let target = Target::with_secret(&place, broker.into())?.context("a cluster has a secret")?;
    let (took, rights) = surveyed(&target).await?;
    let begun = Instant::now();
    sql.query("SELECT r.rolname, p.rolname FROM pg_auth_members m JOIN pg_roles r ON r.oid = m.member JOIN pg_roles p ON p.oid = m.roleid", &[])
        .await?;
    report.add(
        &format!("survey of PostgreSQL with {MANY} logins, every database looked into: {rights} rights"),
        seconds(took),
        format!("{} for one query of its memberships", seconds(begun.elapsed())),
        "-",
    );
    let ours = given(&target, "harbour_operator", None).await?;
    let mut by_hand = Vec::new();
    for n in 0..GIVEN {
        let begun = Instant::now();
        sql.batch_execute(&format!(
            "CREATE ROLE hand{n} LOGIN VALID UNTIL '2099-01-01'; GRANT harbour_operator TO hand{n}"
        ))
        .await?;
        sql.query_one(&format!("SELECT pg_has_role('hand{n}', 'harbour_operator', 'MEMBER')"), &[]).await?;
        by_hand.push(begun.elapsed());
        sql.batch_execute(&format!("DROP ROLE hand{n}")).await?;
    }
    report.add(
        "a right given on PostgreSQL and read back, with its end and what was there before noted",
        seconds(ours),
        format!("{} for the same by hand, without an end", seconds(median(by_hand)?)),
        "-",
    );
    Ok(())
}

async fn host(directory: &Path, report: &mut Report) -> anyhow::Result<()> {
    let lab = Lab::start(&|said| println!("{said}"))?;
    let clerks = format!(
        "{CRANE}
         awk 'BEGIN {{ for (n = 1; n <= {MANY}; n++) printf \"clerk%d:x:%d:100::/home/clerk%d:/bin/bash\\n\", n, 2000 + n, n }}' >> /etc/passwd
         awk 'BEGIN {{ for (n = 1; n <= 500; n++) printf \"clerk%d ALL=(root) /usr/bin/tail /var/log/quay%d.log\\n\", n, n % 20 }}' > /etc/sudoers.d/clerks
         chmod 440 /etc/sudoers.d/clerks
         usermod -aG sudo clerk1
         useradd -m -u 1900 hand && mkdir -p /home/hand/.ssh && echo 'hand ALL=(ALL) NOPASSWD: ALL' > /etc/sudoers.d/hand && chmod 440 /etc/sudoers.d/hand"
    );
    let machine = lab.host(&directory.join("quay"), "quay", free_port()?, &clerks)?;
    let (people, orders) = (Authority::from_seed(&[1; 32]), Authority::from_seed(&[2; 32]));
    let line = |authority: &Authority| anyhow::Ok(vec![authority.public_line("bench")?]);
    let (people, trusted) = (line(&people)?, line(&orders)?);
    let enrolment =
        Enrolment { installation: INSTALLATION, scope: 1, service: "tempestas", people: &people, orders: &trusted };
    machine.sh(&enrolment.script())?;
    let connector = Connector::Linux {
        host: machine.address.clone(),
        port: machine.port,
        user: "tempestas".to_owned(),
        host_key: machine.host_key()?,
    };
    let place = Place { connector: &connector, scope: ScopeId(1), installation: INSTALLATION, programs: &[] };
    let target = Target::host(&place, vec![orders]).context("it is a host")?;
    // sshd reads its settings anew for a moment.
    let until = Instant::now() + Duration::from_secs(10);
    while let Err(error) = target.check().await {
        ensure!(Instant::now() < until, "the host can't be looked after: {error}");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    let (took, rights) = surveyed(&target).await?;
    let begun = Instant::now();
    machine.sh(
        "cvtsudoers -e -f json -o /dev/null /etc/sudoers.d/clerks; getent passwd >/dev/null; getent group >/dev/null",
    )?;
    report.add(
        &format!("survey of a host with {MANY} accounts and 500 lines of sudoers: {rights} rights"),
        seconds(took),
        format!("{} for `cvtsudoers` and `getent` alone", seconds(begun.elapsed())),
        "-",
    );
    let ours = given(&target, "root", Some("tomas")).await?;
    report.add(
        "root given on a host and read back, with what was there before noted",
        seconds(ours),
        format!("{} for a drop-in over SSH by hand, checked, and `sudo -l`", seconds(by_hand(directory, &machine)?)),
        "-",
    );
    Ok(())
}

/// The median time of writing a rule of sudo over SSH, checking it, and looking whether it holds.
fn by_hand(directory: &Path, machine: &Host) -> anyhow::Result<Duration> {
    let key = directory.join("hand");
    let made = Command::new("ssh-keygen").args(["-q", "-t", "ed25519", "-N", "", "-f"]).arg(&key).status()?;
    ensure!(made.success(), "no key could be made");
    let public = std::fs::read_to_string(key.with_extension("pub"))?;
    machine.sh(&format!(
        "printf '%s' '{}' > /home/hand/.ssh/authorized_keys && chown -R hand /home/hand/.ssh && chmod 700 /home/hand/.ssh",
        public.trim()
    ))?;
    let rule = "echo '#1001 ALL=(ALL) NOPASSWD: ALL' | sudo tee /etc/sudoers.d/.hand >/dev/null && sudo visudo -c -q -f \
                /etc/sudoers.d/.hand && sudo mv /etc/sudoers.d/.hand /etc/sudoers.d/byhand";
    let look = "sudo sudo -l -U tomas | grep -q ALL";
    let mut took = Vec::new();
    for _ in 0..GIVEN {
        let begun = Instant::now();
        for command in [rule, look] {
            let done = Command::new("ssh")
                .args(["-F", "none", "-o", "BatchMode=yes", "-o", "StrictHostKeyChecking=no", "-o", "LogLevel=ERROR"])
                .args(["-o", "UserKnownHostsFile=/dev/null", "-i"])
                .arg(&key)
                .args(["-p", &machine.port.to_string(), &format!("hand@{}", machine.address), command])
                .stdin(Stdio::null())
                .status()?;
            ensure!(done.success(), "by hand it failed: {command}");
        }
        took.push(begun.elapsed());
        machine.sh("rm /etc/sudoers.d/byhand")?;
    }
    median(took)
}

/// Two hundred systems of one service; one accepts calls and never answers them.
async fn many(directory: &Path, report: &mut Report) -> anyhow::Result<()> {
    let key = seed::random_word();
    let cloud = serde_json::to_string(&quillhaven::cloud(|name| format!("{key}-{name}")))?;
    let brightwater = daemon::brightwater(&directory.join("brightwater"), 0, Some(&cloud))?;
    let setup = Setup {
        directory: directory.join("service"),
        address: std::net::Ipv4Addr::LOCALHOST.into(),
        port: free_port()?,
        first_administrator: "mara.lindqvist".to_owned(),
        more: String::new(),
    };
    setup.write()?;
    let mut service = setup.start(&[])?;
    let nobody = seed::client(&service.address)?;
    let first = seed::enrol(&nobody, "administrator", &setup.first_secret()?).await?;
    let mara = seed::sign_in(&nobody, &first, &setup.directory).await?;
    mara.add_folder(&NewFolder { parent: "/".to_owned(), name: "quays".to_owned() }).await?;
    let silent = std::net::TcpListener::bind(("127.0.0.1", 0))?;
    let mute = format!("http://{}", silent.local_addr()?);
    for n in 0..SYSTEMS {
        let url = if n == 0 { mute.clone() } else { brightwater.address.clone() };
        let new = NewTarget {
            parent: "/quays".to_owned(),
            name: format!("quay-{n}"),
            connector: Connector::Brightwater { url },
            secret: format!("{key}-tempestas-broker"),
            emergency_least: 1,
            alarm_after: 60,
        };
        mara.add_target(&new).await?;
    }
    // Started again, it surveys all of them at once, as after a restart in a large house.
    service.stop()?;
    let begun = Instant::now();
    let service = setup.start(&[])?;
    let (mut all, mut slowest) = (Duration::ZERO, Duration::ZERO);
    while all.is_zero() {
        let targets = mara.targets().await?;
        let done: Vec<f64> =
            targets.iter().filter_map(|one| one.last_survey.as_ref()).map(|last| last.took_ms).collect();
        if done.len() >= SYSTEMS - 1 {
            all = begun.elapsed();
            slowest = Duration::from_secs_f64(done.iter().copied().fold(0.0, f64::max) / 1000.0);
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    drop(service);
    let target = Target::with_secret(
        &Place {
            connector: &Connector::Brightwater { url: brightwater.address.clone() },
            scope: ScopeId(1),
            installation: INSTALLATION,
            programs: &[],
        },
        format!("{key}-tempestas-broker").into(),
    )?
    .context("a cloud has a key")?;
    let begun = Instant::now();
    target.survey().await?;
    report.add(
        &format!(
            "{} of {SYSTEMS} simulated systems surveyed after a start, 16 at a time, while one never answers",
            SYSTEMS - 1
        ),
        format!("{}, the longest {}", seconds(all), seconds(slowest)),
        format!("{} for one survey alone", seconds(begun.elapsed())),
        "the slow one holds nobody up",
    );
    Ok(())
}
