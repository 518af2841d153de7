//! What people do, through HTTP and TLS, on the real service with a simulated cloud: whole lifecycles by many callers, and what
//! somebody reads meanwhile.

use std::{
    os::unix::fs::PermissionsExt,
    sync::{
        Arc,
        atomic::{AtomicUsize, Ordering},
    },
    time::{Duration, Instant},
};

use anyhow::Context as _;
use reqwest::Method;
use tempestas_api::{
    AnswerRequest, AskRequest, NewAccount, NewEligibility, NewSubject, NewTerms, PreviewRequest, SignInRequest,
    WaitQuery,
};
use tempestas_client::{Client, Connection};
use tempestas_core::{LookedAt, Seconds, StartChoice, SubjectKind, Verdict};
use tempestas_demo::{
    codes::next_code,
    daemon::{self, Setup},
    facts::Person,
    processes::Running,
    quillhaven::{self, BRIGHTWATER},
    seed::{self, Targets},
};
use tempestas_standins::brightwater::{Identity, IdentityKind};
use tokio::task::JoinHandle;

use crate::{
    report::{Report, rate, seconds},
    world,
};

/// Callers at a time.
const CALLERS: usize = 48;
/// People that they are, so that nobody asks more often within a minute than one person may.
const PEOPLE: usize = 4 * CALLERS;
/// Lifecycles measured.
const LIFECYCLES: usize = 1500;
/// Reads measured of each kind, paced.
const READS: u32 = 300;
/// Between two reads of a kind.
const PACE: Duration = Duration::from_millis(25);
/// Whose yes it takes.
const APPROVER: &str = "oda.brandt";

/// The port, under TLS.
struct Port {
    people: Arc<Vec<Client>>,
    approver: Client,
    administrator: Client,
    right: String,
    // What runs, and where; the directory goes last.
    _service: Running,
    _cloud: Running,
    _directory: tempfile::TempDir,
}

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    let port = Port::open().await?;
    let begun = Instant::now();
    let going = port.lifecycles(LIFECYCLES, Duration::ZERO);
    finished(going).await?;
    let each_second = rate(LIFECYCLES, begun.elapsed());
    report.add(
        "whole lifecycles through HTTP and TLS (preview, ask, answer, live on the simulated cloud, given back, gone there), 48 callers",
        format!("{each_second:.0}/s, {:.0} requests/s", each_second * 6.0),
        "-".to_owned(),
        "-",
    );
    // With as much history as beside the traffic. What is under way when the reads are done is not waited for.
    let idle = port.reads().await?;
    let going = port.lifecycles(usize::MAX, Duration::from_secs_f64(2.0 / each_second));
    let beside = port.reads().await?;
    going.iter().for_each(JoinHandle::abort);
    for ((what, idle), (_, beside)) in idle.iter().zip(&beside) {
        report.add(
            &format!("{what}, an administrator's, while that goes on half as fast: median, p99"),
            format!("{}, {}", seconds(beside.median), seconds(beside.p99)),
            format!("{}, {} with nothing beside it", seconds(idle.median), seconds(idle.p99)),
            "p99 at most 3 times that with nothing beside it",
        );
    }
    Ok(())
}

async fn finished(going: Vec<JoinHandle<anyhow::Result<()>>>) -> anyhow::Result<()> {
    for one in going {
        one.await??;
    }
    Ok(())
}

/// How long some calls took.
struct Took {
    median: Duration,
    p99: Duration,
}

impl Took {
    fn of(mut all: Vec<Duration>) -> Self {
        all.sort_unstable();
        let at = |share: usize| all.get(all.len() * share / 100).copied().unwrap_or_default();
        Self { median: at(50), p99: at(99) }
    }
}

impl Port {
    async fn open() -> anyhow::Result<Self> {
        let directory = tempfile::tempdir()?;
        let mut cloud = quillhaven::cloud(str::to_owned);
        for n in 0..PEOPLE {
            let (name, kind) = (account(n), IdentityKind::Person);
            cloud.identities.insert(name.clone(), Identity { key: name.clone(), name, kind, last_seen: None });
        }
        let seed_text = serde_json::to_string(&cloud)?;
        let cloud = daemon::brightwater(&directory.path().join("cloud"), 0, Some(&seed_text))?;
        let mut setup = world::setup(&directory.path().join("house"));
        setup.write()?;
        let service = setup.start(&[])?;
        let targets = Targets { postgres: None, brightwater: (&cloud.address, "tempestas-broker") };
        let seeded = seed::service(&service.address, &setup.first_secret()?, &setup.directory, &targets).await?;
        let right = format!("tide-writer@{BRIGHTWATER}/lake");
        let people = enrolled(&service.address, &seeded.administrator, &right).await?;
        let approver = seeded.people.iter().find(|one| one.name == APPROVER).context("an approver")?.clone();
        let first = seeded.people.into_iter().next().context("an administrator")?;
        drop(service);
        let authority = certify(&mut setup)?;
        let service = setup.start(&[])?;
        let server = service.address.replace("127.0.0.1", "localhost");
        let nobody = Client::new(&Connection { server, authority: Some(authority) }, None)?;
        let mut clients = Vec::new();
        for person in &people {
            clients.push(signed_in(&nobody, person, &setup).await?);
        }
        Ok(Self {
            people: Arc::new(clients),
            approver: signed_in(&nobody, &approver, &setup).await?,
            administrator: signed_in(&nobody, &first, &setup).await?,
            right,
            _service: service,
            _cloud: cloud,
            _directory: directory,
        })
    }

    /// So many lifecycles, by so many callers at a time, each begun no sooner than so long after the one before.
    fn lifecycles(&self, many: usize, apart: Duration) -> Vec<JoinHandle<anyhow::Result<()>>> {
        let (next, begun) = (Arc::new(AtomicUsize::new(0)), Instant::now());
        let caller = |_| {
            let (next, people, right) = (Arc::clone(&next), Arc::clone(&self.people), self.right.clone());
            let approver = self.approver.clone();
            tokio::spawn(async move {
                loop {
                    let n = next.fetch_add(1, Ordering::Relaxed);
                    if n >= many {
                        return Ok(());
                    }
                    tokio::time::sleep_until((begun + apart * u32::try_from(n)?).into()).await;
                    let asker = people.get(n % people.len()).context("somebody")?;
                    lifecycle(asker, &approver, &right).await?;
                }
            })
        };
        (0..CALLERS).map(caller).collect()
    }

    /// How long each of some reads takes, again and again.
    async fn reads(&self) -> anyhow::Result<Vec<(&'static str, Took)>> {
        let one = lifecycle(self.people.first().context("somebody")?, &self.approver, &self.right).await?;
        let elevation = format!("elevations/{one}");
        let mut all = Vec::new();
        for (what, path) in [("Now", "now"), ("what one may ask for", "eligible"), ("one elevation", &elevation)] {
            let segments: Vec<&str> = path.split('/').collect();
            let mut took = Vec::new();
            let begun = Instant::now();
            for n in 0..READS {
                tokio::time::sleep_until((begun + PACE * n).into()).await;
                let begun = Instant::now();
                let reply = self.administrator.send::<(), ()>(Method::GET, &segments, None, None).await?;
                reply.bytes().await?;
                took.push(begun.elapsed());
            }
            all.push((what, Took::of(took)));
        }
        Ok(all)
    }
}

fn account(n: usize) -> String {
    format!("deckhand-{n}")
}

/// Adds people who may ask for a right with a yes of the approver's, and has them enrol.
async fn enrolled(address: &str, mara: &Client, right: &str) -> anyhow::Result<Vec<Person>> {
    let nobody = seed::client(address)?;
    let terms = serde_json::json!({
        "scope": BRIGHTWATER,
        "settings": {
            "longest": 3600,
            "approval": { "is": "stage", "approvers": [APPROVER], "yes": 1, "no": 1, "within": 3600 },
        },
    });
    mara.add_terms(&serde_json::from_value::<NewTerms>(terms)?).await?;
    let mut people = Vec::new();
    for n in 0..PEOPLE {
        let name = account(n);
        let new = NewSubject {
            kind: SubjectKind::Person,
            name: name.clone(),
            about: format!("Deckhand {n} of the port"),
            second_of: None,
        };
        mara.add_subject(&new).await?;
        let own = NewAccount { target: BRIGHTWATER.to_owned(), account: name.clone() };
        mara.set_account(&name, LookedAt::Nothing, &own).await?;
        mara.give_eligibility(&NewEligibility::for_good(&name, right)).await?;
        let secret = mara.enrolment(&name).await?.secret;
        people.push(seed::enrol(&nobody, "requester", &secret).await?);
    }
    Ok(people)
}

/// Puts the service under TLS, with a certificate of its own; where that is.
fn certify(setup: &mut Setup) -> anyhow::Result<std::path::PathBuf> {
    let made = rcgen::generate_simple_self_signed(["localhost".to_owned()])?;
    let (certificate, key) = (setup.directory.join("certificate.pem"), setup.directory.join("key.pem"));
    std::fs::write(&key, made.signing_key.serialize_pem())?;
    std::fs::set_permissions(&key, PermissionsExt::from_mode(0o600))?;
    std::fs::write(&certificate, made.cert.pem())?;
    let (shown, key) = (certificate.display(), key.display());
    setup.more = format!("{}[tls]\ncertificate = \"{shown}\"\nkey = \"{key}\"\n", setup.more);
    setup.write()?;
    Ok(certificate)
}

async fn signed_in(nobody: &Client, person: &Person, setup: &Setup) -> anyhow::Result<Client> {
    let code = next_code(&setup.directory, &person.name, &person.totp_secret)?;
    let request = SignInRequest { name: person.name.clone(), password: person.password.clone(), code };
    Ok(nobody.with_token(nobody.sign_in(&request).await?.token))
}

/// Somebody asks, is answered, holds it, gives it back, and it is gone.
async fn lifecycle(asker: &Client, approver: &Client, right: &str) -> anyhow::Result<String> {
    let (right, duration, start) = (right.to_owned(), Some(Seconds::minutes(30)), Some(StartChoice::AtYes));
    let demand = asker.preview_ask(&PreviewRequest { right: right.clone(), duration, start }).await?;
    let reason = Some("because the work needs it".to_owned());
    let asked = asker.ask(&AskRequest { right, duration, start, reason, ticket: None, shown: demand.digest }).await?;
    let answer = AnswerRequest { verdict: Verdict::Yes, less: None, reason: None, shown: asked.digest };
    approver.answer(&asked.id, &answer).await?;
    let past = async |state: &str| {
        let wait = WaitQuery { unlike: Some(state.to_owned()), seconds: Some(20) };
        anyhow::Ok(asker.elevation(&asked.id, &wait).await?.elevation.state)
    };
    let state = past("opening").await?;
    anyhow::ensure!(state == "live", "{} is {state}", asked.id);
    asker.give_back(&asked.id).await?;
    let state = past("closing").await?;
    anyhow::ensure!(state == "given-back", "{} is {state}", asked.id);
    Ok(asked.id)
}
