//! `delegate`: who answers in whose place.

use tempestas_api::{DelegationView, NewDelegation};

use super::{
    args::DelegateVerb,
    cli::Cli,
    show::{self, say},
};

pub(crate) async fn delegate(cli: &Cli, verb: DelegateVerb) -> anyhow::Result<()> {
    match verb {
        DelegateVerb::Begin { delegate, from, until, of, reason } => {
            let new = NewDelegation { absent: of, delegate, from, until, reason };
            let given = cli.fresh(async |client| client.delegate(&new).await).await?;
            cli.print(&given, |one| {
                let (from, until) = (show::when(one.from), show::when(one.until));
                say!("{}: {} answers in the place of {} from {from} until {until}.", one.id, one.delegate, one.absent);
            })
        }
        DelegateVerb::List => {
            let all = cli.client().delegations().await?;
            cli.print(&all, |all| {
                let row = |one: &DelegationView| {
                    let reason = one.reason.as_deref().map(show::inline).unwrap_or_default();
                    let now = if one.holds { "away now" } else { "ahead" };
                    let (absent, delegate) = (one.absent.clone(), one.delegate.clone());
                    [
                        one.id.clone(),
                        absent,
                        delegate,
                        show::when(one.from),
                        show::when(one.until),
                        now.to_owned(),
                        reason,
                    ]
                };
                let heads = ["ref", "away", "answered by", "from", "until", "", "why"];
                show::table(&heads, all.iter().map(row), "Nobody is away, as far as you can see.");
            })
        }
        DelegateVerb::End { delegation } => {
            cli.fresh(async |client| client.end_delegation(&delegation).await).await?;
            cli.done(&format!("Ended {delegation}; what waits for an answer by it has to be asked anew."))
        }
    }
}
