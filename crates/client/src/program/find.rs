//! `find`.

use tempestas_api::SearchQuery;

use super::{session::Session, show};

pub(crate) async fn find(session: &Session, words: String) -> anyhow::Result<()> {
    let hits = session.client().search(&SearchQuery { q: words }).await?;
    session.print(&hits, |hits| {
        let rows = hits.iter().map(|hit| [hit.kind.clone(), hit.name.clone(), hit.says.clone()]);
        show::table(&["kind", "name", "about"], rows, "Nothing that you may see is called so.");
    })
}
