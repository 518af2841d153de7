//! `ask`, `waiting`, `answer`, `grants`, `show`, `begin`, `give-back`, `revoke`, `withdraw`, `reach`.

use std::time::Duration;

use anyhow::Context as _;
use jiff::Timestamp;
use serde::Serialize;
use tempestas_api::{
    AnswerRequest, AskContext, AskRequest, Brings, EarlierView, ElevationFilter, ElevationStory, ElevationView,
    ExtensionPreview, ExtensionRequest, LessView, PreviewRequest, WaitQuery, WordRequest,
};
use tempestas_core::{StartChoice, Verdict};

use super::{
    Ended,
    args::{AskArgs, Asking, ExtendArgs, Until, YesNo},
    cli::Cli,
    show::{self, say},
};

/// How long `--wait` waits for people and targets.
const WAIT: Duration = Duration::from_secs(60 * 60 * 12);

/// What is asked before an ask is sent.
const ASK: &str = "Ask for it?";

/// States from which something moves by itself.
const MOVING: [&str; 2] = ["opening", "closing"];

pub(crate) async fn ask(cli: &Cli, args: AskArgs) -> anyhow::Result<Ended> {
    let last = if args.as_last_time { Some(last_time(cli, &args.right).await?) } else { None };
    let glass = args.break_glass;
    let start = match (args.at, args.on_begin) {
        (Some(time), _) => Some(StartChoice::At { time }),
        (None, true) => Some(StartChoice::OnBegin),
        // A time that was set then is past.
        (None, false) => last.as_ref().map(|last| last.start).filter(|start| !matches!(start, StartChoice::At { .. })),
    };
    let right = last.as_ref().map_or(args.right, |last| last.right.clone());
    let duration = args.duration.or_else(|| Some(last.as_ref()?.duration));
    let preview = PreviewRequest { right: right.clone(), duration, start, glass };
    let demand = cli.client().preview_ask(&preview).await?;
    let question = if glass { "Break the glass?" } else { ASK };
    if !goes_on_to_ask(cli, (&args.asking, question), &demand, &demand.sentence)? {
        return Ok(Ended::Well);
    }
    let mut brings = args.asking.given.brings()?;
    if let Some(last) = last {
        brings.fill(last.brought, &demand.wants);
    }
    let request = AskRequest { right, duration, start, glass, brings, shown: demand.digest };
    let asked = cli.fresh(async |client| client.ask(&request).await).await?;
    if !cli.is_json() {
        say!("{} {}.", asked.id, asked.sentence);
    }
    if !args.wait {
        if cli.is_json() {
            cli.print(&asked, |_| ())?;
        }
        return Ok(Ended::Well);
    }
    until_rest(cli, &asked, &["waiting", "scheduled", "opening"], "live").await
}

/// What the caller asked for last, by the right that they asked for then or were left with.
async fn last_time(cli: &Cli, right: &str) -> anyhow::Result<ElevationView> {
    let own = cli.client().elevations(&ElevationFilter { ended: true, ..ElevationFilter::default() }).await?;
    let is_it =
        |one: &ElevationView| one.right == right || one.asked.as_ref().is_some_and(|asked| asked.right == right);
    let last = own.into_iter().find(is_it);
    last.with_context(|| format!("you never asked for {right} before; ask for it without `--as-last-time`"))
}

/// Shows what is demanded; whether it is then to be asked for.
fn goes_on_to_ask<T: Serialize>(
    cli: &Cli,
    (asking, question): (&Asking, &str),
    demand: &T,
    sentence: &str,
) -> anyhow::Result<bool> {
    if asking.preview {
        cli.print(demand, |_| say!("{sentence}"))?;
        return Ok(false);
    }
    if !cli.is_json() {
        say!("{sentence}");
    }
    cli.sure(question, asking.yes)?;
    Ok(true)
}

/// Says each change until the elevation is past `states`; well if it is then in the wanted one.
async fn until_rest(cli: &Cli, from: &ElevationView, states: &[&str], wanted: &str) -> anyhow::Result<Ended> {
    let until = tokio::time::Instant::now() + WAIT;
    let mut known = from.state.clone();
    let mut shown = from.clone();
    while states.contains(&known.as_str()) && tokio::time::Instant::now() < until {
        let wait = WaitQuery { unlike: Some(known.clone()), seconds: Some(20), ..WaitQuery::default() };
        shown = cli.client().elevation(&from.id, &wait).await?.elevation;
        if shown.state != known {
            if !cli.is_json() {
                say!("{} {}: {}.", shown.id, shown.state, shown.sentence);
            }
            known.clone_from(&shown.state);
        }
    }
    if cli.is_json() {
        cli.print(&shown, |_| ())?;
    } else if let Some(found) = shown.grant.as_ref().and_then(|grant| grant.leftovers.as_ref()) {
        for leftover in found {
            say!("  leftover: {}{}", leftover.what, if leftover.ended { "; ended" } else { "; still there" });
        }
    }
    Ok(if known == wanted { Ended::Well } else { Ended::InVain })
}

pub(crate) async fn waiting(cli: &Cli) -> anyhow::Result<()> {
    let all = cli.client().waiting().await?;
    cli.print(&all, |all| {
        if all.is_empty() {
            say!("Nothing waits for your answer.");
        }
        all.iter().for_each(ask_shown);
    })
}

/// What an asker brought, a line for each.
fn brought_shown(brought: &Brings, for_what: &str) {
    if let Some(purpose) = &brought.purpose {
        say!("    purpose{for_what}: {}", show::inline(purpose));
    }
    show::quoted(&format!("reason{for_what}"), brought.reason.as_deref());
    if let Some(ticket) = &brought.ticket {
        say!("    ticket{for_what}: {}", show::inline(ticket));
    }
    for (name, reference) in &brought.references {
        say!("    {name}{for_what}: {}", show::inline(reference));
    }
}

/// An ask, as an approver has to see it.
fn ask_shown(one: &ElevationView) {
    match &one.extension {
        Some(asked) => {
            let (more, until) = (asked.more, show::when(asked.until));
            let wants = format!("asks to go on for {more}, until {until}, with");
            say!("{}  {} {wants} {} ({}: {})", one.id, one.who, one.right, one.weight, one.says);
            brought_shown(&asked.brought, " to go on");
        }
        None => {
            say!("{}  {} asks for {} ({}: {}) for {}", one.id, one.who, one.right, one.weight, one.says, one.duration)
        }
    }
    if !one.alike.is_empty() {
        say!("    not to be taken for: {}", one.alike.join(", "));
    }
    if let Some(account) = &one.account {
        say!("    on the account `{account}`");
        one.account_holds.iter().for_each(|held| say!("    which holds besides, all the time: {held}"));
    }
    brought_shown(&one.brought, "");
    say!("    {}", one.sentence);
    for answer in one.rounds.iter().flat_map(|round| &round.stages).flat_map(|stage| &stage.answers) {
        say!("    {} said {:?} at {}", answer.who, answer.verdict, show::when(answer.at));
    }
}

/// One ask, with what an approver wants to know besides.
pub(crate) async fn waiting_one(cli: &Cli, id: &str) -> anyhow::Result<()> {
    let context = cli.client().context(id).await?;
    if !cli.is_json() {
        ask_shown(&cli.client().elevation(id, &WaitQuery::default()).await?.elevation);
    }
    cli.print(&context, context_shown)
}

fn context_shown(context: &AskContext) {
    say!("    with it: {}", context.would_change);
    say!("    holds now: {}", if context.holds.is_empty() { "nothing".to_owned() } else { context.holds.join(", ") });
    if context.others_waiting > 0 {
        say!("    others who wait for the same: {}", context.others_waiting);
    }
    say!("    asked for it before: {} times", context.earlier_count);
    let row = |one: &EarlierView| {
        let reason = one.reason.as_deref().map(show::inline).unwrap_or_default();
        [one.id.clone(), show::when(one.asked_at), one.state.clone(), one.leftovers.to_string(), reason]
    };
    if !context.earlier.is_empty() {
        show::table(&["ref", "asked", "state", "leftovers", "why"], context.earlier.iter().map(row), "");
    }
}

pub(crate) async fn answer(
    cli: &Cli,
    id: &str,
    verdict: YesNo,
    reason: Option<String>,
    less: LessView,
    yes: bool,
) -> anyhow::Result<()> {
    let less = Some(less).filter(|less| less.duration.is_some() || less.scope.is_some() || less.start.is_some());
    let asked = cli.client().elevation(id, &WaitQuery::default()).await?.elevation;
    if !cli.is_json() {
        ask_shown(&asked);
        context_shown(&cli.client().context(id).await?);
    }
    let verdict = Verdict::from(verdict);
    cli.sure(&format!("Answer {verdict:?}?"), yes)?;
    let request = AnswerRequest { verdict, less, reason, shown: asked.digest };
    let answered = cli.fresh(async |client| client.answer(id, &request).await).await?;
    cli.print(&answered, |one| say!("Answered {verdict:?}. {} is {}: {}.", one.id, one.state, one.sentence))
}

pub(crate) async fn list(cli: &Cli, wanted: ElevationFilter, csv: bool) -> anyhow::Result<()> {
    if csv {
        show::raw(cli.client().elevations_csv(&wanted).await?.as_bytes());
        return Ok(());
    }
    let found = cli.client().elevations(&wanted).await?;
    cli.print(&found, |found| {
        let rows = found
            .iter()
            .map(|one| [one.id.clone(), one.who.clone(), one.right.clone(), one.state.clone(), one.sentence.clone()]);
        show::table(
            &["ref", "who", "right", "state", "at present"],
            rows,
            "No elevation is waiting or live; `tempestas eligible` shows what may be asked for.",
        );
    })
}

pub(crate) async fn show(cli: &Cli, id: &str, wait: Option<Until>) -> anyhow::Result<Ended> {
    const BEFORE: [&str; 4] = ["waiting", "scheduled", "ready", "opening"];
    const UNFINISHED: [&str; 6] = ["waiting", "scheduled", "ready", "opening", "live", "closing"];
    let story = match wait {
        None => cli.client().elevation(id, &WaitQuery::default()).await?,
        Some(Until::Live) => cli.client().wait_past(id, &BEFORE, WAIT).await?,
        Some(Until::Ended) => cli.client().wait_past(id, &UNFINISHED, WAIT).await?,
    };
    cli.print(&story, story_shown)?;
    let state = story.elevation.state.as_str();
    let came = match wait {
        None => true,
        Some(Until::Live) => state == "live",
        Some(Until::Ended) => !UNFINISHED.contains(&state),
    };
    Ok(if came { Ended::Well } else { Ended::InVain })
}

pub(super) fn story_shown(story: &ElevationStory) {
    let one = &story.elevation;
    say!("{}  {} of {}: {}", one.id, one.right, one.who, one.state);
    say!("    {}", one.sentence);
    say!("    demanded: {}", one.demand);
    if let Some(asked) = &one.asked {
        say!("    asked for: {} for {}", asked.right, asked.duration);
    }
    brought_shown(&one.brought, "");
    for answer in one.rounds.iter().flat_map(|round| &round.stages).flat_map(|stage| &stage.answers) {
        let less = answer.less.as_ref().map_or_else(String::new, |less| format!(" to less ({less})"));
        let why = format!(
            "{less}{}",
            answer.reason.as_ref().map_or_else(String::new, |why| format!(": {}", show::inline(why)))
        );
        say!("    {} answered {:?} at {}{why}", answer.who, answer.verdict, show::when(answer.at));
    }
    if let Some(word) = &one.end_word {
        show::quoted("word", Some(word));
    }
    if one.glass {
        say!("    the glass was broken for it");
    }
    if let Some(word) = one.debrief.as_ref().and_then(|debrief| debrief.signed.as_ref()?.word.as_deref()) {
        show::quoted("found", Some(word));
    }
    if let Some(asked) = &one.extension {
        say!("    to go on: {}", asked.demand);
    }
    for asked in &one.extends {
        say!("    to go on until {}, asked at {}", show::when(asked.until), show::when(asked.asked_at));
        brought_shown(&asked.brought, " to go on");
    }
    if let Some(grace) = one.grace {
        say!("    grace: {grace} more at its end, with nobody asked: tempestas grace {}", one.id);
    }
    if let Some(grant) = &one.grant {
        say!("    end: {} - {}", show::when(grant.until), grant.ends.says);
        for leftover in grant.leftovers.iter().flatten() {
            let state = if leftover.ended { "ended" } else { "still there" };
            say!("    leftover ({state}): {}, {}", leftover.what, show::perhaps(leftover.when));
        }
    }
    say!();
    show::entries(&story.story);
}

pub(crate) async fn begin(cli: &Cli, id: &str, wait: bool) -> anyhow::Result<Ended> {
    let begun = cli.fresh(async |client| client.begin(id).await).await?;
    moved(cli, &begun, wait, "live").await
}

/// Shows what became of an elevation, after waiting for its target where that was asked for.
async fn moved(cli: &Cli, one: &ElevationView, wait: bool, wanted: &str) -> anyhow::Result<Ended> {
    if wait {
        if !cli.is_json() {
            say!("{} {}: {}.", one.id, one.state, one.sentence);
        }
        return until_rest(cli, one, &MOVING, wanted).await;
    }
    cli.print(one, |one| say!("{} {}: {}.", one.id, one.state, one.sentence))?;
    Ok(Ended::Well)
}

pub(crate) async fn extend(cli: &Cli, args: ExtendArgs) -> anyhow::Result<Ended> {
    let id = args.elevation.as_str();
    let demand = cli.client().preview_extension(id, &ExtensionPreview { more: args.more }).await?;
    if !goes_on_to_ask(cli, (&args.asking, ASK), &demand, &demand.sentence)? {
        return Ok(Ended::Well);
    }
    let request =
        ExtensionRequest { more: Some(demand.more), brings: args.asking.given.brings()?, shown: demand.digest };
    let asked = cli.fresh(async |client| client.extend(id, &request).await).await?;
    until_settled(cli, asked, args.wait, demand.until).await
}

pub(crate) async fn take_grace(cli: &Cli, id: &str, wait: bool) -> anyhow::Result<Ended> {
    let taken = cli.fresh(async |client| client.take_grace(id).await).await?;
    let wanted = taken.grant.as_ref().and_then(|grant| grant.moving_to);
    until_settled(cli, taken, wait, wanted.unwrap_or_default()).await
}

/// Shows how going on with an elevation stands, after waiting for people and its target where that was asked for; well if its
/// end is then the wanted one.
async fn until_settled(cli: &Cli, mut one: ElevationView, wait: bool, wanted: Timestamp) -> anyhow::Result<Ended> {
    let until = tokio::time::Instant::now() + WAIT;
    let goes_on = |one: &ElevationView| {
        one.extension.is_some() || one.grant.as_ref().is_some_and(|grant| grant.moving_to.is_some())
    };
    if wait && goes_on(&one) && !cli.is_json() {
        say!("{} {}: {}.", one.id, one.state, one.sentence);
    }
    while wait && goes_on(&one) && tokio::time::Instant::now() < until {
        let settled = WaitQuery { settled: true, seconds: Some(20), ..WaitQuery::default() };
        one = cli.client().elevation(&one.id, &settled).await?.elevation;
    }
    cli.print(&one, |one| say!("{} {}: {}.", one.id, one.state, one.sentence))?;
    let there = one.grant.as_ref().is_some_and(|grant| grant.wanted && grant.until >= wanted);
    Ok(if !wait || there { Ended::Well } else { Ended::InVain })
}

pub(crate) async fn give_back(cli: &Cli, id: &str, wait: bool) -> anyhow::Result<Ended> {
    let given = cli.fresh(async |client| client.give_back(id).await).await?;
    moved(cli, &given, wait, "given-back").await
}

pub(crate) async fn revoke(cli: &Cli, id: &str, word: String, wait: bool) -> anyhow::Result<Ended> {
    let word = WordRequest { word };
    let revoked = cli.fresh(async |client| client.revoke(id, &word).await).await?;
    moved(cli, &revoked, wait, "revoked").await
}

pub(crate) async fn withdraw(cli: &Cli, id: &str) -> anyhow::Result<()> {
    let withdrawn = cli.fresh(async |client| client.withdraw(id).await).await?;
    cli.print(&withdrawn, |one| say!("{} {}.", one.id, one.state))
}
