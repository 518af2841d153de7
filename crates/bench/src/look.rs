//! Pictures of the console of a large house, with long names: for people to look at, not to measure.

use std::{path::Path, sync::Arc};

use anyhow::Context as _;
use tempestas_core::{EstateCommand, PeopleCommand, Said, SubjectKind};
use tempestas_demo::{processes::Running, seed};
use tempestas_e2e::browser::Browser;

use crate::world::Big;

const PEOPLE: usize = 2_000;
const RIGHTS: usize = 5_000;
const LIVE: usize = 300;
const WAITING: usize = 60;

const PAGES: [(&str, &str); 10] = [
    ("now", "/"),
    ("now-person", "/?lanes=person"),
    ("standing", "/standing"),
    ("estate", "/estate?at=/cloud"),
    ("ask", "/ask"),
    ("answer", "/answer"),
    ("person", "/person/person.1999"),
    ("record", "/record"),
    ("settings", "/settings"),
    ("nothing", "/elevation/E999999"),
];

pub(crate) async fn shoot(into: &Path) -> anyhow::Result<()> {
    let big = Arc::new(Big::build(PEOPLE, RIGHTS, "http://127.0.0.1:9").await?);
    long_names(&big).await?;
    big.pass(jiff::Timestamp::now().duration_since(big.now()));
    for (n, who) in big.people.iter().take(LIVE).enumerate() {
        big.open(*who, u32::try_from(600 + n * 40)?).await?;
    }
    for who in big.people.iter().skip(LIVE).take(WAITING) {
        big.ask(*who, 600).await?;
    }
    let approver = big.house.world().subject_name(big.approver);
    let (setup, _kept) = Arc::into_inner(big).context("nobody else works there")?.close().await?;
    let service: Running = setup.start(&[])?;
    let nobody = seed::client(&service.address)?;
    let first = seed::enrol(&nobody, "administrator", &setup.first_secret()?).await?;
    let mara = seed::sign_in(&nobody, &first, &setup.directory).await?;
    let other = seed::enrol(&nobody, "approver", &mara.enrolment(&approver).await?.secret).await?;
    for (who, person) in [("administrator", &first), ("approver", &other)] {
        let browser = Browser::open(&service.address).await?;
        browser.sign_in(person, &setup.directory).await?;
        for (theme, width, height) in [("light", 1280, 800), ("dark", 390, 844)] {
            browser.theme(theme).await?;
            browser.size(width, height).await?;
            for (name, path) in PAGES.iter().filter(|(name, _)| (who == "approver") == (*name == "answer")) {
                browser.page(path).await?;
                browser.settled().await?;
                browser.picture(&into.join(format!("{name}-{width}.png"))).await?;
            }
        }
    }
    Ok(())
}

/// A person and a nest of folders whose names are as long as we take them.
async fn long_names(big: &Big) -> anyhow::Result<()> {
    let name = format!("maximiliana-{}", "wolfeschlegelsteinhausenbergerdorff-".repeat(3));
    let command = PeopleCommand::AddSubject {
        kind: SubjectKind::Person,
        name: Said::new(name.get(..64).unwrap_or_default().trim_end_matches('-')),
        about: Said::new("Keeper of the third set of books of the eastern tally office, ".repeat(3)),
        second_of: None,
    };
    big.together(big.mara, [command]).await?;
    let mut parent = big.house.world().root.context("founded")?;
    for n in 0..6 {
        let name = format!("{n}-{}", "a-folder-whose-name-goes-on-and-on".repeat(2));
        let command = EstateCommand::AddFolder { parent, name: name.get(..60).unwrap_or_default().to_owned() };
        big.together(big.mara, [command]).await?;
        let world = big.house.world();
        parent = world.scopes.values().map(|scope| scope.id).max().context("a folder was added")?;
    }
    Ok(())
}
