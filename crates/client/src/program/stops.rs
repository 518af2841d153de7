//! `stop`.

use tempestas_api::{NewStop, StopView};

use super::{
    args::StopVerb,
    cli::Cli,
    show::{self, say},
};

pub(crate) async fn stop(cli: &Cli, verb: StopVerb) -> anyhow::Result<()> {
    let new = match verb {
        StopVerb::List => {
            let mut all = cli.client().stops().await?;
            all.sort_by_key(|stop| stop.lifted_at.is_some());
            return cli.print(&all, |all| listed(all));
        }
        StopVerb::Lift { stop } => {
            let lifted = cli.fresh(async |client| client.lift_stop(&stop).await).await?;
            return cli.print(&lifted, said);
        }
        StopVerb::Person { name, word } => NewStop { person: Some(name), scope: None, word },
        StopVerb::Scope { path, word } => NewStop { person: None, scope: Some(path), word },
        StopVerb::Everything { word } => NewStop { person: None, scope: Some("/".to_owned()), word },
    };
    let stopped = cli.fresh(async |client| client.stop(&new).await).await?;
    cli.print(&stopped, said)
}

fn said(stop: &StopView) {
    match (stop.lifted_at, &stop.lift_by) {
        (Some(at), _) => {
            say!("{} on {} is lifted since {}. What it ended stays ended.", stop.id, stop.what, show::when(at))
        }
        (None, Some(by)) => {
            say!(
                "{by} was the first of two; {} on {} holds until another administrator says so too, within an hour.",
                stop.id,
                stop.what
            );
        }
        (None, None) => say!(
            "Stopped {} ({}): {} ended, {} not read back as gone yet. `tempestas stop lift {}` lifts it; it takes two.",
            stop.what,
            stop.id,
            stop.ended.len(),
            stop.closing,
            stop.id
        ),
    }
}

fn listed(all: &[StopView]) {
    let rows = all.iter().map(|stop| {
        let state = match (stop.lifted_at, &stop.lift_by) {
            (Some(at), _) => format!("lifted {}", show::when(at)),
            (None, Some(by)) => format!("in force; {by} would lift it"),
            (None, None) => "in force".to_owned(),
        };
        [stop.id.clone(), stop.what.clone(), stop.by.clone(), show::when(stop.at), state, show::inline(&stop.word)]
    });
    show::table(&["ref", "stopped", "by", "since", "state", "why"], rows, "Nothing is stopped, and nothing was.");
}
