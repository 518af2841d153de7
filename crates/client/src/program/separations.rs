//! `separations`: rights that nobody has together, how many one person has, and how many people have one.

use anyhow::bail;
use tempestas_api::{BreachView, KeepsBody, SeparationBody, SeparationView, TolerateRequest};
use tempestas_core::{Counts, LookedAt};

use super::{
    args::{SeparationsVerb, SetSeparation},
    cli::Cli,
    show::{self, say},
};

pub(crate) async fn separations(cli: &Cli, verb: SeparationsVerb) -> anyhow::Result<()> {
    match verb {
        SeparationsVerb::List => {
            let all = cli.client().separations().await?;
            cli.print(&all, |all| {
                if all.is_empty() {
                    say!("None that you see; `tempestas separations set` names one.");
                }
                all.iter().for_each(shown);
            })
        }
        SeparationsVerb::Try(keeps) => {
            let breaches = cli.client().preview_separation(&body(keeps)?).await?;
            cli.print(&breaches, |breaches| {
                if breaches.is_empty() {
                    say!("Nothing that you see would break it.");
                }
                breaches.iter().for_each(broken);
            })
        }
        SeparationsVerb::Set { name, keeps } => {
            let body = body(keeps)?;
            let all = cli.client().separations().await?;
            let known = all.iter().find(|one| one.name == name);
            let was = known.map_or(LookedAt::Nothing, |known| LookedAt::This(known.digest));
            let set = cli.fresh(async |client| client.set_separation(&name, was, &body).await).await?;
            cli.print(&set, shown)
        }
        SeparationsVerb::End { name } => {
            cli.fresh(async |client| client.end_separation(&name).await).await?;
            cli.done(&format!("Ended {name}; nothing is kept apart by it any more."))
        }
        SeparationsVerb::Tolerate { name, who, until, reason, no_longer } => {
            let request = TolerateRequest { who, until, reason: reason.unwrap_or_default() };
            cli.fresh(async |client| client.tolerate(&name, &request).await).await?;
            let until = until.map(show::when).unwrap_or_default();
            cli.done(&if no_longer { "No longer tolerated.".to_owned() } else { format!("Tolerated until {until}.") })
        }
    }
}

/// A separation as it is typed.
fn body(said: SetSeparation) -> anyhow::Result<SeparationBody> {
    let keeps = match said {
        SetSeparation { apart: Some(one), from: Some(other), .. } => KeepsBody::Apart { one, other },
        SetSeparation { of: Some(of), each: Some(most), .. } => KeepsBody::Few { of, most },
        SetSeparation { of: Some(of), least, most, .. } if least.is_some() || most.is_some() => {
            KeepsBody::Holders { of, least: least.unwrap_or(0), most }
        }
        _ => bail!(
            "say of those rights how many one person may have (`--each`), or how many people (`--least`, `--most`)"
        ),
    };
    Ok(SeparationBody { keeps, counts: if said.held { Counts::Held } else { Counts::Eligible } })
}

fn shown(one: &SeparationView) {
    say!("{}: {}", one.name, one.says);
    for rights in &one.without_right {
        say!("    there is no right of {rights} at present: it keeps nothing by that");
    }
    if one.breaches.is_empty() {
        say!("    nothing that you see breaks it");
    }
    one.breaches.iter().for_each(broken);
}

fn broken(breach: &BreachView) {
    let who = breach.who.as_ref().map_or_else(String::new, |who| format!("{who} "));
    say!("    broken: {who}{}", breach.says);
    if let Some(until) = breach.tolerated_until {
        let because = breach.because.as_deref().map_or_else(String::new, show::inline);
        say!("        tolerated until {}: {because}", show::when(until));
    }
}
