//! What people do through HTTP and TLS: whole lifecycles by many callers, on the real service with a simulated cloud; and what
//! somebody reads while many others go through the writer.

use std::{
    os::unix::fs::PermissionsExt,
    path::{Path, PathBuf},
    sync::{
        Arc,
        atomic::{AtomicUsize, Ordering},
    },
    time::{Duration, Instant},
};

use anyhow::Context as _;
use jiff::{SignedDuration, Timestamp};
use reqwest::Method;
use tempestas_api::{
    AnswerRequest, AskRequest, Brings, NewAccount, NewEligibility, NewSubject, NewTerms, PreviewRequest, SignInRequest,
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
use tempestas_service::config::TlsConfig;
use tempestas_standins::brightwater::{Identity, IdentityKind};
use tokio::task::JoinSet;

use crate::{
    report::{Report, rate, seconds},
    world::{self, Big},
};

/// Callers at a time.
const CALLERS: usize = 48;
/// People that they are, so that nobody asks more often within a minute than one person may.
const PEOPLE: usize = 4 * CALLERS;
/// Lifecycles measured.
const LIFECYCLES: usize = 1500;
/// People of the house whose pages are read.
const READERS: usize = 5_000;
/// Lifecycles a second beside the reads.
const EACH_SECOND: u32 = 200;
/// Reads measured of each kind, paced.
const READS: u32 = 250;
/// Between two reads of a kind.
const PACE: Duration = Duration::from_millis(20);
/// The elevation that is read.
const FIRST: &str = "E1001";
/// Whose yes it takes.
const APPROVER: &str = "oda.brandt";

/// The port, under TLS.
struct Port {
    people: Arc<Vec<Client>>,
    approver: Client,
    right: String,
    // What runs, and where; the directory goes last.
    _service: Running,
    _cloud: Running,
    _directory: tempfile::TempDir,
}

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    let port = Port::open().await?;
    let begun = Instant::now();
    port.lifecycles().await?;
    let each_second = rate(LIFECYCLES, begun.elapsed());
    report.add(
        "whole lifecycles through HTTP and TLS (preview, ask, answer, live on the simulated cloud, given back, gone there), 48 callers",
        format!("{each_second:.0}/s, {:.0} requests/s", each_second * 6.0),
        "-".to_owned(),
        "-",
    );
    drop(port);
    reads(report).await
}

/// What somebody reads through HTTP and TLS while lifecycles go through the writer, and while none do.
async fn reads(report: &mut Report) -> anyhow::Result<()> {
    let big = Arc::new(Big::build(READERS, 1000, "http://127.0.0.1:9").await?);
    // Of a day that no page shows, so that each shows the same while they go on and after.
    big.pass(Timestamp::now().duration_since(big.now()) - SignedDuration::from_hours(24));
    let reader = Reader::of(&big).await?;
    big.lifecycle(0).await?;
    let next = Arc::new(AtomicUsize::new(1));
    let begun = Instant::now();
    let mut going: JoinSet<anyhow::Result<()>> = JoinSet::new();
    for _ in 0..CALLERS {
        let (big, next) = (Arc::clone(&big), Arc::clone(&next));
        going.spawn(async move {
            loop {
                let n = next.fetch_add(1, Ordering::Relaxed);
                tokio::time::sleep_until((begun + Duration::from_secs(1) / EACH_SECOND * u32::try_from(n)?).into())
                    .await;
                big.lifecycle(n).await?;
            }
        });
    }
    let beside = reader.reads().await?;
    anyhow::ensure!(going.try_join_next().is_none(), "lifecycles broke off");
    let each_second = rate(next.load(Ordering::Relaxed).saturating_sub(CALLERS), begun.elapsed());
    going.shutdown().await;
    let idle = reader.reads().await?;
    for ((what, idle), (_, beside)) in idle.iter().zip(&beside) {
        report.add(
            &format!(
                "{what}, an administrator's, through HTTP and TLS, beside {each_second:.0} lifecycles/s: median, p99"
            ),
            format!("{}, {}", seconds(beside.median), seconds(beside.p99)),
            format!("{}, {} with nothing beside it", seconds(idle.median), seconds(idle.p99)),
            "p99 at most 3 times that with nothing beside it",
        );
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
            right,
            _service: service,
            _cloud: cloud,
            _directory: directory,
        })
    }

    /// All of the lifecycles, by so many callers at a time.
    async fn lifecycles(&self) -> anyhow::Result<()> {
        let next = Arc::new(AtomicUsize::new(0));
        let mut going = JoinSet::new();
        for _ in 0..CALLERS {
            let (next, people, right) = (Arc::clone(&next), Arc::clone(&self.people), self.right.clone());
            let approver = self.approver.clone();
            going.spawn(async move {
                loop {
                    let n = next.fetch_add(1, Ordering::Relaxed);
                    if n >= LIFECYCLES {
                        return anyhow::Ok(());
                    }
                    let asker = people.get(n % people.len()).context("somebody")?;
                    lifecycle(asker, &approver, &right).await?;
                }
            });
        }
        while let Some(ended) = going.join_next().await {
            ended??;
        }
        Ok(())
    }
}

/// Who reads.
struct Reader(Client);

impl Reader {
    /// The administrator, signed in where the house answers.
    async fn of(big: &Arc<Big>) -> anyhow::Result<Self> {
        let (certificate, key) = certificate(&big.setup.directory)?;
        let listener = std::net::TcpListener::bind(("127.0.0.1", 0))?;
        let server = format!("https://localhost:{}", listener.local_addr()?.port());
        let (house, files) = (Arc::clone(&big.house), TlsConfig { certificate: certificate.clone(), key });
        tokio::spawn(async move { house.answer(listener, files).await });
        let nobody = Client::new(&Connection { server, authority: Some(certificate) }, None)?;
        let first = seed::enrol(&nobody, "administrator", &big.setup.first_secret()?).await?;
        Ok(Self(signed_in(&nobody, &first, &big.setup).await?))
    }

    /// How long each of some reads takes, again and again.
    async fn reads(&self) -> anyhow::Result<Vec<(&'static str, Took)>> {
        let mut all = Vec::new();
        for (what, path) in [
            ("Now", &["now"] as &[&str]),
            ("what one may ask for", &["eligible"]),
            ("one elevation", &["elevations", FIRST]),
        ] {
            let mut took = Vec::new();
            let begun = Instant::now();
            for n in 0..READS {
                tokio::time::sleep_until((begun + PACE * n).into()).await;
                let begun = Instant::now();
                self.0.send::<(), ()>(Method::GET, path, None, None).await?.bytes().await?;
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

/// A certificate of its own, for `localhost`, and its key: where both are.
fn certificate(directory: &Path) -> anyhow::Result<(PathBuf, PathBuf)> {
    let made = rcgen::generate_simple_self_signed(["localhost".to_owned()])?;
    let (certificate, key) = (directory.join("certificate.pem"), directory.join("key.pem"));
    std::fs::write(&key, made.signing_key.serialize_pem())?;
    std::fs::set_permissions(&key, PermissionsExt::from_mode(0o600))?;
    std::fs::write(&certificate, made.cert.pem())?;
    Ok((certificate, key))
}

/// Puts the service under TLS; where its certificate is.
fn certify(setup: &mut Setup) -> anyhow::Result<PathBuf> {
    let (certificate, key) = certificate(&setup.directory)?;
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
    let demand = asker.preview_ask(&PreviewRequest { right: right.clone(), duration, start, glass: false }).await?;
    let brings = Brings::reason("because the work needs it");
    let asked = asker.ask(&AskRequest { right, duration, start, glass: false, brings, shown: demand.digest }).await?;
    let answer = AnswerRequest { verdict: Verdict::Yes, less: None, reason: None, shown: asked.digest };
    approver.answer(&asked.id, &answer).await?;
    let past = async |state: &str| {
        let wait = WaitQuery { unlike: Some(state.to_owned()), seconds: Some(20), ..WaitQuery::default() };
        anyhow::Ok(asker.elevation(&asked.id, &wait).await?.elevation.state)
    };
    let state = past("opening").await?;
    anyhow::ensure!(state == "live", "{} is {state}", asked.id);
    asker.give_back(&asked.id).await?;
    let state = past("closing").await?;
    anyhow::ensure!(state == "given-back", "{} is {state}", asked.id);
    Ok(asked.id)
}
