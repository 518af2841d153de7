//! A long history: what starting and each page cost when hundreds of thousands of elevations have come and gone.

use std::{
    path::Path,
    time::{Duration, Instant},
};

use anyhow::Context as _;
use jiff::{SignedDuration, Timestamp};
use reqwest::Method;
use serde_json::Value;
use tempestas_client::Client;
use tempestas_core::{
    Actor, Command, Decision, Fact, KEPT_FOR, Note, PrivateText, Row, SubjectId, What, decide, ledger::Signer,
};
use tempestas_demo::{daemon::Setup, processes::Running, seed};
use tempestas_store::{Batch, Loaded, Store};

use crate::{
    report::{Report, seconds},
    start::{self, Started},
    world::{Big, somebody},
};

const PEOPLE: usize = 5_000;
const RIGHTS: usize = 50_000;
/// Elevations that are over, and facts, of the first measurement.
const ENDED: u64 = 300_000;
const FACTS: u64 = 2_000_000;
/// The same for the second, whose other facts are left out, since they are on no page.
const MORE_ENDED: u64 = 3 * ENDED;
/// How far back the history goes.
const DAYS: i64 = 730;
/// Elevations entered by one commit.
const TOGETHER: usize = 200;
/// How often each page is asked for.
const TIMES: usize = 9;

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    let big = Big::build(PEOPLE, RIGHTS, "http://127.0.0.1:9").await?;
    big.pass(Timestamp::now().duration_since(big.now()));
    big.lifecycle(0).await?;
    let people: Vec<(SubjectId, String)> =
        big.people.iter().map(|id| (*id, big.house.world().subject_name(*id))).collect();
    let approver = big.house.world().subject_name(big.approver);
    let (setup, _kept) = big.close().await?;
    let sample = Lifecycle::last(&setup.state()).await?;
    fill(&setup.state(), &sample, &people, ENDED, FACTS).await?;
    let [Started { took, memory, .. }] = start::in_turn([&setup.state()])?;
    report.add(
        "start with 2,000,000 facts, 50,000 rights, 5,000 people, 300,000 elevations that are over",
        format!("{}, {} MB resident", seconds(took), memory / 1_000_000),
        "-".to_owned(),
        "1 s, 250 MB",
    );
    pages(report, &setup, &approver, &people).await?;
    let before = tempfile::tempdir()?;
    for file in std::fs::read_dir(setup.state())? {
        let file = file?;
        std::fs::copy(file.path(), before.path().join(file.file_name()))?;
    }
    fill(&setup.state(), &sample, &people, MORE_ENDED, FACTS).await?;
    let [less, more] = start::in_turn([before.path(), &setup.state()])?;
    let grown = |from: f64, to: f64| format!("{:+.0} %", (to / from - 1.0) * 100.0);
    report.add(
        "the same with 900,000 elevations that are over, started in turn with a third of them: start, memory, and by how much they grew",
        format!(
            "{} ({}), {} MB ({})",
            seconds(more.took),
            grown(less.took.as_secs_f64(), more.took.as_secs_f64()),
            more.memory / 1_000_000,
            grown(less.memory as f64, more.memory as f64)
        ),
        "-".to_owned(),
        "less than a tenth",
    );
    Ok(())
}

/// The facts of one lifecycle, as JSON, and which ids stand in them.
struct Lifecycle {
    facts: Vec<Value>,
    began: Timestamp,
    /// What it demands, for one of which only the end is told.
    demand: Row,
}

impl Lifecycle {
    /// The last one of a store: its ask and all that follows.
    async fn last(state: &Path) -> anyhow::Result<Self> {
        let Loaded { store, tree, .. } = Store::open(state).await?;
        let lines = store.fact_lines(tree.size().saturating_sub(50), 50).await?;
        let facts: Vec<Fact> = lines
            .iter()
            .map(|line| Fact::from_bytes(line.fact.as_bytes()).map_err(anyhow::Error::msg))
            .collect::<Result<_, _>>()?;
        let asked = facts.iter().rposition(|fact| matches!(fact.what, What::Asked { .. })).context("somebody asked")?;
        let facts = facts.get(asked..).context("an ask")?;
        let began = facts.first().context("an ask")?.at;
        let mut rows = facts.iter().flat_map(|fact| &fact.put);
        let demand = rows.find(|row| matches!(row, Row::Demand(_))).cloned().context("what it demands")?;
        let facts = facts.iter().map(serde_json::to_value).collect::<Result<_, _>>()?;
        Ok(Self { facts, began, demand })
    }

    /// Another one like it: of somebody else, at another time, with a reason of its own.
    fn again(&self, number: u64, asker: SubjectId, at: Timestamp, whole: bool) -> anyhow::Result<Decision> {
        let shift = at.duration_since(self.began);
        let mut decision = Decision::default();
        let skipped = if whole { 0 } else { self.facts.len().saturating_sub(1) };
        for value in self.facts.iter().skip(skipped) {
            let mut value = value.clone();
            shifted(&mut value, shift);
            let mut fact: Fact = serde_json::from_value(value)?;
            fact.put.extend((!whole).then(|| self.demand.clone()));
            let from = PrivateText::new("192.0.2.7", salt(number, decision.texts.len()));
            fact.from = Some(from.digest);
            decision.texts.push(from);
            if matches!(fact.by, Actor::Subject(_)) && matches!(fact.what, What::Asked { .. }) {
                fact.by = Actor::Subject(asker);
            }
            let mut what = serde_json::to_value(&fact.what)?;
            renumber(&mut what, number);
            fact.what = serde_json::from_value(what)?;
            for row in &mut fact.put {
                match row {
                    Row::Elevation(elevation) => {
                        elevation.id.0 = number;
                        elevation.asker = asker;
                        elevation.holder = asker;
                        elevation.grants.iter_mut().for_each(|grant| grant.0 = number + 100_000_000);
                        let reason =
                            PrivateText::new(&format!("the crane of quay {number} stands still"), salt(number, 99));
                        elevation.brought.reason = Some(reason.digest);
                        decision.texts.push(reason);
                    }
                    Row::Demand(demanded) => demanded.elevation.0 = number,
                    Row::Grant(grant) => (grant.id.0, grant.elevation.0) = (number + 100_000_000, number),
                    Row::Counters(counters) => {
                        counters.next_elevation = number + 1;
                        counters.next = counters.next.max(200_000_000);
                    }
                    _ => {}
                }
            }
            decision.facts.push(fact);
        }
        Ok(decision)
    }
}

fn salt(number: u64, of: usize) -> [u8; 16] {
    (u128::from(number) << 16 | of as u128).to_be_bytes()
}

/// Moves every time in some JSON.
fn shifted(value: &mut Value, by: SignedDuration) {
    match value {
        Value::String(text) => {
            if let Some(at) = text.parse::<Timestamp>().ok().and_then(|at| at.checked_add(by).ok()) {
                *text = at.to_string();
            }
        }
        Value::Array(items) => items.iter_mut().for_each(|item| shifted(item, by)),
        Value::Object(fields) => fields.values_mut().for_each(|field| shifted(field, by)),
        _ => {}
    }
}

/// Puts another elevation and its grant in the place of those that a fact is about.
fn renumber(what: &mut Value, number: u64) {
    let Value::Object(fields) = what else { return };
    for (name, field) in fields {
        match name.as_str() {
            "elevation" => *field = number.into(),
            "grant" => *field = (number + 100_000_000).into(),
            _ => renumber(field, number),
        }
    }
}

/// Elevations up to so many that are over, and facts up to so many.
async fn fill(
    state: &Path,
    sample: &Lifecycle,
    people: &[(SubjectId, String)],
    ended: u64,
    facts: u64,
) -> anyhow::Result<()> {
    let Loaded { store, mut world, mut tree } = Store::open(state).await?;
    let signer = Signer::new("quillhaven.example/tempestas", &[7; 32]).map_err(anyhow::Error::msg)?;
    // Beside what is there, and no later than it; those of the second measurement no later than what has left memory.
    let first = world.counters.next_elevation;
    let lately = if ended == ENDED { SignedDuration::ZERO } else { KEPT_FOR };
    let last = world.last_at.context("there are facts")?;
    let each = SignedDuration::from_hours(24 * DAYS) / i32::try_from(ended)?;
    for numbers in (first..1001 + ended).collect::<Vec<_>>().chunks(TOGETHER) {
        let mut batch = Batch::default();
        for number in numbers {
            let (asker, _) = people.get(usize::try_from(*number)? % people.len()).context("somebody")?;
            let back = lately + each * i32::try_from(1001 + ended - number)?;
            batch.add(sample.again(*number, *asker, last.checked_sub(back)?, ended == ENDED)?, &mut tree)?;
        }
        store.append(&batch, &signer.sign(tree.size(), tree.root(), 1)).await?;
    }
    let note = Command::Note(Note::SignedIn);
    let context = tempestas_core::Context { now: last, caller: somebody(), chance: [7; 32], looked_at: None };
    // One at least: what is kept in memory goes by the time of the last fact, and those before it are of older times.
    let facts = facts.max(tree.size() + 1);
    while tree.size() < facts {
        let mut batch = Batch::default();
        for _ in 0..2000.min(facts - tree.size()) {
            let decision = decide(&world, &note, &context)?;
            decision.facts.iter().for_each(|fact| world.apply(fact));
            batch.add(decision, &mut tree)?;
        }
        store.append(&batch, &signer.sign(tree.size(), tree.root(), 1)).await?;
    }
    Ok(())
}

/// What it is called, where it is, and what is asked of it.
type Page<'p> = (&'p str, &'p str, &'p [(&'p str, &'p str)]);

/// Every page that tells of the past, as who sees everything, as who was asked about all of it, and as who asked for a little.
async fn pages(
    report: &mut Report,
    setup: &Setup,
    approver: &str,
    people: &[(SubjectId, String)],
) -> anyhow::Result<()> {
    let service: Running = setup.start(&[])?;
    let nobody = seed::client(&service.address)?;
    let first = seed::enrol(&nobody, "administrator", &setup.first_secret()?).await?;
    let mara = seed::sign_in(&nobody, &first, &setup.directory).await?;
    let mut callers = vec![("administrator", mara.clone())];
    let asker = &people.get(7).context("somebody")?.1;
    for (part, name) in [("approver", approver), ("asker", asker.as_str())] {
        let person = seed::enrol(&nobody, part, &mara.enrolment(name).await?.secret).await?;
        callers.push((part, seed::sign_in(&nobody, &person, &setup.directory).await?));
    }
    let old = "E51012";
    let person = format!("people/{asker}");
    let listed: [Page<'_>; 8] = [
        ("now", "now", &[]),
        ("days", "days", &[]),
        ("elevations, the newest 100", "elevations", &[("all", "true"), ("ended", "true"), ("limit", "100")]),
        (
            "elevations of somebody",
            "elevations",
            &[("all", "true"), ("ended", "true"), ("who", asker), ("limit", "100")],
        ),
        ("one elevation of a year ago, with its story", old, &[]),
        ("somebody's page", &person, &[]),
        ("search for a number", "search", &[("q", "e1012")]),
        ("the record about somebody", "ledger", &[("who", asker)]),
    ];
    for (part, client) in &callers {
        for (what, path, query) in &listed {
            let path = if *path == old { format!("elevations/{old}") } else { (*path).to_owned() };
            let Some(took) = page(client, &path, query).await? else { continue };
            let what = format!("{what}, as {part}, with 300,000 that are over: slowest of {TIMES}");
            report.add(&what, seconds(took), "-".to_owned(), "100 ms");
        }
    }
    Ok(())
}

/// The slowest of some replies, after a first; none where it isn't in sight.
async fn page(client: &Client, path: &str, query: &[(&str, &str)]) -> anyhow::Result<Option<Duration>> {
    let segments: Vec<&str> = path.split('/').collect();
    let mut slowest = Duration::ZERO;
    for n in 0..=TIMES {
        let begun = Instant::now();
        let Ok(reply) = client.send::<(), _>(Method::GET, &segments, Some(query), None).await else { return Ok(None) };
        reply.bytes().await?;
        if n > 0 {
            slowest = slowest.max(begun.elapsed());
        }
    }
    Ok(Some(slowest))
}
