//! `ways`.

use tempestas_api::{WayView, WaysQuery, WaysReply};

use super::{args::WaysVerb, cli::Cli, show::say};

pub(crate) async fn ways(cli: &Cli, verb: WaysVerb) -> anyhow::Result<()> {
    let (query, whose) = match verb {
        WaysVerb::To { place } => (WaysQuery { to: Some(place), of: None }, false),
        WaysVerb::Of { who } => (WaysQuery { to: None, of: Some(who) }, true),
    };
    let reply = cli.client().ways(&query).await?;
    cli.print(&reply, |reply| said(reply, whose))
}

fn said(reply: &WaysReply, whose: bool) {
    let WaysReply { total, without_asking, ways } = reply;
    say!("{total} ways, {without_asking} of them without asking.");
    for way in ways {
        let WayView { who, to, weight, on_request, steps } = way;
        let asking = if *on_request { "on request" } else { "all the time" };
        let head = if whose { to } else { who };
        say!("\n{head}  ({weight}, {asking})");
        for step in steps {
            say!("    {step}");
        }
    }
    if ways.len() < *total {
        say!("\n{} more; ask for a narrower place.", total - ways.len());
    }
}
