//! `convert`, `undo`.

use std::time::Duration;

use jiff::tz::TimeZone;
use tempestas_api::{
    Chosen, ConversionView, ConvertRequest, PlanItemView, PlanView, RehearsalView, RehearseRequest, RehearsedApprover,
    RehearsedFigures, RehearsedPerson, WavesView,
};
use tempestas_core::rehearsal::{Advice, Rhythm};

use super::{
    Ended,
    args::{ConvertVerb, WaveArgs},
    cli::Cli,
    show::{self, say},
    terms,
};

/// How long `--wait` waits for targets.
const WAIT: Duration = Duration::from_secs(60);

fn plan(plan: &PlanView) {
    for item in &plan.items {
        say!("{}  {}", item.standing.id, item.taken_away);
        for lost in &item.also_lost {
            say!("      with it goes {lost}");
        }
        say!("      {}", item.may_ask);
        say!("      use: {}; {}", rhythm(item), advice(item.advice));
        for caution in &item.cautions {
            say!("      CAUTION: {caution}");
        }
    }
    for left in &plan.left {
        let names = if left.accounts.is_empty() { "nobody".to_owned() } else { left.accounts.join(", ") };
        say!("Left with critical standing power on {}: {names} ({} must stay).", left.target, left.least);
    }
}

fn rhythm(item: &PlanItemView) -> String {
    let uses = match item.uses {
        1 => "1 use".to_owned(),
        uses => format!("{uses} uses"),
    };
    match item.rhythm {
        Rhythm::Daily => format!("daily, {uses} recorded"),
        Rhythm::Weekly => format!("weekly, {uses} recorded"),
        Rhythm::Rarely => format!("rarely, {uses} recorded"),
        Rhythm::Never => "never, as far back as its target told".to_owned(),
        Rhythm::Unknown => "unknown, its target doesn't tell".to_owned(),
    }
}

const fn advice(advice: Advice) -> &'static str {
    match advice {
        Advice::KeepForProgram => "advice: leave it with what runs by itself, or give that a smaller role",
        Advice::KeepOrShrink => "advice: leave it, or find a smaller role for daily work",
        Advice::Convert => "advice: convert it",
        Advice::ConvertOrEnd => "advice: convert it; nobody would notice",
        Advice::Ask => "advice: ask its holder how often it is needed",
    }
}

pub(crate) async fn convert(cli: &Cli, verb: ConvertVerb) -> anyhow::Result<Ended> {
    match verb {
        ConvertVerb::Preview { rights } => {
            let shown = cli.client().preview_conversion(&Chosen { chosen: rights }).await?;
            cli.print(&shown, |shown| {
                plan(shown);
                say!("Nothing was changed.");
            })?;
            Ok(Ended::Well)
        }
        ConvertVerb::Rehearse { rights, days, zone, rule } => {
            let rule = rule.map(|file| terms::read_rule(&file)).transpose()?;
            let zone = zone.or_else(|| TimeZone::system().iana_name().map(str::to_owned));
            let request = RehearseRequest { chosen: rights, days: Some(days), zone, rule };
            let shown = cli.client().rehearse(&request).await?;
            cli.print(&shown, rehearsal)?;
            Ok(Ended::Well)
        }
        ConvertVerb::Next { conversion, wait } => {
            let begun = cli.fresh(async |client| client.next_wave(&conversion).await).await?;
            settle(cli, begun, wait).await
        }
        ConvertVerb::Apply { rights, until, waves, yes, wait } => {
            let shown = cli.client().preview_conversion(&Chosen { chosen: rights.clone() }).await?;
            if !cli.is_json() {
                plan(&shown);
            }
            cli.sure("Convert them?", yes)?;
            let WaveArgs { name, pilot, wave_size, pace, stop_percent, undo_days } = waves;
            let request = ConvertRequest {
                chosen: rights,
                shown: shown.digest,
                until,
                name,
                pilot,
                wave_size,
                pace,
                stop_percent,
                undo_days,
            };
            let applied = cli.fresh(async |client| client.convert(&request).await).await?;
            settle(cli, applied, wait).await
        }
        ConvertVerb::List => {
            let all = cli.client().conversions().await?;
            cli.print(&all, |all| all.iter().for_each(conversion))?;
            Ok(Ended::Well)
        }
    }
}

pub(crate) async fn undo(cli: &Cli, id: &str, wait: bool) -> anyhow::Result<Ended> {
    let undone = cli.fresh(async |client| client.undo_conversion(id).await).await?;
    settle(cli, undone, wait).await
}

/// Shows a conversion, after waiting for the targets where that was asked for.
async fn settle(cli: &Cli, mut shown: ConversionView, wait: bool) -> anyhow::Result<Ended> {
    let until = tokio::time::Instant::now() + WAIT;
    while wait && !shown.settled && tokio::time::Instant::now() < until {
        tokio::time::sleep(Duration::from_millis(200)).await;
        let all = cli.client().conversions().await?;
        shown = all.into_iter().find(|one| one.id == shown.id).unwrap_or(shown);
    }
    cli.print(&shown, conversion)?;
    Ok(if wait && !shown.settled { Ended::InVain } else { Ended::Well })
}

fn conversion(shown: &ConversionView) {
    let undone = shown.undone_at.map_or_else(String::new, |at| format!(", undone {}", show::when(at)));
    let name = shown.name.as_ref().map_or_else(String::new, |name| format!(" \"{name}\""));
    say!("{}{name} by {} at {}{undone}", shown.id, shown.by, show::when(shown.at));
    if let Some(waves) = shown.waves.as_ref().filter(|_| shown.undone_at.is_none()) {
        say!("  {}", wave_words(shown, waves));
    }
    let several = shown.waves.as_ref().is_some_and(|waves| waves.count > 1);
    for item in &shown.items {
        let state = show::word(item.state);
        let checked = if matches!(state.as_str(), "taken" | "restored") { ", read back" } else { "" };
        let trouble = item.trouble.as_ref().map_or_else(String::new, |trouble| format!(": {trouble}"));
        let wave = if several { format!("wave {}  ", item.wave) } else { String::new() };
        say!("  {wave}{}  {} of `{}`: {state}{checked}{trouble}", item.standing, item.right, item.account);
    }
}

/// Where a conversion stands, and what goes on from here.
fn wave_words(shown: &ConversionView, waves: &WavesView) -> String {
    let mut words = vec![format!("wave {} of {}", waves.begun, waves.count)];
    match (&waves.stopped, waves.goes_on_at) {
        (Some(why), _) => words.push(format!("STOPPED BY ITSELF: {why}")),
        (None, Some(at)) => words.push(format!("the next begins {}", show::when(at))),
        (None, None) if waves.may_go_on => words.push("read back whole".to_owned()),
        (None, None) => {}
    }
    if waves.may_go_on {
        words.push(format!("`tempestas convert next {}` begins the next", shown.id));
    }
    if shown.undone_at.is_none() && waves.undo_until > jiff::Timestamp::now() {
        words.push(format!("`tempestas undo {}` until {}", shown.id, show::when(waves.undo_until)));
    }
    words.join("; ")
}

fn rehearsal(shown: &RehearsalView) {
    let RehearsedFigures { uses, asks, asks_a_week, unattended, at_night, refused, .. } = shown.all;
    say!(
        "{} rights, {} to {} ({}). Nothing was changed.",
        shown.rights,
        show::when(shown.from),
        show::when(shown.to),
        shown.zone
    );
    say!("  {uses} recorded uses would have taken {asks} asks ({asks_a_week} a week).");
    say!("  {unattended} asks with nobody there to answer, {at_night} of them at night.");
    say!("  {refused} uses would have been refused.");
    if let (Some(wait), Some(at)) = (shown.all.longest_wait, shown.all.longest_at) {
        say!("  Longest wait: {wait}, from {}.", show::when(at));
    }
    for batch in &shown.batches {
        say!("  BREAKS: what {} starts {} with {} ({} uses).", batch.who, batch.when, batch.right, batch.uses);
    }
    say!("\nWhom to talk to, first things first:");
    let row = |one: &RehearsedPerson| {
        [
            one.who.clone(),
            one.figures.uses.to_string(),
            one.figures.asks_a_week.to_string(),
            one.figures.unattended.to_string(),
            one.figures.refused.to_string(),
            one.figures.longest_wait.map_or_else(|| "-".to_owned(), |wait| wait.to_string()),
            one.talk_about.clone().unwrap_or_else(|| "-".to_owned()),
        ]
    };
    show::table(
        &["who", "uses", "asks a week", "nobody there", "refused", "longest wait", "talk about"],
        shown.people.iter().map(row),
        "Nothing was recorded of these rights.",
    );
    if !shown.approvers.is_empty() {
        say!("\nWho would be asked:");
        let row = |one: &RehearsedApprover| [one.who.clone(), one.asks.to_string(), one.asks_a_week.to_string()];
        show::table(&["who", "asks", "a week"], shown.approvers.iter().map(row), "");
    }
    say!();
    for one in &shown.unseen {
        let why = if one.told { "not used in this time" } else { "its target doesn't tell of uses" };
        say!("Nothing recorded of {} ({} of `{}`): {why}.", one.standing, one.right, one.account);
    }
    say!("It assumes that {}.", shown.assumes.join("; that "));
}
