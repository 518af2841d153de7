//! `assurances`: how sure one must be of people, by name.

use tempestas_api::{AssuranceBody, AssuranceView, LetThroughView};
use tempestas_core::LookedAt;

use super::{
    args::{AssurancesVerb, SetAssurance},
    cli::Cli,
    show::{self, say},
};

pub(crate) async fn assurances(cli: &Cli, verb: AssurancesVerb) -> anyhow::Result<()> {
    match verb {
        AssurancesVerb::List => {
            let all = cli.client().assurances().await?;
            cli.print(&all, |all| {
                if all.is_empty() {
                    say!("None that you see; `tempestas assurances set` names one.");
                }
                all.iter().for_each(shown);
            })
        }
        AssurancesVerb::Set(SetAssurance { name, accepts, within, networks, bypass, pilot, watch_only }) => {
            let body = AssuranceBody {
                accepts: accepts.into_iter().collect(),
                within,
                networks: networks.into_iter().collect(),
                bypass,
                pilot,
                watch_only,
            };
            let all = cli.client().assurances().await?;
            let known = all.iter().find(|one| one.name == name);
            let was = known.map_or(LookedAt::Nothing, |known| LookedAt::This(known.digest));
            let set = cli.fresh(async |client| client.set_assurance(&name, was, &body).await).await?;
            cli.print(&set, shown)
        }
        AssurancesVerb::End { name } => {
            cli.fresh(async |client| client.end_assurance(&name).await).await?;
            cli.done(&format!("Ended {name}; no rule wanted it."))
        }
    }
}

fn shown(one: &AssuranceView) {
    let wanted = match one.wanted_by.as_slice() {
        [] => "no rule that you see".to_owned(),
        rules => rules.join(", "),
    };
    say!("{}: {}", one.name, one.says);
    say!("    wanted by {wanted}");
    for LetThroughView { who, times, last_at, lack } in &one.let_through {
        let times = if *times == 1 { "once".to_owned() } else { format!("{times} times") };
        say!("    would have refused {who} {times}, last at {}: lacking {}", show::when(*last_at), lack.words());
    }
}
