//! `circumstances`: what other systems are asked, by name.

use tempestas_api::{CircumstanceBody, CircumstanceView};
use tempestas_core::LookedAt;

use super::{
    args::CircumstancesVerb,
    cli::Cli,
    files,
    show::{self, say},
};

pub(crate) async fn circumstances(cli: &Cli, verb: CircumstancesVerb) -> anyhow::Result<()> {
    match verb {
        CircumstancesVerb::List => {
            let all = cli.client().circumstances().await?;
            cli.print(&all, |all| {
                if all.is_empty() {
                    say!("None that you see; `tempestas circumstances set` names one.");
                }
                all.iter().for_each(shown);
            })
        }
        CircumstancesVerb::Set { name, ask, at, is, token_file } => {
            let secret = token_file.map(|file| files::read(&file)).transpose()?.map(|token| token.trim().to_owned());
            let body = CircumstanceBody { address: ask, pointer: at, is, secret };
            let all = cli.client().circumstances().await?;
            let known = all.iter().find(|one| one.name == name);
            let was = known.map_or(LookedAt::Nothing, |known| LookedAt::This(known.digest));
            let set = cli.fresh(async |client| client.set_circumstance(&name, was, &body).await).await?;
            cli.print(&set, shown)
        }
        CircumstancesVerb::End { name } => {
            cli.fresh(async |client| client.end_circumstance(&name).await).await?;
            cli.done(&format!("Ended {name}; no rule wanted it."))
        }
    }
}

fn shown(one: &CircumstanceView) {
    say!("{}: {}", one.name, one.says);
    let wanted = match one.wanted_by.as_slice() {
        [] => "no rule that you see".to_owned(),
        rules => rules.join(", "),
    };
    say!("    wanted by {wanted}");
    if let Some((holds, since)) = one.holds.zip(one.since) {
        say!("    {} since {}", if holds { "holds" } else { "does not hold" }, show::when(since));
    }
    if let Some(trouble) = &one.trouble {
        say!("    can't be asked at present: {trouble}");
    }
}
