//! `people source`.

use tempestas_api::{NewSource, SourceView, WhichTarget};
use tempestas_core::Mapping;

use super::{
    args::SourceVerb,
    cli::Cli,
    show::{self, say},
};

pub(crate) async fn source(cli: &Cli, verb: SourceVerb) -> anyhow::Result<()> {
    let which = |path: String| WhichTarget { target: path };
    let source = match verb {
        SourceVerb::List => {
            let all = cli.client().sources().await?;
            return cli.print(&all, |all| {
                let row = |one: &SourceView| {
                    [
                        one.target.clone(),
                        one.people.to_string(),
                        one.suspended.to_string(),
                        one.groups.to_string(),
                        one.unusable.to_string(),
                        show::perhaps(one.taken_at),
                        if one.held { "HELD: would let too many go".to_owned() } else { "well".to_owned() },
                    ]
                };
                show::table(
                    &["from", "people", "suspended", "groups", "unusable", "last change", "state"],
                    all.iter().map(row),
                    "People and groups are added by hand only; `tempestas people source set` has them come from a directory.",
                );
            });
        }
        SourceVerb::Set { path, people, groups, name, about, manager } => {
            let new = NewSource { target: path, mapping: Mapping { people, groups, name, about, manager } };
            cli.fresh(async |client| client.set_source(&new).await).await?
        }
        SourceVerb::Read { path } => {
            let which = which(path);
            cli.fresh(async |client| client.read_source(&which).await).await?
        }
        SourceVerb::Accept { path } => {
            let which = which(path);
            cli.fresh(async |client| client.accept_import(&which).await).await?
        }
        SourceVerb::End { path } => {
            let which = which(path);
            cli.fresh(async |client| client.end_source(&which).await).await?;
            return cli.done(&format!("Nobody comes from {} any more; whoever came stays.", which.target));
        }
    };
    cli.print(&source, said)
}

fn said(source: &SourceView) {
    let SourceView { target, people, groups, suspended, unusable, held, .. } = source;
    say!("{people} people ({suspended} suspended) and {groups} groups come from {target}.");
    if *unusable > 0 {
        say!(
            "{unusable} entries can't be taken in: their name is another's here, or can't be one. Say whose an account is \
             with `tempestas people account NAME {target} DN`."
        );
    }
    if *held {
        say!("What it says at present would let too many go, and waits: `tempestas people source accept {target}`.");
    }
}
