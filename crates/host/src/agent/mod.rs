//! The program that a host runs as root: bounded, locked, one order at a time.

mod accounts;
mod activity;
mod bounds;
mod ending;
mod grants;
mod hidden;
mod inventory;
mod processes;
mod standing;
mod sudoers;
mod survey;
#[cfg(test)]
mod testing;
mod timers;
mod trust;
mod turn;

use std::{
    fmt,
    io::{Read as _, Write as _},
    path::{Path, PathBuf},
    process::ExitCode,
    time::Duration,
};

use jiff::Timestamp;

use crate::protocol::{OLDEST, ORDER_AGE_MOST, Order, Outcome, REPLY_MOST, REQUEST_MOST, Reply, Request, VERSION};
use bounds::Bounds;

/// Where the host keeps what it must not forget; root's alone.
const STATE: &str = "/var/lib/tempestas-host";
/// Most bytes of a file that is read as text.
const FILE_MOST: u64 = 8 * 1024 * 1024;
/// No order, and no question of sshd's, takes longer; whatever was begun by then has its end written down already.
const DEADLINE: Duration = Duration::from_secs(45);

/// Why something was not done; shown to an administrator, so it names no account and no secret.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Failed(pub(crate) String);

impl fmt::Display for Failed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl From<std::io::Error> for Failed {
    fn from(error: std::io::Error) -> Self {
        Self(error.to_string())
    }
}

/// A host, seen from its root directory.
pub struct Host {
    root: PathBuf,
    bounds: Bounds,
}

impl Host {
    /// The host whose files lie below `root`; `/` but for tests.
    ///
    /// # Errors
    /// When its bounds can't be read, or others than this program's user could have written them.
    pub fn open(root: &Path) -> Result<Self, String> {
        let owner = rustix::process::geteuid().as_raw();
        let bounds = Bounds::read(&root.join("etc/tempestas/host.toml"), owner).map_err(|failed| failed.to_string())?;
        Ok(Self { root: root.to_owned(), bounds })
    }

    fn at(&self, path: &str) -> PathBuf {
        self.root.join(path.trim_start_matches('/'))
    }

    /// Reads a file, as text. Nothing that could keep us waiting, or fill the memory, is read: a holder of root may have
    /// put anything there.
    fn text(&self, path: &Path) -> Result<String, Failed> {
        let says = |why: &str| Failed(format!("{} {why}", path.display()));
        let meta = std::fs::metadata(path).map_err(|error| says(&format!("can't be read: {error}")))?;
        if !meta.is_file() || meta.len() > FILE_MOST {
            return Err(says("is no file, or too large to be what it should be"));
        }
        std::fs::read_to_string(path).map_err(|error| says(&format!("can't be read: {error}")))
    }

    /// Whether this is the machine itself, so that its programs and processes may be asked.
    fn is_real(&self) -> bool {
        self.root == Path::new("/")
    }

    /// Answers one request.
    #[must_use]
    pub fn answer(&self, request: &[u8]) -> Reply {
        let outcome = match self.parsed(request) {
            Ok(order) => self.obey(&order).unwrap_or_else(|failed| Outcome::Refused(failed.to_string())),
            Err(failed) => Outcome::Refused(failed.to_string()),
        };
        Reply { version: VERSION, clock: Timestamp::now(), outcome }
    }

    fn parsed(&self, request: &[u8]) -> Result<Order, Failed> {
        let request: Request = serde_json::from_slice(request)
            .map_err(|error| Failed(format!("the request is not one of this protocol: {error}")))?;
        let age = Timestamp::now().duration_since(request.ordered_at).as_secs();
        if !(OLDEST..=VERSION).contains(&request.version) {
            let version = request.version;
            return Err(Failed(format!("it speaks version {version}; this host serves {OLDEST} to {VERSION}")));
        }
        if request.installation != self.bounds.installation || request.target != self.bounds.target {
            return Err(Failed("it is meant for another installation or host; see host.toml".to_owned()));
        }
        if age.abs() > ORDER_AGE_MOST {
            return Err(Failed(format!("it was ordered {age} s ago by our clocks, and {ORDER_AGE_MOST} is the most")));
        }
        Ok(request.order)
    }

    fn obey(&self, order: &Order) -> Result<Outcome, Failed> {
        // Whatever is due ends first, whoever was late. While something can't be ended nothing is given, and all else goes on.
        let swept = {
            let _turn = self.turn_to_end();
            self.sweep()
        };
        match order {
            // Reading holds nobody up.
            Order::Check => Ok(Outcome::Checked(self.check())),
            Order::Survey => Ok(Outcome::Surveyed(Box::new(self.survey()?))),
            Order::Activity { from } => Ok(Outcome::Log(self.activity(*from)?)),
            Order::Holds { grant } => Ok(Outcome::There(self.holds(grant)?)),
            Order::Leftovers { grant } => Ok(Outcome::Leftovers(self.leftovers(grant)?)),
            Order::Marked => Ok(Outcome::Marked(self.marked()?)),
            Order::HoldsStanding { standing } => Ok(Outcome::There(self.holds_standing(standing)?)),
            Order::Patch { standing } => self.patch(standing),
            Order::Take { grant } => {
                let _turn = self.turn_to_end();
                self.take(grant)
            }
            Order::Prolong { grant } => {
                swept?;
                let _turn = self.turn()?;
                self.prolong(grant)
            }
            Order::Give { grant } => {
                swept?;
                // An inventory takes its time, and nobody's end waits for it.
                self.prepare(grant)?;
                let _turn = self.turn()?;
                self.give(grant)
            }
            Order::TakeStanding { standing } => {
                let _turn = self.turn()?;
                self.take_standing(standing)
            }
            Order::RestoreStanding { standing } => {
                let _turn = self.turn()?;
                self.restore_standing(standing)
            }
            Order::Trust { trusted } => {
                let _turn = self.turn()?;
                self.trust(trusted)
            }
        }
    }
}

/// Runs the program: without arguments one order from standard input; `principals ACCOUNT SERIAL` for sshd;
/// `wait NAME`, `sweep` for the timers.
#[must_use]
pub fn run(arguments: &[String]) -> ExitCode {
    let done = match arguments.iter().map(String::as_str).collect::<Vec<_>>().as_slice() {
        [] => serve(),
        ["principals", account, serial] => principals(account, serial),
        ["wait", name] => wait(name),
        ["sweep"] => Host::open(Path::new("/")).map_err(Failed).and_then(|host| {
            let _turn = host.turn_to_end();
            host.sweep()
        }),
        _ => Err(Failed("usage: tempestas-host [principals ACCOUNT SERIAL | wait NAME | sweep]".to_owned())),
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(failed) => {
            eprintln!("tempestas-host: {failed}");
            ExitCode::FAILURE
        }
    }
}

/// Ends this program when it takes too long, so that nothing that hangs keeps others waiting.
fn watch() {
    std::thread::spawn(|| {
        std::thread::sleep(DEADLINE);
        eprintln!("tempestas-host: it took longer than {} s", DEADLINE.as_secs());
        std::process::exit(1);
    });
}

fn serve() -> Result<(), Failed> {
    watch();
    let mut request = Vec::new();
    std::io::stdin().take(REQUEST_MOST + 1).read_to_end(&mut request)?;
    let reply = if request.len() as u64 > REQUEST_MOST {
        refusal(format!("the request is longer than {REQUEST_MOST} bytes"))
    } else {
        match Host::open(Path::new("/")) {
            Ok(host) => host.answer(&request),
            Err(why) => refusal(why),
        }
    };
    let mut text = serde_json::to_vec(&reply).map_err(|error| Failed(error.to_string()))?;
    if text.len() as u64 > REPLY_MOST {
        text = serde_json::to_vec(&refusal(format!("the reply would be longer than {REPLY_MOST} bytes")))
            .map_err(|error| Failed(error.to_string()))?;
    }
    std::io::stdout().write_all(&text)?;
    Ok(())
}

fn refusal(why: String) -> Reply {
    Reply { version: VERSION, clock: Timestamp::now(), outcome: Outcome::Refused(why) }
}

/// What a certificate for an account must name: only while the grant that it was signed for, its serial, is kept here.
fn principals(account: &str, serial: &str) -> Result<(), Failed> {
    watch();
    let host = Host::open(Path::new("/")).map_err(Failed)?;
    {
        let _turn = host.turn_to_end();
        // What can't be ended at this moment is nobody's way in, and no reason to keep others out.
        let _ = host.sweep();
    }
    let (now, boot, uptime) = (Timestamp::now(), processes::boot_id()?, processes::uptime()?);
    let is_good = |kept: &grants::Kept| {
        kept.grant.account == account && kept.grant.number.to_string() == serial && !kept.is_due(now, &boot, uptime)
    };
    if host.kept().iter().any(is_good) {
        println!("{account}@{}", host.bounds.target);
    }
    Ok(())
}

/// Waits for the end of a grant by both clocks, and ends it.
fn wait(name: &str) -> Result<(), Failed> {
    let host = Host::open(Path::new("/")).map_err(Failed)?;
    loop {
        {
            let _turn = host.turn_to_end();
            // Tried again in a moment, for as long as it takes.
            let _ = host.sweep();
            if !host.kept().iter().any(|kept| kept.grant.name == name) {
                return Ok(());
            }
        }
        std::thread::sleep(Duration::from_millis(500));
    }
}
