//! What very many guesses at once get: how many are looked at, and whether somebody else waits meanwhile.

use std::{sync::Arc, time::Instant};

use anyhow::Context as _;
use tempestas_api::SignInRequest;
use tempestas_client::ClientError;
use tempestas_demo::seed;

use crate::{
    report::{Report, rate, seconds},
    world::setup,
};

const GUESSES: usize = 10_000;
/// Connections that guess at the same time.
const TOGETHER: usize = 256;

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    let directory = tempfile::tempdir()?;
    let setup = setup(&directory.path().join("house"));
    setup.write()?;
    let service = setup.start(&[])?;
    let client = Arc::new(seed::client(&service.address)?);
    let guess = |name: &str, n: usize| SignInRequest {
        name: name.to_owned(),
        password: format!("a guess that is number {n}"),
        code: format!("{n:06}"),
    };
    let begun = Instant::now();
    client.sign_in(&guess("somebody.else", 0)).await.err().context("a guess is wrong")?;
    let alone = begun.elapsed();
    let begun = Instant::now();
    let mut under_way = Vec::new();
    for first in 0..TOGETHER {
        let client = Arc::clone(&client);
        under_way.push(tokio::spawn(async move {
            let mut looked_at = 0;
            for n in (first..GUESSES).step_by(TOGETHER) {
                match client.sign_in(&guess("mara.lindqvist", n)).await {
                    Err(ClientError::Refused(problem)) => looked_at += usize::from(problem.status == 401),
                    Err(other) => return Err(other.into()),
                    Ok(_) => anyhow::bail!("a guess was right"),
                }
            }
            anyhow::Ok(looked_at)
        }));
    }
    let mut looked_at = 0;
    for one in under_way {
        looked_at += one.await??;
    }
    let took = begun.elapsed();
    report.add(
        "10,000 guesses at one password, 256 at a time: how many of them are looked at",
        format!("{looked_at}, within {}; {:.0} refused a second", seconds(took), rate(GUESSES - looked_at, took)),
        format!("{} for a wrong one alone", seconds(alone)),
        "5, and one more after each wait",
    );
    Ok(())
}
