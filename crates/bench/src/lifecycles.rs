//! Whole lifecycles through the writer, durable, on an instant target; one write among them; many ends at once.

use std::{
    sync::{
        Arc,
        atomic::{AtomicBool, Ordering},
    },
    time::{Duration, Instant},
};

use anyhow::Context as _;
use jiff::SignedDuration;
use tempestas_core::{Caller, Command, ElevationCommand, GrantId, Phase, Task, orders};

use crate::{
    foresight,
    report::{Report, rate, seconds},
    world::Big,
};

/// Lifecycles measured.
const LIFECYCLES: usize = 3000;
/// Callers at a time.
const CALLERS: usize = 48;
/// Grants that end in the same second.
const ENDS: usize = 5000;
/// Writes of the paced measurement, at 50 a second.
const PACED: u32 = 500;

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    let big = Arc::new(Big::build(ENDS + 2, 1000, "http://127.0.0.1:9").await?);
    let syncs = bare_syncs(big.setup.directory.as_path())?;
    whole(report, &big, syncs).await?;
    paced(report, &big, syncs).await?;
    ends(report, &big).await
}

/// Appends of 4 KiB, each synced, for a second.
fn bare_syncs(directory: &std::path::Path) -> anyhow::Result<f64> {
    use std::io::Write as _;
    let mut file = std::fs::File::create(directory.join("bare"))?;
    let begun = Instant::now();
    let mut count = 0;
    while begun.elapsed() < Duration::from_secs(1) {
        file.write_all(&[0; 4096])?;
        file.sync_data()?;
        count += 1;
    }
    Ok(rate(count, begun.elapsed()))
}

async fn whole(report: &mut Report, big: &Arc<Big>, syncs: f64) -> anyhow::Result<()> {
    let begun = Instant::now();
    let mut under_way = Vec::new();
    for caller in 0..CALLERS {
        let big = Arc::clone(big);
        under_way.push(tokio::spawn(async move {
            for n in (caller..LIFECYCLES).step_by(CALLERS) {
                big.lifecycle(n).await?;
            }
            anyhow::Ok(())
        }));
    }
    for one in under_way {
        one.await??;
    }
    let span = begun.elapsed();
    report.add(
        "whole lifecycles (ask, answer, opened, given back, gone), durable, instant target, 48 callers",
        format!("{:.0}/s, {:.0} commands/s", rate(LIFECYCLES, span), rate(LIFECYCLES * 5, span)),
        format!("{syncs:.0} synced appends/s"),
        "100/s, better 300/s",
    );
    Ok(())
}

/// Asks at an even pace: how long each takes, the shortest first.
async fn asks(big: &Arc<Big>) -> anyhow::Result<Vec<Duration>> {
    let mut took = Vec::new();
    let begun = Instant::now();
    for n in 0..PACED {
        let due = begun + Duration::from_millis(20) * n;
        tokio::time::sleep_until(due.into()).await;
        let who = *big.people.get(usize::try_from(n)? % (big.people.len() - 1)).context("somebody")?;
        let one = Instant::now();
        let id = big.ask(who, 600).await?;
        took.push(one.elapsed());
        big.house.submit(big.caller(who), ElevationCommand::Withdraw { elevation: id }).await?;
    }
    took.sort_unstable();
    Ok(took)
}

async fn paced(report: &mut Report, big: &Arc<Big>, syncs: f64) -> anyhow::Result<()> {
    let median_and_p99 = |took: &[Duration]| {
        let at = |share: usize| took.get(took.len() * share / 100).copied().unwrap_or_default();
        format!("{}, {}", seconds(at(50)), seconds(at(99)))
    };
    let alone = asks(big).await?;
    report.add(
        "one ask at 50/s: median, p99",
        median_and_p99(&alone),
        format!("{} for one synced append", seconds(Duration::from_secs_f64(1.0 / syncs))),
        "p99 under 20 ms",
    );
    let done = Arc::new(AtomicBool::new(false));
    let until = Arc::clone(&done);
    let house = Arc::clone(&big.house);
    let rehearsing = tokio::spawn(async move { house.reckon(move || foresight::rehearse_until(&until)).await? });
    let beside = asks(big).await?;
    done.store(true, Ordering::Relaxed);
    let rehearsed = rehearsing.await??;
    report.add(
        &format!("the same beside {rehearsed} rehearsals of a million uses, one after another"),
        median_and_p99(&beside),
        format!("{} without", median_and_p99(&alone)),
        "p99 at most 1.2 times that without",
    );
    Ok(())
}

async fn ends(report: &mut Report, big: &Arc<Big>) -> anyhow::Result<()> {
    let mut live = Vec::new();
    for some in big.people.get(..ENDS).context("people enough")?.chunks(64) {
        let mut under_way = Vec::new();
        for who in some {
            let (big, who) = (Arc::clone(big), *who);
            under_way.push(tokio::spawn(async move { big.open(who, 3600).await }));
        }
        for one in under_way {
            live.push(one.await??);
        }
    }
    big.pass(SignedDuration::from_secs(3601));
    let begun = Instant::now();
    let mut first = None;
    big.house.submit(Caller::service(), Command::Tick).await?;
    let taken = {
        let world = big.house.world();
        let orders = orders(&world, big.target, big.now());
        let take = |task: &Task| match task {
            Task::Take(grant) => Some(grant.id),
            _ => None,
        };
        orders.iter().filter_map(|order| take(&order.task)).collect::<Vec<GrantId>>()
    };
    for some in taken.chunks(64) {
        let mut under_way = Vec::new();
        for grant in some {
            let target = big.target;
            let (house, gone) =
                (Arc::clone(&big.house), tempestas_core::Report::GrantGone { grant: *grant, leftovers: Vec::new() });
            under_way.push(tokio::spawn(async move { house.submit(Caller::keeper_of(target), gone).await }));
        }
        for one in under_way {
            one.await??;
            first.get_or_insert_with(|| begun.elapsed());
        }
    }
    let span = begun.elapsed();
    let world = big.house.world();
    let over = world.elevations.values().filter(|one| matches!(one.phase, Phase::Ended(_))).count();
    anyhow::ensure!(live.len() == ENDS && taken.len() == ENDS && over >= ENDS, "not all of them ended");
    report.add(
        "5,000 grants ending in the same second, instant target: the first gone, all gone",
        format!("{}, {}", seconds(first.unwrap_or_default()), seconds(span)),
        "-".to_owned(),
        "1 s, 10 s",
    );
    Ok(())
}
