//! `promises`: what must hold whatever terms, groups and labels say.

use anyhow::bail;
use tempestas_api::{BrokenView, PromiseBody, PromiseView, PromisedBody};
use tempestas_core::LookedAt;

use super::{
    args::{PromisesVerb, SetPromise},
    cli::Cli,
    show::say,
};

pub(crate) async fn promises(cli: &Cli, verb: PromisesVerb) -> anyhow::Result<()> {
    match verb {
        PromisesVerb::List => {
            let all = cli.client().promises().await?;
            cli.print(&all, |all| {
                if all.is_empty() {
                    say!("None that you see; `tempestas promises set` names one.");
                }
                all.iter().for_each(shown);
            })
        }
        PromisesVerb::Try(promise) => {
            let would = cli.client().preview_promise(&body(promise)?).await?;
            cli.print(&would, broken)
        }
        PromisesVerb::Set { name, promise } => {
            let body = body(promise)?;
            let all = cli.client().promises().await?;
            let known = all.iter().find(|one| one.name == name);
            let was = known.map_or(LookedAt::Nothing, |known| LookedAt::This(known.digest));
            let set = cli.fresh(async |client| client.set_promise(&name, was, &body).await).await?;
            cli.print(&set, shown)
        }
        PromisesVerb::End { name } => {
            cli.fresh(async |client| client.end_promise(&name).await).await?;
            cli.done(&format!("Ended {name}; nothing is refused for its sake any more."))
        }
    }
}

/// A promise as it is typed.
fn body(said: SetPromise) -> anyhow::Result<PromiseBody> {
    let SetPromise { of, by, answered, longest, assured, answerable, never_standing, only } = said;
    let forms = [
        answered.map(|yes| PromisedBody::Answered { yes }),
        longest.map(|longest| PromisedBody::Brief { longest }),
        assured.map(|assurance| PromisedBody::Assured { assurance }),
        answerable.map(|people| PromisedBody::Answerable { people }),
        never_standing.then_some(PromisedBody::NeverStanding),
        only.map(|to| PromisedBody::Only { to }),
    ];
    let Some(promised) = forms.into_iter().flatten().next() else {
        bail!("say what is promised of those rights; `tempestas promises set --help` lists what can be")
    };
    Ok(PromiseBody { of, by, promised })
}

fn shown(one: &PromiseView) {
    say!("{}: {}", one.name, one.says);
    broken(&one.broken);
}

fn broken(broken: &BrokenView) {
    match broken.times {
        0 => say!("    kept: nothing that you see breaks it"),
        1 => say!("    broken, once:"),
        times => say!("    broken, for {times} pairs of somebody and a right; the shortest examples first:"),
    }
    for example in &broken.examples {
        say!("        {}", example.says);
    }
}
