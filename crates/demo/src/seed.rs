//! Fills an empty service with Quillhaven, through its own interface and nothing else.

use std::{
    collections::{BTreeMap, BTreeSet},
    path::Path,
};

use anyhow::Context as _;
use jiff::{SignedDuration, Timestamp};
use ring::rand::{SecureRandom as _, SystemRandom};
use tempestas_api::{
    AssuranceBody, CalendarBody, EnrolRequest, FilesQuery, KeepsBody, NewAccount, NewCover, NewDelegation, NewDuty,
    NewEligibility, NewFolder, NewManager, NewMember, NewSubject, NewTarget, NewTerms, PromiseBody, PromisedBody,
    SeparationBody, SignInRequest, TargetSettings, TermsFiles, TolerateRequest,
};
use tempestas_client::{Client, Connection};
use tempestas_core::{Connector, Counts, DutyKind, LookedAt, ProofMethod, Seconds, SubjectKind};
use tokio_postgres::Client as Sql;

use crate::{
    cluster::Cluster,
    codes::next_code,
    facts::Person,
    quillhaven::{BERTHS, BERTHS_DATABASE, BRIGHTWATER, CLUSTER, GROUPS, MANAGERS, PEOPLE, TERMS},
};

/// The broker's login role on the cluster.
pub const BROKER: &str = "tempestas_broker";

fn in_days(days: i64) -> Result<Timestamp, jiff::Error> {
    Timestamp::now().checked_add(SignedDuration::from_hours(days * 24))
}

/// Random letters, for passwords and keys of the sample world.
#[must_use]
pub fn random_word() -> String {
    let mut bytes = [0_u8; 18];
    // Only the sample world is guarded by it; without random bytes nothing else would start either.
    let _ = SystemRandom::new().fill(&mut bytes);
    let letters = b"abcdefghijkmnpqrstuvwxyz23456789";
    bytes.iter().filter_map(|byte| letters.get(usize::from(byte % 32))).map(|letter| char::from(*letter)).collect()
}

/// Fills the cluster with roles, a database and a broker. `broker_power` is what the broker's role may do.
///
/// # Errors
/// When SQL fails.
pub async fn cluster(cluster: &Cluster, broker_power: &str, broker_password: &str) -> anyhow::Result<()> {
    let sql: Sql = cluster.connect("postgres").await?;
    sql.batch_execute(CLUSTER).await?;
    sql.batch_execute("CREATE DATABASE berths").await?;
    sql.batch_execute("CREATE DATABASE tempestas").await?;
    sql.batch_execute(&format!("CREATE ROLE {BROKER} LOGIN {broker_power} PASSWORD '{broker_password}'; GRANT ALL ON DATABASE tempestas TO {BROKER}")).await?;
    cluster.connect("berths").await?.batch_execute(BERTHS_DATABASE).await?;
    Ok(())
}

/// How the targets are reached.
pub struct Targets<'a> {
    /// Port of the cluster, and the broker's password.
    pub postgres: Option<(u16, &'a str)>,
    /// Address of Brightwater, and the broker's key.
    pub brightwater: (&'a str, &'a str),
}

/// An enrolled person, signed in.
///
/// # Errors
/// When the service refuses.
pub async fn enrol(client: &Client, part: &str, secret: &str) -> anyhow::Result<Person> {
    let password = random_word();
    let reply = client.enrol(&EnrolRequest { secret: secret.to_owned(), password: password.clone() }).await?;
    Ok(Person { part: part.to_owned(), name: reply.name, password, totp_secret: reply.totp_secret })
}

/// Signs somebody in.
///
/// # Errors
/// When the service refuses.
pub async fn sign_in(client: &Client, person: &Person, directory: &Path) -> anyhow::Result<Client> {
    let code = next_code(directory, &person.name, &person.totp_secret)?;
    let request = SignInRequest { name: person.name.clone(), password: person.password.clone(), code };
    let reply = client.sign_in(&request).await?;
    Ok(client.with_token(reply.token))
}

/// A client of the service at an address.
///
/// # Errors
/// When the address can't be used.
pub fn client(address: &str) -> anyhow::Result<Client> {
    Ok(Client::new(&Connection { server: address.to_owned(), authority: None }, None)?)
}

/// A filled service.
pub struct Seeded {
    /// Who can be signed in as.
    pub people: Vec<Person>,
    /// The administrator, signed in.
    pub administrator: Client,
}

/// Fills the service.
///
/// # Errors
/// When the service refuses any of it.
pub async fn service(
    address: &str,
    first_secret: &str,
    directory: &Path,
    targets: &Targets<'_>,
) -> anyhow::Result<Seeded> {
    let nobody = client(address)?;
    let administrator = enrol(&nobody, "administrator", first_secret).await?;
    let mara = sign_in(&nobody, &administrator, directory).await?;
    people(&mara).await?;
    let enrolled = enrol_others(&nobody, &mara, administrator).await?;
    estate(&mara, targets).await?;
    if targets.postgres.is_some() {
        wait_for_survey(&mara, BERTHS).await?;
    }
    wait_for_survey(&mara, BRIGHTWATER).await?;
    for (name, _, login, identity) in PEOPLE {
        if let Some(login) = login.filter(|_| targets.postgres.is_some()) {
            mara.set_account(
                name,
                LookedAt::Nothing,
                &NewAccount { target: BERTHS.to_owned(), account: login.to_owned() },
            )
            .await?;
        }
        if let Some(identity) = identity {
            mara.set_account(
                name,
                LookedAt::Nothing,
                &NewAccount { target: BRIGHTWATER.to_owned(), account: identity.to_owned() },
            )
            .await?;
        }
    }
    let program = NewAccount { target: BRIGHTWATER.to_owned(), account: "night-batch".to_owned() };
    mara.set_account("night-batch", LookedAt::Nothing, &program).await?;
    for rule in TERMS {
        let rule: NewTerms = toml::from_str(rule)?;
        if targets.postgres.is_some() || rule.scope != BERTHS {
            mara.add_terms(&rule).await?;
        }
    }
    if targets.postgres.is_some() {
        let right = format!("harbour_dba@{BERTHS}");
        mara.give_eligibility(&NewEligibility::for_good("harbour-engineers", &right)).await?;
    }
    let right = format!("harbour-warden@{BRIGHTWATER}/reports");
    mara.give_eligibility(&NewEligibility::for_good("harbour-engineers", &right)).await?;
    Ok(Seeded { people: enrolled, administrator: mara })
}

/// Lets those with a part enrol on a service that knows them already.
///
/// # Errors
/// When the service refuses.
pub async fn enrol_all(address: &str, first_secret: &str, directory: &Path) -> anyhow::Result<Seeded> {
    let nobody = client(address)?;
    let first = enrol(&nobody, "administrator", first_secret).await?;
    let administrator = sign_in(&nobody, &first, directory).await?;
    let people = enrol_others(&nobody, &administrator, first).await?;
    Ok(Seeded { people, administrator })
}

/// What is said of the port's systems.
const LABELS: [(&str, &[(&str, &str)]); 7] = [
    (BERTHS, &[("stage", "production"), ("data", "personal")]),
    (BRIGHTWATER, &[("stage", "analysis")]),
    ("/harbour/cranes/crane-1", &[("stage", "production"), ("quay", "north")]),
    ("/harbour/cranes/crane-2", &[("stage", "trial"), ("quay", "south")]),
    ("/harbour/gates/controllers", &[("stage", "production"), ("quay", "north")]),
    ("/customs/directory", &[("stage", "production"), ("data", "personal")]),
    ("/terminal/fathom", &[("stage", "production")]),
];

/// Labels the systems that there are.
///
/// # Errors
/// When the service refuses.
pub async fn label(mara: &Client) -> anyhow::Result<()> {
    for known in mara.targets().await? {
        if let Some((target, labels)) = LABELS.iter().find(|(path, _)| *path == known.path) {
            let labels = labels.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect();
            let settings = TargetSettings { target: (*target).to_owned(), labels: Some(labels), ..Default::default() };
            mara.set_target(LookedAt::This(known.digest), &settings).await?;
        }
    }
    Ok(())
}

/// Has somebody stand in for one who is away this week, and another answer for one who will be; and lets somebody ask for what
/// the one who is away would answer.
///
/// # Errors
/// When the service refuses.
pub async fn absences(mara: &Client) -> anyhow::Result<()> {
    let until = in_days(4)?;
    let (absent, stand_in) = ("signe.holm".to_owned(), "amara.osei".to_owned());
    let reason = Some("At the tide gauges up the coast until the end of the week".to_owned());
    mara.cover(&NewCover { absent, stand_in, from: None, until, reason }).await?;
    let right = format!("keysmith@{BRIGHTWATER}");
    mara.give_eligibility(&NewEligibility::for_good("tomas.reyes", &right)).await?;
    let reason = Some("On leave".to_owned());
    let (absent, delegate) = (Some("piet.sol".to_owned()), "oda.brandt".to_owned());
    mara.delegate(&NewDelegation { absent, delegate, from: Some(in_days(3)?), until: in_days(10)?, reason }).await?;
    Ok(())
}

/// When nothing is changed there: on the day on which the tide tables change over, soon; and on Midsummer. And when nobody need be
/// asked at the gates.
///
/// # Errors
/// When the service refuses.
pub async fn calendars(mara: &Client) -> anyhow::Result<()> {
    let changeover = (Timestamp::now() + SignedDuration::from_hours(24 * 6)).strftime("%Y%m%d");
    for (name, entry) in [
        ("quay-freeze", format!("SUMMARY:Tide tables change over\r\nDTSTART;VALUE=DATE:{changeover}")),
        ("holidays", "SUMMARY:Midsummer\r\nDTSTART;VALUE=DATE:20260624\r\nRRULE:FREQ=YEARLY".to_owned()),
    ] {
        let event = format!("BEGIN:VEVENT\r\nUID:{name}\r\n{entry}\r\nEND:VEVENT");
        let file = format!("BEGIN:VCALENDAR\r\nVERSION:2.0\r\n{event}\r\nEND:VCALENDAR\r\n");
        let body = CalendarBody { zone: "Europe/Oslo".to_owned(), file };
        mara.set_calendar(name, LookedAt::Nothing, &body).await?;
    }
    let rule =
        "scope = \"/harbour/databases\"\npins = [\"closed\"]\n[settings]\nclosed = [\"holidays\", \"quay-freeze\"]\n";
    mara.add_terms(&toml::from_str(rule)?).await?;
    // Whoever minds the gate by day need not ask; at night one of the administrators is woken.
    let by_day = r#"
scope = "/harbour/gates"
weight = "privileged"
[settings.approval]
is = "outside-hours"
hours = [{ zone = "Europe/Oslo", open = ["mon-fri 07:00-17:00"] }]
stages = [{ approvers = ["administrators"], yes = 1, no = 1, within = 14400 }]
"#;
    mara.add_terms(&toml::from_str(by_day)?).await?;
    Ok(())
}

/// What nobody has together, how many critical rights one person gathers (one has too many as yet, which is put up with until the
/// cranes are converted), and how many hold the gates at one time.
///
/// # Errors
/// When the service refuses.
pub async fn separations(mara: &Client) -> anyhow::Result<()> {
    let critical_there = format!("weight:critical@{BERTHS}");
    let apart = KeepsBody::Apart { one: format!("reporting@{BERTHS}"), other: critical_there };
    let few = KeepsBody::Few { of: "weight:critical@/".to_owned(), most: 5 };
    let one = KeepsBody::Holders { of: "gate-keeper@/harbour/gates".to_owned(), least: 0, most: Some(1) };
    for (name, keeps, counts) in [
        ("report-or-run", apart, Counts::Eligible),
        ("five-critical", few, Counts::Eligible),
        ("one-at-the-gate", one, Counts::Held),
    ] {
        mara.set_separation(name, LookedAt::Nothing, &SeparationBody { keeps, counts }).await?;
    }
    let reason = "Until the rights on the cranes are converted".to_owned();
    let piet = TolerateRequest { who: Some("piet.sol".to_owned()), until: Some(in_days(30)?), reason };
    mara.tolerate("five-critical", &piet).await?;
    Ok(())
}

/// What must hold whatever terms come to say: that suppliers leave at the end of a day, that somebody else is asked for what is
/// critical, and that two people could answer that. Rights that are still held all the time break the first two as yet.
///
/// # Errors
/// When the service refuses.
pub async fn promises(mara: &Client) -> anyhow::Result<()> {
    let suppliers = Some("suppliers".to_owned());
    for (name, of, by, promised) in [
        ("suppliers-leave", "/", suppliers, PromisedBody::Brief { longest: Seconds::hours(8) }),
        ("critical-asked", "weight:critical@/harbour", None, PromisedBody::Answered { yes: 1 }),
        ("two-to-answer", "weight:critical@/harbour", None, PromisedBody::Answerable { people: 2 }),
    ] {
        mara.set_promise(name, LookedAt::Nothing, &PromiseBody { of: of.to_owned(), by, promised }).await?;
    }
    Ok(())
}

/// Whoever works at the port may ask to read the tables of the tides.
const OFFERED: &str = r#"
[rule.tides-offered]
scope = "/analytics/brightwater/lake"
act = "be-made-eligible"
role = "tide-reader"
settings = { longest = 7776000, reason = { is = "required", at_least = 10 }, offered = "open" }
"#;

/// Has the terms of the analysts' cloud come from files from now on, as they stand; and with one rule that the files add.
///
/// # Errors
/// When the service refuses.
pub async fn files(mara: &Client) -> anyhow::Result<()> {
    let within = "/analytics".to_owned();
    let taken = mara.terms_files(&FilesQuery { within: within.clone() }).await?.files;
    let mut files: BTreeMap<String, String> = taken.into_iter().map(|(name, lines)| (name, lines.join("\n"))).collect();
    files.insert("tides.toml".to_owned(), OFFERED.to_owned());
    let files = TermsFiles { within, files };
    if let Some(plan) = mara.compare_files(&files).await?.plan {
        mara.put_files(LookedAt::This(plan.digest), &files).await?;
    }
    Ok(())
}

/// How sure one must be of people there: of whoever administers that they are at the port, and of whoever asks for a critical right
/// that they have a passkey, which is only watched as yet.
///
/// # Errors
/// When the service refuses.
pub async fn assurances(mara: &Client) -> anyhow::Result<()> {
    let port = AssuranceBody {
        accepts: BTreeSet::from([ProofMethod::Passkey, ProofMethod::TotpCode]),
        within: Seconds::minutes(15),
        networks: ["127.0.0.0/8", "::1/128", "10.20.0.0/16"].map(str::to_owned).into(),
        bypass: None,
        pilot: None,
        watch_only: false,
    };
    let hardware = AssuranceBody {
        accepts: BTreeSet::from([ProofMethod::Passkey]),
        within: Seconds::minutes(10),
        networks: BTreeSet::new(),
        watch_only: true,
        ..port.clone()
    };
    mara.set_assurance("from-the-port", LookedAt::Nothing, &port).await?;
    mara.set_assurance("hardware-key", LookedAt::Nothing, &hardware).await?;
    for rule in [
        "scope = \"/\"\nact = \"administer\"\n[settings]\nassured = [\"from-the-port\"]\n",
        "scope = \"/\"\nweight = \"critical\"\n[settings]\nassured = [\"hardware-key\"]\n",
    ] {
        mara.add_terms(&toml::from_str(rule)?).await?;
    }
    Ok(())
}

async fn enrol_others(nobody: &Client, mara: &Client, administrator: Person) -> anyhow::Result<Vec<Person>> {
    let mut enrolled = vec![administrator];
    for (part, name) in [
        ("requester", "tomas.reyes"),
        ("approver", "oda.brandt"),
        ("auditor", "ines.kowal"),
        ("second administrator", "henrik.voss"),
    ] {
        let issued = mara.enrolment(name).await?;
        enrolled.push(enrol(nobody, part, &issued.secret).await?);
    }
    Ok(enrolled)
}

async fn people(mara: &Client) -> anyhow::Result<()> {
    for (name, about, ..) in PEOPLE.iter().skip(1) {
        let new = NewSubject {
            kind: SubjectKind::Person,
            name: (*name).to_owned(),
            about: (*about).to_owned(),
            second_of: None,
        };
        mara.add_subject(&new).await?;
    }
    let new = NewSubject {
        kind: SubjectKind::Program,
        name: "night-batch".to_owned(),
        about: "the reports that run at three in the morning".to_owned(),
        second_of: None,
    };
    mara.add_subject(&new).await?;
    for (name, about, members) in GROUPS {
        let new =
            NewSubject { kind: SubjectKind::Group, name: name.to_owned(), about: about.to_owned(), second_of: None };
        mara.add_subject(&new).await?;
        for member in members {
            mara.add_member(name, &NewMember { member: (*member).to_owned() }).await?;
        }
    }
    for (who, manager) in MANAGERS {
        let was = LookedAt::This(mara.manager(who).await?.digest);
        mara.set_manager(who, was, &NewManager { manager: Some(manager.to_owned()) }).await?;
    }
    for (who, duty) in [("henrik.voss", DutyKind::Administrator), ("ines.kowal", DutyKind::Auditor)] {
        mara.give_duty(&NewDuty { who: who.to_owned(), duty, scope: "/".to_owned() }).await?;
    }
    Ok(())
}

async fn estate(mara: &Client, targets: &Targets<'_>) -> anyhow::Result<()> {
    for (parent, name) in [("/", "harbour"), ("/harbour", "databases"), ("/", "analytics")] {
        mara.add_folder(&NewFolder { parent: parent.to_owned(), name: name.to_owned() }).await?;
    }
    if let Some((port, password)) = targets.postgres {
        mara.add_target(&NewTarget {
            parent: "/harbour/databases".to_owned(),
            name: "berths".to_owned(),
            connector: Connector::Postgres {
                host: "127.0.0.1".to_owned(),
                port,
                user: BROKER.to_owned(),
                database: "tempestas".to_owned(),
                own_login: false,
            },
            secret: password.to_owned(),
            emergency_least: 2,
            alarm_after: 30,
        })
        .await?;
    }
    let (url, key) = targets.brightwater;
    mara.add_target(&NewTarget {
        parent: "/analytics".to_owned(),
        name: "brightwater".to_owned(),
        connector: Connector::Brightwater { url: url.to_owned() },
        secret: key.to_owned(),
        emergency_least: 1,
        alarm_after: 30,
    })
    .await?;
    let owner = NewDuty { who: "signe.holm".to_owned(), duty: DutyKind::Owner, scope: "/analytics".to_owned() };
    mara.give_duty(&owner).await?;
    Ok(())
}

/// Waits until a target's first survey was taken in.
///
/// # Errors
/// When it does not come.
pub async fn wait_for_survey(client: &Client, target: &str) -> anyhow::Result<()> {
    for _ in 0..200 {
        let all = client.targets().await?;
        let known = all.iter().find(|known| known.path == target).context("the target is not there")?;
        if known.surveyed_at.is_some() {
            return Ok(());
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    anyhow::bail!("the first survey of {target} did not come within 20 s")
}
