//! `find`.

use tempestas_api::SearchQuery;

use super::{cli::Cli, show};

pub(crate) async fn find(cli: &Cli, words: String) -> anyhow::Result<()> {
    let hits = cli.client().search(&SearchQuery { q: words }).await?;
    cli.print(&hits, |hits| {
        let rows = hits.iter().map(|hit| [hit.kind.clone(), hit.name.clone(), hit.says.clone()]);
        show::table(&["kind", "name", "about"], rows, "Nothing that you may see is called so.");
    })
}
