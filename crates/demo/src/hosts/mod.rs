//! Linux hosts of the sample world: each a mount, PID, network, IPC and UTS namespace with its own `/etc`, a real sshd
//! and a real sudo, all inside one user namespace, so that root of a host is nobody on this machine.

mod network;
pub mod pier;

use std::{
    fs::Permissions,
    os::unix::{
        fs::{PermissionsExt as _, chown},
        process::CommandExt as _,
    },
    path::{Path, PathBuf},
    process::{Child, Command, Output, Stdio},
    time::{Duration, Instant},
};

use anyhow::{Context as _, bail, ensure};
use tempestas_api::{NewTarget, WhichTarget};
use tempestas_client::Client;
use tempestas_core::Connector;

use crate::processes::program;
use network::Way;

const INIT: &str = include_str!("init.sh");
const INIT_SYSTEMD: &str = include_str!("init-systemd.sh");
/// The first uid and gid of this machine that stand for those inside.
const FIRST_ID: u32 = 300_000;
/// How many there are inside.
const IDS: u32 = 65_536;
/// Changes with what is in the shared file system, so that an old one is made anew.
const EDITION: &str = "bookworm-3";
/// The same for hosts that run systemd.
const SYSTEMD_EDITION: &str = "bookworm-systemd-1";
/// What both hold.
const PACKAGES: &str = "openssh-server,sudo,procps,login,passwd,util-linux,bsdutils,cron,at,less,libcap2-bin";
/// How the first process of a host calls itself.
const FIRST: [&[u8]; 3] = [b"sshd:", b"/usr/sbin/sshd", b"/lib/systemd/systemd"];
/// How long a host may take to start.
const START: Duration = Duration::from_secs(20);

/// How a crane's host looks before anybody looks after it.
pub const CRANE: &str = include_str!("crane.sh");

/// What the root of a crane's host changes in the bounds that the enrolment script proposes.
const BOUNDS: &str = r#"sed -i -e 's/^groups = .*/groups = ["adm", "crane"]/' -e 's/^sealed = .*/sealed = ["pier-seal"]/' /etc/tempestas/host.toml
echo 'look-at-crane = ["/usr/bin/tail /var/log/crane.log", "/usr/bin/pkill crane-control"]' >> /etc/tempestas/host.toml"#;

/// Has a service look after a host: adds it, and does on the host what its root would do.
///
/// # Errors
/// When the service or the host refuses.
pub async fn enrol(client: &Client, host: &Host, parent: &str) -> anyhow::Result<String> {
    let connector = Connector::Linux {
        host: host.address.clone(),
        port: host.port,
        user: "tempestas".to_owned(),
        host_key: host.host_key()?,
    };
    let new = NewTarget {
        parent: parent.to_owned(),
        name: host.name.clone(),
        connector,
        secret: String::new(),
        emergency_least: 1,
        alarm_after: 30,
    };
    let which = WhichTarget { target: client.add_target(&new).await?.path };
    let script = client.host_enrolment(&which).await?.script;
    host.sh(&script)?;
    host.sh(BOUNDS)?;
    // sshd is not there for a moment while it reads its settings anew.
    let begun = Instant::now();
    loop {
        let missing = client.check_target(&which).await?.missing;
        if missing.is_empty() {
            break;
        }
        ensure!(begun.elapsed() < START, "{} can't be looked after: {}", which.target, missing.join("; "));
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    client.survey(&which).await?;
    Ok(which.target)
}

/// Why hosts can't be had here, where they can't.
#[must_use]
pub fn missing() -> Option<String> {
    if !rustix::process::geteuid().is_root() {
        return Some("hosts need root, for namespaces and their own users".to_owned());
    }
    let tried = Command::new("unshare").args(["-U", "-m", "-p", "-f", "true"]).output();
    if !tried.is_ok_and(|output| output.status.success()) {
        return Some("this machine gives no user namespaces".to_owned());
    }
    let there = |name: &str| {
        std::env::var_os("PATH").is_some_and(|path| std::env::split_paths(&path).any(|at| at.join(name).is_file()))
    };
    if !["/usr/sbin/ip", "/sbin/ip", "/usr/bin/ip", "/bin/ip"].iter().any(|path| Path::new(path).exists()) {
        return Some("their networks are made by `ip`; `apt-get install iproute2` adds it".to_owned());
    }
    if !rootfs_directory().join(EDITION).join("whole").exists() && !there("mmdebstrap") {
        return Some(
            "their file system is made by mmdebstrap, which is not installed; `apt-get install mmdebstrap` adds it"
                .to_owned(),
        );
    }
    None
}

/// Where the shared file system lies, outside any repository.
fn rootfs_directory() -> PathBuf {
    PathBuf::from(format!("/var/tmp/tempestas-rootfs-{}", rustix::process::geteuid().as_raw()))
}

/// The namespace that all hosts live in; they end with it.
pub struct Lab {
    holder: Child,
    /// The process inside that holds the namespaces.
    inner: u32,
    rootfs: PathBuf,
}

impl Lab {
    /// Makes the shared file system where it isn't there yet (a minute, and Debian's packages), and the namespace.
    ///
    /// # Errors
    /// When the machine doesn't let us.
    pub fn start(say: &dyn Fn(&str)) -> anyhow::Result<Self> {
        let directory = rootfs_directory();
        std::fs::create_dir_all(&directory)?;
        std::fs::set_permissions(&directory, Permissions::from_mode(0o755))?;
        // One at a time: tests and a demo may begin together.
        let lock = std::fs::File::create(directory.join("lock"))?;
        rustix::fs::flock(&lock, rustix::fs::FlockOperation::LockExclusive)?;
        let (holder, inner) = hold()?;
        let lab = Self { holder, inner, rootfs: directory.join(EDITION).join("root") };
        if !directory.join(EDITION).join("whole").exists() {
            say("making the file system of the hosts, once (about a minute)");
            lab.make_rootfs(&directory.join(EDITION))?;
        }
        Ok(lab)
    }

    fn make_rootfs(&self, edition: &Path) -> anyhow::Result<()> {
        let _ = std::fs::remove_dir_all(edition);
        let root = edition.join("root");
        std::fs::create_dir_all(&root)?;
        chown(&root, Some(FIRST_ID), Some(FIRST_ID))?;
        let tar = edition.join("rootfs.tar");
        debian(&format!("{PACKAGES},rsyslog"), &tar)?;
        // Unpacked inside, so that owners are those of the hosts.
        let unpacked = self
            .inside()
            .args(["tar", "--numeric-owner", "--exclude=./dev/*", "-xpf"])
            .arg(&tar)
            .arg("-C")
            .arg(&root)
            .output()?;
        ensure!(
            unpacked.status.success(),
            "the hosts' file system can't be unpacked:\n{}",
            last_lines(&unpacked.stderr)
        );
        std::fs::remove_file(&tar)?;
        std::fs::write(edition.join("whole"), "")?;
        Ok(())
    }

    /// Starts a host whose first process is systemd, in no user namespace: its root is this machine's, but for the clock,
    /// modules and devices. Its file system is made where it isn't there yet.
    ///
    /// # Errors
    /// When the machine doesn't let us, or it doesn't start.
    pub fn systemd_host(&self, directory: &Path, name: &str, port: u16, provision: &str) -> anyhow::Result<Host> {
        let edition = rootfs_directory().join(SYSTEMD_EDITION);
        // Nobody but another host of the kind waits for it.
        let lock = std::fs::File::create(rootfs_directory().join("lock-systemd"))?;
        rustix::fs::flock(&lock, rustix::fs::FlockOperation::LockExclusive)?;
        if !edition.join("whole").exists() {
            let _ = std::fs::remove_dir_all(&edition);
            std::fs::create_dir_all(&edition)?;
            debian(&format!("{PACKAGES},systemd,systemd-sysv,libpam-systemd,dbus"), &edition.join("root"))?;
            std::fs::write(edition.join("whole"), "")?;
        }
        drop(lock);
        // Below one of its own, so that what it takes for the root of all control groups isn't the machine's.
        let group = control_groups().join(format!("tempestas-{name}-{port}"));
        std::fs::create_dir_all(&group).context("this machine gives no control groups")?;
        let mut command = Command::new("sh");
        command.args(["-c", "echo $$ > \"$1/cgroup.procs\"; shift; exec \"$@\"", "sh"]).arg(&group);
        command.args(["unshare", "-m", "-p", "-f", "-n", "-u", "-i", "-C", "--kill-child", "sh"]);
        let place = Place { directory, name, port, lower: &edition.join("root"), init: INIT_SYSTEMD };
        Host::start(command, &place, provision, Some(group))
    }

    /// A command inside, as root there.
    fn inside(&self) -> Command {
        let mut command = Command::new("nsenter");
        command.args(["-t", &self.inner.to_string(), "-U", "-m", "-p", "--setuid", "0", "--setgid", "0"]);
        command
    }

    /// Starts a host, or goes on with what an earlier start left in `directory`. At its first start `provision`, a
    /// shell script, runs on it as root.
    ///
    /// # Errors
    /// When it doesn't start; its last words are in the error.
    pub fn host(&self, directory: &Path, name: &str, port: u16, provision: &str) -> anyhow::Result<Host> {
        std::fs::create_dir_all(directory)?;
        chown(directory, Some(FIRST_ID), Some(FIRST_ID))?;
        let mut command = self.inside();
        command.args(["unshare", "-m", "-p", "-f", "-n", "-u", "-i", "--kill-child", "sh"]);
        let place = Place { directory, name, port, lower: &self.rootfs, init: INIT };
        Host::start(command, &place, provision, None)
    }
}

/// Where systemd keeps control groups on this machine.
fn control_groups() -> PathBuf {
    let beside = Path::new("/sys/fs/cgroup/systemd");
    if beside.is_dir() { beside.to_owned() } else { PathBuf::from("/sys/fs/cgroup") }
}

/// Removes a control group with all below it; one in use stays.
fn remove_group(group: &Path) {
    for entry in std::fs::read_dir(group).into_iter().flatten().flatten() {
        if entry.path().is_dir() {
            remove_group(&entry.path());
        }
    }
    let _ = std::fs::remove_dir(group);
}

/// Makes a Debian file system, in a directory or an archive.
fn debian(packages: &str, to: &Path) -> anyhow::Result<()> {
    let made = Command::new("mmdebstrap")
        .args(["--variant=minbase", "--mode=root", &format!("--include={packages}"), "bookworm"])
        .arg(to)
        .output()
        .context("mmdebstrap can't be run")?;
    ensure!(made.status.success(), "mmdebstrap failed:\n{}", last_lines(&made.stderr));
    Ok(())
}

/// Where and how a host is to start.
struct Place<'p> {
    directory: &'p Path,
    name: &'p str,
    port: u16,
    lower: &'p Path,
    init: &'p str,
}

impl Drop for Lab {
    fn drop(&mut self) {
        let _ = self.holder.kill();
        let _ = self.holder.wait();
    }
}

/// A process that holds a user namespace open, in which uid 0 is `FIRST_ID` here.
fn hold() -> anyhow::Result<(Child, u32)> {
    let mut holder = Command::new("unshare")
        .args(["-U", "-m", "-p", "-f", "--kill-child", "sh", "-c", "echo; exec sleep infinity"])
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .context("`unshare` can't be run")?;
    // Its first line says that the namespace is there.
    let mut said = [0];
    let mut output = holder.stdout.take().context("the output is piped")?;
    std::io::Read::read_exact(&mut output, &mut said).context("this machine gives no user namespaces")?;
    let inner = child_of(holder.id()).context("the namespace has no process")?;
    for map in ["gid_map", "uid_map"] {
        std::fs::write(format!("/proc/{inner}/{map}"), format!("0 {FIRST_ID} {IDS}\n"))
            .with_context(|| format!("{map} can't be written"))?;
    }
    Ok((holder, inner))
}

fn child_of(pid: u32) -> Option<u32> {
    let children = std::fs::read_to_string(format!("/proc/{pid}/task/{pid}/children")).ok()?;
    children.split_whitespace().next()?.parse().ok()
}

fn last_lines(bytes: &[u8]) -> String {
    let text = String::from_utf8_lossy(bytes);
    let lines: Vec<&str> = text.lines().collect();
    lines.get(lines.len().saturating_sub(8)..).unwrap_or_default().join("\n")
}

/// A running host. Ends when dropped; what is on its disk stays.
pub struct Host {
    child: Child,
    /// Its name.
    pub name: String,
    /// Where its sshd listens.
    pub address: String,
    /// Its port.
    pub port: u16,
    directory: PathBuf,
    /// Its first process, as this machine numbers it.
    init: u32,
    /// Its control group, where it has one of its own; its root is this machine's then.
    group: Option<PathBuf>,
    /// The way into its network.
    way: Option<Way>,
}

impl Host {
    /// Starts what becomes a host by the script of its place.
    fn start(mut command: Command, place: &Place<'_>, provision: &str, group: Option<PathBuf>) -> anyhow::Result<Self> {
        let directory = place.directory;
        std::fs::create_dir_all(directory)?;
        std::fs::set_permissions(directory, Permissions::from_mode(0o755))?;
        std::fs::copy(program("tempestas-host")?, directory.join("tempestas-host"))?;
        std::fs::write(directory.join("provision.sh"), provision)?;
        std::fs::write(directory.join("init.sh"), place.init)?;
        let address = "127.0.0.1".to_owned();
        let log = std::fs::File::create(directory.join("log"))?;
        let child = command
            .arg(directory.join("init.sh"))
            .arg(place.lower)
            .arg(directory)
            .args([place.name, &address, &place.port.to_string()])
            .stdin(Stdio::null())
            .stdout(log.try_clone()?)
            .stderr(log)
            .process_group(0)
            .spawn()?;
        let (name, directory) = (place.name.to_owned(), directory.to_owned());
        let mut host = Self { child, name, address, port: place.port, directory, init: 0, group, way: None };
        host.wait()?;
        Ok(host)
    }

    fn wait(&mut self) -> anyhow::Result<()> {
        let begun = Instant::now();
        loop {
            let log = std::fs::read_to_string(self.directory.join("log")).unwrap_or_default();
            if self.way.is_none()
                && let Some(first) = self.first_process()
            {
                self.init = first;
                let at =
                    format!("{}:{}", self.address, self.port).parse().context("its address is one of this machine")?;
                self.way = Some(Way::open(at, first)?);
            }
            if self.way.is_some() && self.greets() {
                return Ok(());
            }
            if begun.elapsed() > START || self.child.try_wait()?.is_some() {
                bail!("the host {} did not start:\n{}", self.name, last_lines(log.as_bytes()));
            }
            std::thread::sleep(Duration::from_millis(20));
        }
    }

    /// Whether its sshd says who it is.
    fn greets(&self) -> bool {
        let mut said = [0; 4];
        let heard = std::net::TcpStream::connect((self.address.as_str(), self.port)).and_then(|mut stream| {
            stream.set_read_timeout(Some(Duration::from_millis(500)))?;
            std::io::Read::read_exact(&mut stream, &mut said)
        });
        heard.is_ok() && said == *b"SSH-"
    }

    /// Cuts the network between it and everybody else, what is open too; or mends it.
    pub fn cut_network(&self, is_cut: bool) {
        if let Some(way) = &self.way {
            way.cut(is_cut);
        }
    }

    /// nsenter and unshare each wait for a child; the last of them is the host's first.
    fn first_process(&self) -> Option<u32> {
        std::iter::successors(Some(self.child.id()), |pid| child_of(*pid)).find(|pid| {
            std::fs::read(format!("/proc/{pid}/cmdline"))
                .is_ok_and(|line| FIRST.iter().any(|name| line.starts_with(name)))
        })
    }

    /// Its own public key.
    ///
    /// # Errors
    /// When it isn't there.
    pub fn host_key(&self) -> anyhow::Result<String> {
        let output = self.run("cat /etc/ssh/ssh_host_ed25519_key.pub")?;
        Ok(String::from_utf8(output.stdout)?.trim().to_owned())
    }

    /// Runs a shell script on it, as root, as somebody at its console would.
    ///
    /// # Errors
    /// When it can't be run.
    pub fn run(&self, script: &str) -> anyhow::Result<Output> {
        let init = self.init.to_string();
        let mut command = Command::new("nsenter");
        command.args(["-t", &init, "-m", "-p", "-u", "-i"]);
        if self.group.is_none() {
            command.args(["-U", "--setuid", "0", "--setgid", "0"]);
        }
        let output = command
            .args(["env", "-i"])
            .args(["PATH=/usr/sbin:/usr/bin:/sbin:/bin", "sh", "-c", script])
            .stdin(Stdio::null())
            .output()?;
        Ok(output)
    }

    /// The same, where it has to go well.
    ///
    /// # Errors
    /// When it doesn't; its words are in the error.
    pub fn sh(&self, script: &str) -> anyhow::Result<String> {
        let output = self.run(script)?;
        ensure!(output.status.success(), "on {}: {}", self.name, last_lines(&output.stderr));
        Ok(String::from_utf8_lossy(&output.stdout).into_owned())
    }
}

impl Drop for Host {
    fn drop(&mut self) {
        // Its first process ends all others; it ignores being asked.
        if let Some(pid) = i32::try_from(self.init).ok().and_then(rustix::process::Pid::from_raw) {
            let _ = rustix::process::kill_process(pid, rustix::process::Signal::KILL);
        }
        let _ = self.child.kill();
        let _ = self.child.wait();
        if let Some(group) = &self.group {
            remove_group(group);
        }
    }
}
