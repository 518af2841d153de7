//! `debriefs`: what was done that somebody else has yet to look at.

use tempestas_api::{DebriefFilter, DebriefRequest, DebriefView, ElevationView, WaitQuery};

use super::{
    args::{DebriefsVerb, Found},
    cli::Cli,
    elevations::story_shown,
    show::{self, say},
};

pub(crate) async fn debriefs(cli: &Cli, verb: DebriefsVerb) -> anyhow::Result<()> {
    match verb {
        DebriefsVerb::List { all } => list(cli, all).await,
        DebriefsVerb::Sign { elevation, found, reason, yes } => sign(cli, &elevation, found, reason, yes).await,
    }
}

async fn list(cli: &Cli, all: bool) -> anyhow::Result<()> {
    let found = cli.client().debriefs(&DebriefFilter { all }).await?;
    let row = |one: &ElevationView| {
        let debrief = one.debrief.as_ref();
        let late = debrief.is_some_and(|debrief| debrief.higher > 0);
        let until = debrief.map(|debrief| show::when(debrief.until)).unwrap_or_default();
        let by = debrief.map(|DebriefView { by, .. }| by.join(", ")).unwrap_or_default();
        let how = if one.glass { "broke the glass" } else { "" };
        let until = if late { format!("late, again {until}") } else { until };
        [one.id.clone(), one.who.clone(), one.right.clone(), how.to_owned(), until, by]
    };
    cli.print(&found, |found| {
        show::table(
            &["ref", "who", "right", "how", "until", "who may sign it off"],
            found.iter().map(row),
            if all {
                "Nothing that was done waits to be looked at."
            } else {
                "Nothing that was done waits for you to look at."
            },
        );
    })
}

async fn sign(cli: &Cli, id: &str, found: Found, word: Option<String>, yes: bool) -> anyhow::Result<()> {
    if !cli.is_json() {
        story_shown(&cli.client().elevation(id, &WaitQuery::default()).await?);
    }
    let request = DebriefRequest { finding: found.into(), word };
    cli.sure(&format!("Sign it off as {}?", request.finding.words()), yes)?;
    let signed = cli.fresh(async |client| client.debrief(id, &request).await).await?;
    cli.print(&signed, |one| say!("Signed off. {} {}.", one.id, one.sentence))
}
