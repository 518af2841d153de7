//! `drift`.

use tempestas_api::{DriftFilter, DriftStateView, DriftView, IgnoreDrift};

use super::{
    args::DriftVerb,
    cli::Cli,
    show::{self, say},
};

pub(crate) async fn drift(cli: &Cli, verb: DriftVerb) -> anyhow::Result<()> {
    match verb {
        DriftVerb::List { all, at } => {
            let found = cli.client().drift(&DriftFilter { all, at }).await?;
            cli.print(&found, |found| {
                show::table(
                    &["ref", "target", "what", "weight", "since", "state"],
                    found.iter().map(row),
                    "Nothing differs from what Tempestas knows.",
                );
            })
        }
        DriftVerb::Adopt { drift } => {
            cli.fresh(async |client| client.adopt_drift(&drift).await).await?;
            say!("{drift} is taken as it is: one more standing right, to be converted or not.");
            Ok(())
        }
        DriftVerb::PutBack { drift } => {
            cli.fresh(async |client| client.put_back_drift(&drift).await).await?;
            say!("{drift} is being put back; `tempestas convert list` shows when it was read back.");
            Ok(())
        }
        DriftVerb::Patch { drift } => {
            let patch = cli.client().source_patch(&drift).await?;
            cli.print(&patch, |patch| match &patch.patch {
                Some(text) => show::raw(text.as_bytes()),
                None => say!("There is no form for this system that tools take; {}.", patch.says),
            })
        }
        DriftVerb::Ignore { drift, reason, until } => {
            let request = IgnoreDrift { reason, until };
            cli.fresh(async |client| client.ignore_drift(&drift, &request).await).await?;
            say!("Nothing is heard of {drift} until {}; then it is open again.", show::when(until));
            Ok(())
        }
    }
}

fn row(one: &DriftView) -> [String; 6] {
    let by = one.by.as_deref().unwrap_or("somebody");
    let state = match (one.state, &one.reason, one.at) {
        (DriftStateView::Open, ..) => {
            one.against.as_ref().map_or_else(|| "open".to_owned(), |rule| format!("open; against {rule}"))
        }
        (DriftStateView::Ignored, Some(reason), Some(until)) => {
            format!("ignored by {by} until {}: {}", show::when(until), show::inline(reason))
        }
        (DriftStateView::PutBack, ..) => {
            format!("put back by {by}, {}", one.conversion.as_deref().unwrap_or_default())
        }
        (DriftStateView::Over, _, Some(at)) => format!("over by itself {}", show::when(at)),
        (state, _, Some(at)) => format!("{} by {by} {}", show::word(state), show::when(at)),
        (state, ..) => show::word(state),
    };
    [one.id.clone(), one.target.clone(), one.says.clone(), one.weight.to_string(), show::when(one.since), state]
}
