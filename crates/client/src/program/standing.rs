//! `standing`, `convert`, `undo`, `eligible`.

use std::time::Duration;

use tempestas_api::{
    Chosen, ConversionView, ConvertRequest, EligibilityView, NewEligibility, PlanView, StandingFilter, StandingView,
};

use super::{
    Ended,
    args::{ConvertVerb, EligibleVerb, StandingArgs},
    session::Session,
    show,
};

/// How long `--wait` waits for targets.
const WAIT: Duration = Duration::from_secs(60);

pub(crate) async fn list(session: &Session, args: StandingArgs) -> anyhow::Result<()> {
    let StandingArgs { at, who, role } = args;
    let all = session.client().standing(&StandingFilter { at, who, role }).await?;
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

fn plan(plan: &PlanView) {
    for item in &plan.items {
        println!("{}  {}", item.standing.id, item.taken_away);
        for lost in &item.also_lost {
            println!("      with it goes {lost}");
        }
        println!("      {}", item.may_ask);
    }
    for left in &plan.left {
        let names = if left.accounts.is_empty() { "nobody".to_owned() } else { left.accounts.join(", ") };
        println!("Left with critical standing power on {}: {names} ({} must stay).", left.target, left.least);
    }
}

pub(crate) async fn convert(session: &Session, verb: ConvertVerb) -> anyhow::Result<Ended> {
    match verb {
        ConvertVerb::Preview { rights } => {
            let shown = session.client().preview_conversion(&Chosen { chosen: rights }).await?;
            session.print(&shown, |shown| {
                plan(shown);
                println!("Nothing was changed.");
            })?;
            Ok(Ended::Well)
        }
        ConvertVerb::Apply { rights, until, yes, wait } => {
            let shown = session.client().preview_conversion(&Chosen { chosen: rights.clone() }).await?;
            if !session.is_json() {
                plan(&shown);
            }
            session.sure("Convert them?", yes)?;
            let request = ConvertRequest { chosen: rights, shown: shown.digest, until };
            let applied = session.fresh(async |client| client.convert(&request).await).await?;
            settle(session, applied, wait).await
        }
        ConvertVerb::List => {
            let all = session.client().conversions().await?;
            session.print(&all, |all| all.iter().for_each(conversion))?;
            Ok(Ended::Well)
        }
    }
}

pub(crate) async fn undo(session: &Session, id: &str, wait: bool) -> anyhow::Result<Ended> {
    let undone = session.fresh(async |client| client.undo_conversion(id).await).await?;
    settle(session, undone, wait).await
}

/// Shows a conversion, after waiting for the targets where that was asked for.
async fn settle(session: &Session, mut shown: ConversionView, wait: bool) -> anyhow::Result<Ended> {
    let until = tokio::time::Instant::now() + WAIT;
    while wait && !shown.settled && tokio::time::Instant::now() < until {
        tokio::time::sleep(Duration::from_millis(200)).await;
        let all = session.client().conversions().await?;
        shown = all.into_iter().find(|one| one.id == shown.id).unwrap_or(shown);
    }
    session.print(&shown, conversion)?;
    Ok(if wait && !shown.settled { Ended::InVain } else { Ended::Well })
}

fn conversion(shown: &ConversionView) {
    let undone = shown.undone_at.map_or_else(String::new, |at| format!(", undone {}", show::when(at)));
    println!("{} by {} at {}{undone}", shown.id, shown.by, show::when(shown.at));
    for item in &shown.items {
        let state = serde_json::to_value(item.state)
            .ok()
            .and_then(|value| value.as_str().map(str::to_owned))
            .unwrap_or_default();
        let checked = if matches!(state.as_str(), "taken" | "restored") { ", read back" } else { "" };
        let trouble = item.trouble.as_ref().map_or_else(String::new, |trouble| format!(": {trouble}"));
        println!("  {}  {} of `{}`: {state}{checked}{trouble}", item.standing, item.right, item.account);
    }
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
