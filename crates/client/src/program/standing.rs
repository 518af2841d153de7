//! `standing`, `eligible`.

use tempestas_api::{EligibilityView, NewEligibility, StandingFilter, StandingView};

use super::{
    args::{EligibleVerb, StandingArgs},
    session::Session,
    show,
};

pub(crate) async fn list(session: &Session, args: StandingArgs) -> anyhow::Result<()> {
    let StandingArgs { at, who, role, refs } = args;
    let all = session.client().standing(&StandingFilter { at, who, role }).await?;
    if refs {
        all.iter().filter(|one| one.direct).for_each(|one| println!("{}", one.id));
        return Ok(());
    }
    session.print(&all, |all| {
        let critical = all.iter().filter(|one| one.weight == tempestas_core::Weight::Critical).count();
        println!("{} standing rights, {critical} of them critical.", all.len());
        show::table(
            &["ref", "account", "whose", "right", "weight", "through", "since", "last used"],
            all.iter().map(standing_row),
            "",
        );
    })
}

fn standing_row(one: &StandingView) -> [String; 8] {
    let through = if one.chain.is_empty() { "-".to_owned() } else { one.chain.join(" > ") };
    [
        one.id.clone(),
        one.account.clone(),
        one.who.clone().unwrap_or_else(|| "unknown".to_owned()),
        format!("{}@{}", one.role, one.scope),
        one.weight.to_string(),
        through,
        one.since.map_or_else(|| format!("seen {}", day(one.first_seen)), day),
        one.last_used.map_or_else(|| "unknown".to_owned(), show::when),
    ]
}

fn day(at: jiff::Timestamp) -> String {
    at.strftime("%F").to_string()
}

pub(crate) async fn eligible(session: &Session, all: bool, verb: Option<EligibleVerb>) -> anyhow::Result<()> {
    match verb {
        None if all => {
            let all = session.client().eligibilities().await?;
            session.print(&all, |all| {
                let row = |one: &EligibilityView| {
                    [
                        one.id.clone(),
                        one.who.clone(),
                        one.right.clone(),
                        one.weight.to_string(),
                        show::when(one.from),
                        show::perhaps(one.until),
                    ]
                };
                show::table(
                    &["id", "who", "right", "weight", "from", "until"],
                    all.iter().map(row),
                    "Nobody is eligible for anything yet.",
                );
            })
        }
        None => {
            let mine = session.client().eligible().await?;
            session.print(&mine, |mine| {
                if let Some(why) = &mine.empty_because {
                    println!("You may ask for nothing: {why}.");
                }
                for one in &mine.eligible {
                    println!("{}  ({}: {})", one.right, one.weight, one.says);
                    println!("    {}", one.demand.as_deref().unwrap_or_default());
                }
            })
        }
        Some(EligibleVerb::Give { who, right, from, until }) => {
            let new = NewEligibility { who, right, from, until };
            let given = session.fresh(async |client| client.give_eligibility(&new).await).await?;
            session.print(&given, |given| {
                println!(
                    "{} may ask for {} until {} ({}).",
                    given.who,
                    given.right,
                    given.until.map_or_else(|| "it is ended".to_owned(), show::when),
                    given.id
                )
            })
        }
        Some(EligibleVerb::End { id }) => {
            session.fresh(async |client| client.end_eligibility(&id).await).await?;
            println!("Ended {id}.");
            Ok(())
        }
    }
}
