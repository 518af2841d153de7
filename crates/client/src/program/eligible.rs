//! `eligible`, `cover`.

use anyhow::Context as _;
use jiff::Timestamp;
use tempestas_api::{
    AppointmentStory, AppointmentVerdict, AppointmentView, ChangeWindow, EligibilityReply, EligibilityView, NewCover,
    NewEligibility, NewWish, OfferQuery, OfferView, StageView, SuspendRequest, TakesView,
};
use tempestas_core::{AppointmentState, LookedAt, Verdict, later};

use super::{
    args::{CoverVerb, EligibleVerb},
    cli::Cli,
    show::{self, say},
};

pub(crate) async fn eligible(cli: &Cli, long: bool, all: bool, verb: Option<EligibleVerb>) -> anyhow::Result<()> {
    match verb {
        None if all => {
            let all = cli.client().eligibilities().await?;
            cli.print(&all, |all| everybodys(all))
        }
        None => {
            let mine = cli.client().eligible().await?;
            cli.print(&mine, |mine| {
                if let Some(why) = &mine.empty_because {
                    say!("You may ask for nothing: {why}.");
                }
                if long {
                    mine.eligible.iter().for_each(whole);
                } else {
                    own(&mine.eligible);
                }
            })
        }
        Some(EligibleVerb::Give { who, right, from, until, reason }) => {
            let new = NewEligibility { who, right, from, until, reason };
            let given = cli.fresh(async |client| client.give_eligibility(&new).await).await?;
            cli.print(&given, came_of)
        }
        Some(EligibleVerb::Change { id, from, until, for_good, reason }) => {
            let window = ChangeWindow { from, until, for_good, reason };
            let was = LookedAt::This(shown(cli, &id).await?.digest);
            let changed = cli.fresh(async |client| client.change_eligibility(&id, was, &window).await).await?;
            cli.print(&changed, came_of)
        }
        Some(EligibleVerb::Suspend { id, reason }) => {
            let why = SuspendRequest { reason };
            let done = cli.fresh(async |client| client.suspend_eligibility(&id, &why).await).await?;
            cli.print(&done, |_| say!("Suspended {id}; `tempestas eligible resume {id}` lets it hold again."))
        }
        Some(EligibleVerb::Resume { id }) => {
            let done = cli.fresh(async |client| client.resume_eligibility(&id).await).await?;
            cli.print(&done, |_| say!("Resumed {id}."))
        }
        Some(EligibleVerb::End { id }) => {
            let done = cli.fresh(async |client| client.end_eligibility(&id).await).await?;
            cli.print(&done, |_| say!("Ended {id}."))
        }
        Some(EligibleVerb::Offered { words }) => {
            let q = words.join(" ");
            let offers = cli.client().offers(&OfferQuery { q: q.clone() }).await?;
            cli.print(&offers, |offers| offered(offers, &q))
        }
        Some(EligibleVerb::Wish { right, until, lasts, group, reason }) => {
            let ends = lasts.map(|lasts| later(Timestamp::now(), lasts));
            let until = until.or(ends).context("say until when: `--until`, or `--for`")?;
            let new = NewWish { right, group, until, reason };
            let wished = cli.fresh(async |client| client.wish(&new).await).await?;
            cli.print(&wished, came_of)
        }
        Some(EligibleVerb::Wishes { all }) => {
            let mut wishes = cli.client().appointments().await?;
            wishes.retain(|one| all || one.state == AppointmentState::Waiting);
            cli.print(&wishes, |wishes| listed(wishes, "Nobody waits to be made eligible."))
        }
        Some(EligibleVerb::Answer { wish, verdict, reason, yes }) => {
            answer(cli, &wish, verdict.into(), reason, yes).await
        }
        Some(EligibleVerb::TakeBack { wish }) => end(cli, &wish).await,
    }
}

pub(crate) async fn cover(cli: &Cli, verb: CoverVerb) -> anyhow::Result<()> {
    match verb {
        CoverVerb::Begin { absent, by, from, until, reason } => {
            let new = NewCover { absent, stand_in: by, from, until, reason };
            let begun = cli.fresh(async |client| client.cover(&new).await).await?;
            cli.print(&begun, said)
        }
        CoverVerb::List => {
            let mut covers = cli.client().appointments().await?;
            covers.retain(|one| one.covers.is_some());
            covers.sort_by_key(|one| !matches!(one.state, AppointmentState::Made | AppointmentState::Waiting));
            cli.print(&covers, |covers| listed(covers, "Nobody stands in for anybody, and nobody did."))
        }
        CoverVerb::Show { cover } => {
            let story = cli.client().appointment(&cover).await?;
            cli.print(&story, account)
        }
        CoverVerb::End { cover } => end(cli, &cover).await,
    }
}

async fn end(cli: &Cli, id: &str) -> anyhow::Result<()> {
    let ended = cli.fresh(async |client| client.end_appointment(id).await).await?;
    cli.print(&ended, said)
}

async fn answer(cli: &Cli, id: &str, verdict: Verdict, reason: Option<String>, yes: bool) -> anyhow::Result<()> {
    let wish = cli.client().appointment(id).await?.appointment;
    if !cli.is_json() {
        said(&wish);
    }
    cli.sure(&format!("Say {} to {}?", show::word(verdict), wish.id), yes)?;
    let said_now = AppointmentVerdict { verdict, reason, shown: wish.digest };
    let answered = cli.fresh(async |client| client.answer_appointment(id, &said_now).await).await?;
    cli.print(&answered, said)
}

/// What is offered, a line each, with what it lets one do below.
fn offered(offers: &[OfferView], q: &str) {
    if offers.is_empty() && q.is_empty() {
        say!("Nothing is offered to you that you may not ask for already.");
    } else if offers.is_empty() {
        say!("Nothing that is offered to you reads like that; `tempestas eligible offered` lists all of it.");
    }
    for one in offers {
        say!("{}  ({})", one.right, show::toned(&one.weight.to_string()));
        if !one.lets.is_empty() {
            say!("    {}", show::inline(&one.lets));
        }
        let stages = one.asked.iter().map(|stage| stage.join(" or "));
        let asked = stages.collect::<Vec<_>>().join(", then ");
        let longest = one.longest.map_or_else(String::new, |longest| format!(", for {longest} at most"));
        let reason =
            one.reason.map_or_else(String::new, |letters| format!(", with a reason of {letters} letters at least"));
        match &one.trouble {
            Some(trouble) => say!("    not at present: {trouble}"),
            None => say!("    {asked} decides{longest}{reason}"),
        }
    }
}

/// An eligibility as the caller sees it: of their own, or where they look after.
async fn shown(cli: &Cli, id: &str) -> anyhow::Result<EligibilityView> {
    let mut all = cli.client().eligible().await?.eligible;
    if !all.iter().any(|one| one.id == id) {
        all = cli.client().eligibilities().await?;
    }
    let unknown = || format!("there is no eligibility {id} that you can see; `tempestas eligible` lists your own");
    all.into_iter().find(|one| one.id == id).with_context(unknown)
}

/// What an ask takes, or why there is none at present.
fn takes(one: &EligibilityView, long: bool) -> String {
    let Some(TakesView { brief, sentence, may_break_glass }) = &one.takes else { return String::new() };
    let takes = match sentence {
        Some(sentence) if long => sentence.clone(),
        Some(_) => brief.clone(),
        None => format!("not at present: {brief}"),
    };
    if *may_break_glass { format!("{takes} · or break the glass") } else { takes }
}

/// One's own, a line each.
fn own(all: &[EligibilityView]) {
    let row = |one: &EligibilityView| {
        let note = one.covers.as_ref().map(|absent| format!("stands in for {absent}")).unwrap_or_default();
        let until = one.until.map_or_else(String::new, show::when);
        [one.id.clone(), one.right.clone(), one.weight.to_string(), takes(one, false), until, note]
    };
    if !all.is_empty() {
        show::table(&["id", "right", "weight", "takes", "until", "note"], all.iter().map(row), "");
    }
}

fn whole(one: &EligibilityView) {
    let until = one.until.map_or_else(String::new, |until| format!(", until {}", show::when(until)));
    let covers = one.covers.as_ref().map_or_else(String::new, |absent| format!(", standing in for {absent}"));
    let weight = show::toned(&one.weight.to_string());
    say!("{}  ({weight}: {}; {}{until}{covers})", one.right, one.says, one.id);
    say!("    {}", takes(one, true));
}

fn everybodys(all: &[EligibilityView]) {
    let row = |one: &EligibilityView| {
        let note = match (&one.suspended, &one.covers) {
            (Some(pause), _) => format!("suspended: {}", show::inline(&pause.reason)),
            (None, Some(absent)) => format!("stands in for {absent}"),
            (None, None) => String::new(),
        };
        [
            one.id.clone(),
            one.who.clone(),
            one.right.clone(),
            one.weight.to_string(),
            show::when(one.from),
            show::perhaps(one.until),
            note,
        ]
    };
    show::table(
        &["id", "who", "right", "weight", "from", "until", "note"],
        all.iter().map(row),
        "Nobody is eligible for anything yet.",
    );
}

fn came_of(reply: &EligibilityReply) {
    match (&reply.eligibility, &reply.appointment) {
        (Some(given), _) => say!(
            "{} may ask for {} until {} ({}).",
            given.who,
            given.right,
            given.until.map_or_else(|| "it is ended".to_owned(), show::when),
            given.id
        ),
        (None, Some(wish)) => said(wish),
        (None, None) => {}
    }
}

/// An appointment, as whoever answers it has to see it.
fn said(one: &AppointmentView) {
    say!("{}: {}.", one.id, one.sentence);
    if one.rights.len() > 1 {
        one.rights.iter().for_each(|right| say!("    {right}"));
    }
    if one.state != AppointmentState::Waiting {
        return;
    }
    say!(
        "    wished by {}: {}",
        one.by.as_deref().unwrap_or("-"),
        one.reason.as_deref().map_or_else(|| "no reason given".to_owned(), show::inline)
    );
    if let Some(open) = StageView::open(&one.stages) {
        say!("    a yes is wanted by {} from {}", show::perhaps(open.until), open.approvers.join(" or "));
    }
}

fn listed(all: &[AppointmentView], empty: &str) {
    let row = |one: &AppointmentView| {
        [
            one.id.clone(),
            show::word(one.state),
            one.sentence.clone(),
            show::when(one.from),
            one.by.clone().unwrap_or_default(),
            if one.for_me {
                "you".to_owned()
            } else {
                StageView::open(&one.stages).map_or_else(String::new, |open| open.approvers.join(", "))
            },
        ]
    };
    show::table(&["ref", "state", "what", "from", "wished by", "answered by"], all.iter().map(row), empty);
}

/// What was done while somebody stood in.
fn account(story: &AppointmentStory) {
    let one = &story.appointment;
    say!("{}: {}, from {}.", one.id, one.sentence, show::when(one.from));
    one.rights.iter().for_each(|right| say!("    {right}"));
    let row = |done: &tempestas_api::ElevationView| {
        let grant = done.grant.as_ref();
        [
            done.id.clone(),
            done.right.clone(),
            done.state.clone(),
            show::when(done.asked_at),
            show::perhaps(grant.map(|grant| grant.until)),
            grant.and_then(|grant| grant.leftovers.as_ref()).map_or_else(String::new, |found| found.len().to_string()),
            done.brought.reason.as_deref().map(show::inline).unwrap_or_default(),
        ]
    };
    show::table(
        &["ref", "right", "state", "asked", "until", "leftovers", "why"],
        story.elevations.iter().map(row),
        "Nothing was asked for by it.",
    );
}
