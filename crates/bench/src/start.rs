//! Starting with a large store: how long, and how much memory the World takes.

use std::{
    path::Path,
    sync::Arc,
    time::{Duration, Instant},
};

use anyhow::Context as _;
use sqlx::{ConnectOptions as _, sqlite::SqliteConnectOptions};
use tempestas_core::{Command, Note, Row, World, decide, ledger::Signer};
use tempestas_store::{Batch, Loaded, Store};

use crate::{
    report::{Report, seconds},
    world::{Big, somebody},
};

const FACTS: u64 = 1_000_000;
/// Starts of one store: one alone takes up to half as long again as another.
const STARTS: usize = 7;
const RIGHTS: usize = 50_000;
const PEOPLE: usize = 5_000;
/// Elevations that came and went, among those facts.
const ELEVATIONS: usize = 20_000;

/// Copies of the rights that are made to weigh them.
const COPIES: usize = 4;

/// Resident memory of this process, in bytes.
fn resident() -> anyhow::Result<u64> {
    let status = std::fs::read_to_string("/proc/self/status")?;
    let line = status.lines().find_map(|line| line.strip_prefix("VmRSS:")).context("the system tells it")?;
    let kib: u64 = line.split_whitespace().next().context("a number")?.parse()?;
    Ok(kib * 1024)
}

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    // A process of its own measures, so that what was built here before doesn't count.
    if let Ok(state) = std::env::var("TEMPESTAS_BENCH_START") {
        return start(&state).await;
    }
    let big = Arc::new(Big::build(PEOPLE, RIGHTS, "http://127.0.0.1:9").await?);
    let mut under_way = Vec::new();
    for caller in 0..64 {
        let big = Arc::clone(&big);
        under_way.push(tokio::spawn(async move {
            for n in (caller..ELEVATIONS).step_by(64) {
                big.lifecycle(n).await?;
            }
            anyhow::Ok(())
        }));
    }
    for one in under_way {
        one.await??;
    }
    let (setup, _kept) = Arc::into_inner(big).context("nobody else works there")?.close().await?;
    fill(&setup.state()).await?;
    let bare = bare_read(&setup.state()).await?;
    let [Started { took, memory, each }] = in_turn([&setup.state()])?;
    report.add(
        "start with 1,000,000 facts, 50,000 rights, 5,000 people, 20,000 ended elevations",
        format!("{}, {} MB resident", seconds(took), memory / 1_000_000),
        format!("{} to read the same rows with sqlx, unparsed", seconds(bare)),
        "under 2 s, under 300 MB",
    );
    report.add(
        "memory of the World for each 10,000 standing rights",
        format!("{:.1} MB", each as f64 / 1e6),
        "-".to_owned(),
        "-",
    );
    Ok(())
}

/// How a start went.
pub(crate) struct Started {
    pub(crate) took: Duration,
    /// Resident, in bytes.
    pub(crate) memory: u64,
    /// Of 10,000 standing rights, in bytes.
    each: u64,
}

/// Starts with state directories in turn, some times, each start in a process of its own; of each the one of median length.
/// What a machine does meanwhile falls on all of them.
pub(crate) fn in_turn<const N: usize>(states: [&Path; N]) -> anyhow::Result<[Started; N]> {
    // What was written before is on its way to the disk for a while, and would be measured with it.
    std::process::Command::new("sync").status().context("`sync` is there")?;
    let mut all = [const { Vec::new() }; N];
    for _ in 0..STARTS {
        for (state, starts) in states.iter().zip(&mut all) {
            starts.push(once(state)?);
        }
    }
    Ok(all.map(|mut starts| {
        starts.sort_unstable_by_key(|one| one.took);
        starts.swap_remove(STARTS / 2)
    }))
}

fn once(state: &Path) -> anyhow::Result<Started> {
    let own = std::env::current_exe()?;
    let output = std::process::Command::new(own).arg("start").env("TEMPESTAS_BENCH_START", state).output()?;
    let text = String::from_utf8_lossy(&output.stdout).into_owned();
    let mut words = text.split_whitespace();
    let (Some(took), Some(memory), Some(each)) = (words.next(), words.next(), words.next()) else {
        anyhow::bail!("starting failed: {text}{}", String::from_utf8_lossy(&output.stderr));
    };
    Ok(Started { took: Duration::from_secs_f64(took.parse()?), memory: memory.parse()?, each: each.parse()? })
}

/// More facts, of things that change no row.
async fn fill(state: &std::path::Path) -> anyhow::Result<()> {
    let Loaded { store, mut world, mut tree } = Store::open(state).await?;
    let signer = Signer::new("quillhaven.example/tempestas", &[7; 32]).map_err(anyhow::Error::msg)?;
    let note = Command::Note(Note::SignedIn);
    let now = world.last_at.context("there are facts")?;
    let context = tempestas_core::Context { now, caller: somebody(), chance: [7; 32], looked_at: None };
    while tree.size() < FACTS {
        let mut batch = Batch::default();
        for _ in 0..2000.min(FACTS - tree.size()) {
            let decision = decide(&world, &note, &context)?;
            decision.facts.iter().for_each(|fact| world.apply(fact));
            batch.add(decision, &mut tree)?;
        }
        store.append(&batch, &signer.sign(tree.size(), tree.root(), 1)).await?;
    }
    Ok(())
}

async fn bare_read(state: &std::path::Path) -> anyhow::Result<std::time::Duration> {
    let begun = Instant::now();
    let mut reader = SqliteConnectOptions::new()
        .filename(state.join("tempestas.sqlite"))
        .disable_statement_logging()
        .connect()
        .await?;
    let rows = sqlx::query("SELECT kind, id, body FROM rows").fetch_all(&mut reader).await?;
    std::hint::black_box(rows.len());
    Ok(begun.elapsed())
}

/// A World of its standing rights and the accounts they name.
fn rights_alone(world: &World) -> World {
    let mut alone = World::default();
    for held in world.standing.values() {
        alone.put(Row::Standing(held.clone()));
        alone.know(held.account, world.text(held.account));
    }
    alone
}

async fn start(state: &str) -> anyhow::Result<()> {
    let begun = Instant::now();
    let loaded = Store::open(std::path::Path::new(state)).await?;
    let took = begun.elapsed();
    let memory = resident()?;
    let copies: Vec<World> = (0..COPIES + 1).map(|_| rights_alone(&loaded.world)).collect();
    // The first copy fills what loading left free.
    let before = resident()?;
    let more: Vec<World> = (0..COPIES).map(|_| rights_alone(&loaded.world)).collect();
    let each = resident()?.saturating_sub(before) * 10_000 / u64::try_from(COPIES * RIGHTS)?;
    std::hint::black_box((copies, more));
    println!("{} {memory} {each}", took.as_secs_f64());
    Ok(())
}
