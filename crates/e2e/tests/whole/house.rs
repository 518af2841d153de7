//! A house of its own for each test: private cluster, cloud and service, filled with Quillhaven.

use std::{
    collections::BTreeMap,
    net::{IpAddr, Ipv4Addr},
    path::Path,
    time::Duration,
};

use serde_json::{Value, json};
use tempdir::Directory;
use tempestas_api::{
    AnswerRequest, AskRequest, Brings, ElevationStory, ElevationView, NewEligibility, NewSubject, PreviewRequest,
    TargetSettings, WaitQuery,
};
use tempestas_client::{Client, ClientError};
use tempestas_core::{LookedAt, Seconds, StartChoice, SubjectKind, Verdict};
use tempestas_demo::{
    cluster::{Cluster, free_port},
    codes::next_code,
    daemon::{self, Setup},
    facts::Person,
    processes::Running,
    quillhaven::{self, BERTHS, BRIGHTWATER},
    seed::{self, BROKER, Seeded, Targets},
};

use crate::proxy::Proxy;

pub const MARA: &str = "mara.lindqvist";
pub const TOMAS: &str = "tomas.reyes";
pub const ODA: &str = "oda.brandt";
pub const INES: &str = "ines.kowal";
pub const HENRIK: &str = "henrik.voss";

/// Longest that anything may take before a test calls it stuck.
pub const SOON: Duration = Duration::from_secs(30);

mod tempdir {
    //! A directory that others may pass through, since the cluster runs as another user.

    use std::os::unix::fs::PermissionsExt as _;

    use super::Path;

    pub struct Directory(tempfile::TempDir);

    impl Directory {
        pub fn new() -> Self {
            let directory = tempfile::tempdir().unwrap();
            std::fs::set_permissions(directory.path(), std::fs::Permissions::from_mode(0o711)).unwrap();
            Self(directory)
        }

        pub fn path(&self) -> &Path {
            self.0.path()
        }
    }
}

/// What a house is built from.
pub struct Plan {
    /// Power of the broker on the cluster; no cluster where it is none.
    pub cluster: Option<&'static str>,
    /// Whether calls to targets go through proxies.
    pub proxied: bool,
    /// More lines of configuration.
    pub config: String,
}

impl Plan {
    pub fn cloud_only() -> Self {
        Self { cluster: None, proxied: false, config: String::new() }
    }

    pub fn whole() -> Self {
        Self { cluster: Some("SUPERUSER"), ..Self::cloud_only() }
    }
}

pub struct House {
    pub service: Running,
    pub setup: Setup,
    pub brightwater: Running,
    pub cluster: Option<Cluster>,
    pub people: Vec<Person>,
    pub clients: BTreeMap<String, Client>,
    pub cloud_proxy: Option<Proxy>,
    pub cluster_proxy: Option<Proxy>,
    pub broker_password: String,
    key: String,
    // Last, so that it goes after everything that works in it.
    directory: Directory,
}

impl House {
    pub async fn new(plan: Plan) -> Self {
        let _ = rustls::crypto::ring::default_provider().install_default();
        let directory = Directory::new();
        let (broker, key) = (seed::random_word(), seed::random_word());
        let cluster = match plan.cluster {
            Some(power) => Some(new_cluster(directory.path(), power, &broker).await),
            None => None,
        };
        let cloud = quillhaven::cloud(|name| format!("{key}-{name}"));
        let seed_text = serde_json::to_string(&cloud).unwrap();
        let brightwater = daemon::brightwater(&directory.path().join("brightwater"), 0, Some(&seed_text)).unwrap();
        let upstream = |address: &str| address.rsplit(':').next().unwrap().parse::<u16>().unwrap();
        let cloud_proxy = if plan.proxied { Some(Proxy::start(upstream(&brightwater.address)).await) } else { None };
        let cluster_proxy = match &cluster {
            Some(cluster) if plan.proxied => Some(Proxy::start(cluster.port).await),
            _ => None,
        };
        let setup = Setup {
            directory: directory.path().to_owned(),
            address: IpAddr::V4(Ipv4Addr::LOCALHOST),
            // A port of its own, so that it can be started again where clients look for it.
            port: free_port().unwrap(),
            first_administrator: MARA.to_owned(),
            more: format!("[surveys]\nread_back = \"1s\"\n{}", plan.config),
        };
        setup.write().unwrap();
        let service = setup.start(&[]).unwrap();
        let cloud_url = cloud_proxy
            .as_ref()
            .map_or_else(|| brightwater.address.clone(), |proxy| format!("http://127.0.0.1:{}", proxy.port));
        let cluster_port =
            cluster.as_ref().map(|cluster| cluster_proxy.as_ref().map_or(cluster.port, |proxy| proxy.port));
        let broker_key = format!("{key}-tempestas-broker");
        let targets = Targets {
            postgres: cluster_port.map(|port| (port, broker.as_str())),
            brightwater: (&cloud_url, &broker_key),
        };
        let secret = setup.first_secret().unwrap();
        let Seeded { people, administrator } =
            seed::service(&service.address, &secret, directory.path(), &targets).await.unwrap();
        let nobody = seed::client(&service.address).unwrap();
        let mut clients = BTreeMap::from([(MARA.to_owned(), administrator), ("nobody".to_owned(), nobody.clone())]);
        for person in people.iter().skip(1) {
            clients.insert(person.name.clone(), seed::sign_in(&nobody, person, directory.path()).await.unwrap());
        }
        Self {
            service,
            setup,
            brightwater,
            cluster,
            people,
            clients,
            cloud_proxy,
            cluster_proxy,
            broker_password: broker,
            key,
            directory,
        }
    }

    pub fn path(&self) -> &Path {
        self.directory.path()
    }

    pub fn client(&self, who: &str) -> &Client {
        &self.clients[who]
    }

    pub fn person(&self, who: &str) -> &Person {
        self.people.iter().find(|person| person.name == who).unwrap()
    }

    /// Enrols somebody who never signed in yet, and signs them in.
    pub async fn enrolled(&mut self, who: &str) {
        let secret = self.client(MARA).enrolment(who).await.unwrap().secret;
        let person = seed::enrol(self.client("nobody"), "newcomer", &secret).await.unwrap();
        let client = seed::sign_in(self.client("nobody"), &person, self.path()).await.unwrap();
        self.people.push(person);
        self.clients.insert(who.to_owned(), client);
    }

    pub fn cluster(&self) -> &Cluster {
        self.cluster.as_ref().unwrap()
    }

    /// Starts the service again, at the same address.
    pub fn start_again(&mut self, environment: &[(&str, &str)]) {
        self.service = self.setup.start(environment).unwrap();
    }

    /// Changes settings of a target as it is now.
    pub async fn set_target(&self, settings: &TargetSettings) {
        let mara = self.client(MARA);
        let known = mara.targets().await.unwrap().into_iter().find(|known| known.path == settings.target).unwrap();
        mara.set_target(LookedAt::This(known.digest), settings).await.unwrap();
    }

    /// Adds a group with nobody in it.
    pub async fn group(&self, name: &str) {
        let (name, about) = (name.to_owned(), format!("the {name}"));
        let group = NewSubject { kind: SubjectKind::Group, name, about, second_of: None };
        self.client(MARA).add_subject(&group).await.unwrap();
    }

    pub async fn eligible(&self, who: &str, right: &str) {
        let new = NewEligibility::for_good(who, right);
        self.client(MARA).give_eligibility(&new).await.unwrap();
    }

    pub async fn ask(&self, who: &str, right: &str, seconds: u32) -> Result<ElevationView, ClientError> {
        ask(self.client(who), right, Some(seconds), StartChoice::AtYes, Some("CHG-2024")).await
    }

    pub async fn yes(&self, who: &str, id: &str) -> Result<ElevationView, ClientError> {
        let client = self.client(who);
        let asked = client.elevation(id, &WaitQuery::default()).await?.elevation;
        let answer = AnswerRequest { verdict: Verdict::Yes, less: None, reason: None, shown: asked.digest };
        client.answer(id, &answer).await
    }

    /// Waits until an elevation is live.
    pub async fn live(&self, id: &str) -> ElevationStory {
        let story = self.client(MARA).wait_past(id, &["waiting", "scheduled", "ready", "opening"], SOON).await.unwrap();
        assert_eq!(story.elevation.state, "live", "{}", story.elevation.sentence);
        story
    }

    /// Waits until an elevation is over.
    pub async fn over(&self, id: &str) -> ElevationStory {
        let states = ["waiting", "scheduled", "ready", "opening", "live", "closing"];
        let story = self.client(MARA).wait_past(id, &states, SOON).await.unwrap();
        assert!(!states.contains(&story.elevation.state.as_str()), "{} is stuck: {}", id, story.elevation.sentence);
        story
    }

    /// The key that an identity calls Brightwater with.
    pub fn cloud_key(&self, identity: &str) -> String {
        format!("{}-{identity}", self.key)
    }

    /// Calls Brightwater itself, past the service.
    pub async fn cloud(&self, key: &str, path: &str, body: Option<Value>) -> Value {
        let http = reqwest::Client::new();
        let url = format!("{}{path}", self.brightwater.address);
        let request = match body {
            Some(body) => http.post(url).json(&body),
            None => http.get(url),
        };
        request.bearer_auth(key).send().await.unwrap().json().await.unwrap()
    }

    /// Whether Brightwater lets a key or token do something.
    pub async fn may(&self, key: &str, verb: &str, thing: &str, basin: &[&str]) -> bool {
        let reply = self.cloud(key, "/may", Some(json!({ "verb": verb, "thing": thing, "basin": basin }))).await;
        reply["may"] == true
    }

    /// How many postings on Brightwater bear our mark.
    pub async fn cloud_marks(&self) -> usize {
        let all = self.cloud(&self.cloud_key("tempestas-broker"), "/postings", None).await;
        let marked = |posting: &&Value| posting["note"].as_str().is_some_and(|note| note.starts_with("tempestas/"));
        all["items"].as_array().unwrap().iter().filter(marked).count()
    }

    /// How Brightwater misbehaves from now on.
    pub async fn switch(&self, switches: Value) {
        self.cloud("", "/switches", Some(switches)).await;
    }

    /// Roles on the cluster that bear our mark and may sign in.
    pub async fn cluster_marks(&self) -> i64 {
        let sql = self.cluster().connect("postgres").await.unwrap();
        let count = "SELECT count(*) FROM pg_roles WHERE rolcanlogin AND shobj_description(oid, 'pg_authid') LIKE 'tempestas/%'";
        sql.query_one(count, &[]).await.unwrap().get(0)
    }

    /// What `rebuild --check` prints, and whether it found nothing.
    pub fn rebuild(&self) -> (bool, String) {
        let output = self.setup.run(&["rebuild", "--check"]).unwrap();
        let text =
            String::from_utf8_lossy(&output.stdout).into_owned() + String::from_utf8_lossy(&output.stderr).as_ref();
        (output.status.success(), text)
    }

    /// Signs somebody in with the real client.
    pub fn sign_in_at_a_terminal(&self, home: &Path, who: &str) -> String {
        let person = self.person(who);
        let code = next_code(self.path(), who, &person.totp_secret).unwrap();
        let (exit, text) =
            self.tempestas(home, &["sign-in", who, "--password-stdin", "--code", &code], &person.password);
        assert_eq!(exit, 0, "{text}");
        text
    }

    /// Runs the real client as somebody; exit code and everything printed.
    pub fn tempestas(&self, home: &Path, arguments: &[&str], input: &str) -> (i32, String) {
        let output = self.run_the_client(home, arguments, input);
        let text =
            String::from_utf8_lossy(&output.stdout).into_owned() + String::from_utf8_lossy(&output.stderr).as_ref();
        (output.status.code().unwrap_or(-1), text)
    }

    /// The same; exit code and what a script would read.
    pub fn tempestas_alone(&self, home: &Path, arguments: &[&str]) -> (i32, String) {
        let output = self.run_the_client(home, arguments, "");
        (output.status.code().unwrap_or(-1), String::from_utf8_lossy(&output.stdout).into_owned())
    }

    fn run_the_client(&self, home: &Path, arguments: &[&str], input: &str) -> std::process::Output {
        use std::io::Write as _;
        let mut child = std::process::Command::new(tempestas_demo::processes::program("tempestas").unwrap())
            .args(arguments)
            .env("TEMPESTAS_SERVER", &self.service.address)
            .env("TEMPESTAS_HOME", home)
            .stdin(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .stderr(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
        child.wait_with_output().unwrap()
    }
}

pub async fn new_cluster(directory: &Path, broker_power: &str, broker_password: &str) -> Cluster {
    let cluster = Cluster::start(&directory.join("postgres"), free_port().unwrap(), &seed::random_word()).unwrap();
    seed::cluster(&cluster, broker_power, broker_password).await.unwrap();
    if broker_power != "SUPERUSER" {
        let sql = cluster.connect("postgres").await.unwrap();
        sql.batch_execute(&format!("GRANT pg_signal_backend, pg_monitor TO {BROKER}")).await.unwrap();
    }
    cluster
}

/// Shows the demand, then asks.
pub async fn ask(
    client: &Client,
    right: &str,
    seconds: Option<u32>,
    start: StartChoice,
    ticket: Option<&str>,
) -> Result<ElevationView, ClientError> {
    let duration = seconds.map(Seconds);
    let demand = client
        .preview_ask(&PreviewRequest { right: right.to_owned(), duration, start: Some(start), glass: false })
        .await?;
    let request = AskRequest {
        right: right.to_owned(),
        duration,
        start: Some(start),
        glass: false,
        brings: Brings {
            reason: Some("because the work needs it".to_owned()),
            ticket: ticket.filter(|_| demand.wants.ticket.is_required()).map(str::to_owned),
            purpose: demand.wants.purposes.first().cloned(),
            ..Brings::default()
        },
        shown: demand.digest,
    };
    client.ask(&request).await
}

/// Tries until it holds, or the test calls it stuck.
pub async fn eventually<F: Future<Output = bool>>(what: &str, holds: impl Fn() -> F) {
    let until = tokio::time::Instant::now() + SOON;
    while !holds().await {
        assert!(tokio::time::Instant::now() < until, "never: {what}");
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
}

/// A right on the cluster.
pub fn on_berths(role: &str) -> String {
    format!("{role}@{BERTHS}")
}

/// A right on the cloud.
pub fn on_cloud(role: &str, basin: &str) -> String {
    format!("{role}@{BRIGHTWATER}{basin}")
}
