//! The console in Chromium: its first load, and its largest lists.

use std::{
    sync::Arc,
    time::{Duration, Instant},
};

use anyhow::Context as _;
use tempestas_demo::{processes::Running, seed};
use tempestas_e2e::browser::Browser;

use crate::{
    report::{Report, seconds},
    world::Big,
};

/// Rows of the large lists.
const ROWS: usize = 5_000;

pub(crate) async fn measure(report: &mut Report) -> anyhow::Result<()> {
    let big = Arc::new(Big::build(ROWS + 2, ROWS, "http://127.0.0.1:9").await?);
    // The history's clock comes to the present, so that asks made now still wait.
    big.pass(jiff::Timestamp::now().duration_since(big.now()));
    for some in big.people.get(..ROWS).context("people enough")?.chunks(64) {
        let mut under_way = Vec::new();
        for who in some {
            let (big, who) = (Arc::clone(&big), *who);
            under_way.push(tokio::spawn(async move { big.ask(who, 600).await }));
        }
        for one in under_way {
            one.await??;
        }
    }
    let approver = big.house.world().subject_name(big.approver);
    let (setup, _kept) = Arc::into_inner(big).context("nobody else works there")?.close().await?;
    let service: Running = setup.start(&[])?;
    let nobody = seed::client(&service.address)?;
    let first = seed::enrol(&nobody, "administrator", &setup.first_secret()?).await?;
    let mara = seed::sign_in(&nobody, &first, &setup.directory).await?;
    let secret = mara.enrolment(&approver).await?.secret;
    let other = seed::enrol(&nobody, "approver", &secret).await?;

    let browser = Browser::open(&service.address).await?;
    browser.sign_in(&first, &setup.directory).await?;
    let bytes = browser
        .script("return performance.getEntriesByType('resource').filter((one) => /assets/.test(one.name) && !/woff/.test(one.name)).reduce((sum, one) => sum + one.encodedBodySize, 0)")
        .await?;
    let now = load(&browser, "/", "standing rights left").await?;
    report.add(
        "first load of the console: scripts and styles, gzip; Now on the screen (cache warm)",
        format!("{} kB, {}", bytes.as_u64().unwrap_or(0) / 1000, seconds(now)),
        format!("{} for one static picture in the same browser", seconds(bare_load(&browser).await?)),
        "-",
    );
    let standing = load(&browser, "/standing", "5,000 rights").await?;
    report.add(
        "Standing with 5,000 rows, on the screen",
        seconds(standing),
        format!("{} for the API's reply alone", seconds(reply(&browser, "/api/v1/standing").await?)),
        "-",
    );
    let approver = Browser::open(&service.address).await?;
    approver.sign_in(&other, &setup.directory).await?;
    let answer = load(&approver, "/answer", "asks wait for your answer").await?;
    report.add(
        "Answer with 5,000 asks waiting, on the screen",
        seconds(answer),
        format!("{} for the API's reply alone", seconds(reply(&approver, "/api/v1/waiting").await?)),
        "-",
    );
    Ok(())
}

/// Best of three: from leaving for the page until it says the words.
async fn load(browser: &Browser, path: &str, words: &str) -> anyhow::Result<Duration> {
    let mut best = Duration::MAX;
    for _ in 0..3 {
        browser.web.goto("about:blank").await?;
        let begun = Instant::now();
        browser.web.goto(format!("{}{path}", browser.origin)).await?;
        browser.says(words).await?;
        best = best.min(begun.elapsed());
    }
    Ok(best)
}

async fn bare_load(browser: &Browser) -> anyhow::Result<Duration> {
    browser.web.goto("about:blank").await?;
    let begun = Instant::now();
    browser.web.goto(format!("{}/mark.svg", browser.origin)).await?;
    Ok(begun.elapsed())
}

async fn reply(browser: &Browser, path: &str) -> anyhow::Result<Duration> {
    let script = format!(
        "const begun = performance.now(); return fetch('{path}').then((reply) => reply.text()).then(() => performance.now() - begun)"
    );
    Ok(Duration::from_secs_f64(browser.script(&script).await?.as_f64().context("a time")? / 1000.0))
}
