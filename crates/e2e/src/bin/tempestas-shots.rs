//! Takes pictures of the console on a running demo: those for the documentation, or every page as it looks.

use std::{path::PathBuf, process::ExitCode};

use anyhow::Context as _;
use tempestas_demo::facts::Facts;
use tempestas_e2e::browser::Browser;

#[tokio::main]
async fn main() -> ExitCode {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    let [state, into, rest @ ..] = arguments.as_slice() else {
        eprintln!("tempestas-shots STATE DIRECTORY [WHO THEME WIDTH[xHEIGHT] PATH…]");
        return ExitCode::from(2);
    };
    match shoot(&PathBuf::from(state), &PathBuf::from(into), rest).await {
        Ok(()) => ExitCode::SUCCESS,
        Err(error) => {
            eprintln!("tempestas-shots: {error:#}");
            ExitCode::FAILURE
        }
    }
}

/// Name, who looks, theme, width, path, and words that the page says once it is whole.
const PICTURES: [(&str, &str, &str, u32, &str, &str); 13] = [
    ("console-now", "administrator", "light", 1280, "/", "In force, by system"),
    ("console-now-dark", "administrator", "dark", 1280, "/?lanes=person", "In force, by person"),
    ("console-ask", "requester", "light", 1280, "/ask?right=harbour_operator@/harbour/databases/berths", "Ask for"),
    ("console-answer", "approver", "light", 1280, "/answer", "What would change"),
    ("console-standing", "administrator", "light", 1280, "/standing", "Conversions"),
    (
        "console-rehearsal",
        "administrator",
        "light",
        1280,
        "/standing?pick={night-batch tide-writer}&pick={lene.madsen till}&pick={jweir root}&pick={psol group:sudo}&rehearse=1",
        "Whom to talk to",
    ),
    ("console-estate", "administrator", "light", 1280, "/estate?at=/harbour/databases/berths", "What holds here"),
    ("console-person", "administrator", "light", 1280, "/person/tomas.reyes", "Held all the time"),
    ("console-record", "auditor", "dark", 1280, "/record", "Entries, newest first"),
    ("console-settings", "administrator", "light", 1280, "/settings", "Connect a system"),
    ("console-first-day", "administrator", "light", 1280, "/first-day", "Convert the ten worst"),
    ("console-phone-answer", "approver", "light", 390, "/answer", "What would change"),
    ("console-phone-now", "administrator", "dark", 390, "/", "In force"),
];

async fn shoot(state: &std::path::Path, into: &std::path::Path, rest: &[String]) -> anyhow::Result<()> {
    let facts = Facts::read(state)?;
    let mut signed_in: Option<(String, Browser)> = None;
    let (own, mut own_height) = (rest.get(3..).unwrap_or_default().to_vec(), None);
    let pictures: Vec<(String, &str, &str, u32, &str, &str)> = match rest {
        [] => PICTURES
            .iter()
            .map(|(name, who, theme, width, path, says)| ((*name).to_owned(), *who, *theme, *width, *path, *says))
            .collect(),
        [who, theme, width, ..] => {
            let (width, height) = width.split_once('x').unwrap_or((width, "800"));
            let (width, tall): (u32, u32) = (width.parse()?, height.parse()?);
            own_height = Some(tall);
            own.iter()
                .enumerate()
                .map(|(n, path)| {
                    (format!("look-{n}-{theme}-{width}"), who.as_str(), theme.as_str(), width, path.as_str(), "")
                })
                .collect()
        }
        _ => anyhow::bail!("give WHO, THEME, WIDTH and paths"),
    };
    let mut order: Vec<_> = pictures.iter().collect();
    order.sort_by_key(|picture| picture.1);
    for (name, who, theme, width, path, says) in order {
        if signed_in.as_ref().is_none_or(|(known, _)| known != who) {
            let browser = Browser::open(&facts.address).await?;
            if *who != "nobody" {
                browser.sign_in(facts.person(who)?, state).await?;
            }
            signed_in = Some(((*who).to_owned(), browser));
        }
        let (_, browser) = signed_in.as_ref().context("somebody is signed in")?;
        browser.theme(theme).await?;
        browser.size(*width, own_height.unwrap_or(if *width < 600 { 844 } else { 800 })).await?;
        browser.page(&filled(browser, path).await?).await?;
        if !says.is_empty() {
            browser.says(says).await?;
        }
        browser.settled().await?;
        // A rehearsal is far down its page.
        browser.script("document.querySelector('figure')?.scrollIntoView({ block: 'center' })").await?;
        for wrong in browser.wrongs().await? {
            eprintln!("  {name}: {wrong}");
        }
        browser.picture(&into.join(format!("{name}.png"))).await?;
        println!("· {name}.png");
    }
    Ok(())
}

/// A path in which `{ACCOUNT ROLE}` is put in place by the reference of that standing right.
async fn filled(browser: &Browser, path: &str) -> anyhow::Result<String> {
    let mut filled = path.to_owned();
    while let Some((before, rest)) = filled.clone().split_once('{') {
        let (held, after) = rest.split_once('}').context("a `{` has its `}`")?;
        let (account, role) = held.split_once(' ').context("an account and a role")?;
        let find = format!(
            "const call = new XMLHttpRequest(); call.open('GET', '/api/v1/standing', false); call.send();
             return JSON.parse(call.responseText).find((one) => one.account === '{account}' && one.role === '{role}' && one.direct).id"
        );
        let id = browser.script(&find).await?;
        filled = format!("{before}{}{after}", id.as_str().context("such a right is there")?);
    }
    Ok(filled)
}
