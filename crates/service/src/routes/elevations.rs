//! Asking, answering, holding.

use std::{cmp::Reverse, time::Duration};

use jiff::Timestamp;
use secrecy::ExposeSecret;
use tempestas_api::{
    AnswerRequest, AskContext, AskRequest, DebriefFilter, DebriefRequest, DemandView, ElevationFilter, ElevationStory,
    ElevationView, ExtensionDemand, ExtensionPreview, ExtensionRequest, LoginAsk, LoginReply, PreviewRequest,
    WaitQuery, WordRequest,
};
use tempestas_core::{
    AnswerInput, Ask, Brings, Connector, DebriefInput, Elevation, ElevationCommand, ElevationId, Export, Extend,
    ExtendRefusal, Less, Manner, Note, Outline, Phase, Recall, Refusal, Said, ScopeId, Sight, SubjectId, Visible, What,
    World, demand_to_hold, ensure_may_debrief, extension_offer,
};
use tempestas_targets::GrantCall;

use tempestas_engine::Snapshot;
use tempestas_store::{Past, Wanted};

use super::{made, reference, right, scope, seen_subject, within};
use crate::{
    authorities,
    callers::SignedIn,
    connect::connect,
    desks,
    door::{Answer, At, Body, Download, Json, Listed, Listing, Query},
    keyring,
    past::{Found, belonging_to},
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

/// Longest that a caller may wait for a change.
const WAIT_MOST: u64 = 25;
/// Earlier elevations shown to an approver.
const EARLIER_MOST: usize = 20;
/// Most that is over in one file.
const CSV_MOST: usize = 10_000;
/// Entries read for the story of one elevation.
const STORY_MOST: u32 = 1000;

pub(super) async fn preview(me: SignedIn, Body(request): Body<PreviewRequest>) -> Answer<DemandView> {
    let (world, now) = (me.app.world(), Timestamp::now());
    let manner = Manner { start: request.start, duration: request.duration, glass: request.glass };
    let demand = demand_to_hold(&world, me.person, right(&world, me.person, &request.right)?, now, manner)?;
    me.ensure_from_here(&world, &demand)?;
    desks::ensure_heard(&me.app, &demand, |_| None).await;
    let world = me.app.world();
    let duration = request.duration.unwrap_or(demand.terms.usual.0);
    let start = request.start.or_else(|| demand.terms.starts.unsaid());
    Ok(Json(views::demand(&world, &demand, duration, start, now)))
}

fn brings(given: tempestas_api::Brings) -> Brings {
    Brings {
        purpose: given.purpose.map(Said::new),
        reason: given.reason.map(Said::new),
        ticket: given.ticket.map(Said::new),
        references: given.references.into_iter().map(|(name, text)| (name, Said::new(text))).collect(),
    }
}

pub(super) async fn ask(me: SignedIn, Body(request): Body<AskRequest>) -> Answer<ElevationView> {
    let world = me.app.world();
    let right = right(&world, me.person, &request.right)?;
    let AskRequest { duration, start, glass, shown, .. } = request;
    let brings = brings(request.brings);
    // What can't be asked for so is refused below, in the same words.
    let manner = Manner { start, duration, glass };
    if !world.circumstances.is_empty()
        && let Ok(demand) = demand_to_hold(&world, me.person, right, Timestamp::now(), manner)
    {
        desks::ensure_heard(&me.app, &demand, |name| brings.reference(name).map(str::to_owned)).await;
    }
    drop(world);
    let command = ElevationCommand::Ask(Ask { right, duration, start, glass, brings, shown });
    let done = me.submit(command).await?;
    let id = made(&done, |what| match what {
        What::Asked { elevation, .. } => Some(*elevation),
        _ => None,
    })?;
    view(&me, &done.world, id).await
}

async fn view(me: &SignedIn, world: &Snapshot, id: ElevationId) -> Answer<ElevationView> {
    let world = me.app.recall(world, id).await?;
    Ok(Json(views::elevation(&world, seen(me, &world, id)?, me.person)))
}

/// An elevation of a World that has it, if they may see it.
fn seen<'w>(me: &SignedIn, world: &'w World, id: ElevationId) -> Result<Visible<'w, Elevation>, Failure> {
    let seen = world.elevations.get(&id).and_then(|elevation| me.sight().see(world, elevation));
    seen.ok_or_else(|| unknown(&id.to_string()))
}

fn unknown(id: &str) -> Failure {
    Failure::unknown("elevation", id, "`tempestas grants` lists yours")
}

pub(super) async fn waiting(me: SignedIn) -> Answer<Vec<ElevationView>> {
    let sight = me.sight();
    let world = me.app.world();
    let mine = world.active().filter(|elevation| elevation.waits_for(me.person));
    let seen = mine.filter_map(|elevation| sight.see(&world, elevation));
    Ok(Json(seen.map(|elevation| views::elevation(&world, elevation, me.person)).collect()))
}

/// Elevations by a filter.
struct Sought {
    filter: ElevationFilter,
    who: Option<SubjectId>,
    found: Found,
}

impl Sought {
    /// What is not over, and of what is, the newest `most` before one.
    async fn of(
        me: &SignedIn,
        filter: ElevationFilter,
        before: Option<ElevationId>,
        most: usize,
    ) -> Result<Self, Failure> {
        let world = me.app.world();
        let who = filter.who.as_deref().map(|name| seen_subject(&world, &me.sight(), name)).transpose()?;
        let past = Past {
            seen: if filter.all { me.seen(&world) } else { None },
            askers: if filter.all { who.map(|who| belonging_to(&world, who)) } else { Some([me.person].into()) },
            state: filter.state.clone(),
            before,
            ..Past::default()
        };
        let found = me.app.with_past(&world, &past, if filter.ended { most } else { 0 }).await?;
        Ok(Self { filter, who, found })
    }

    /// Of those the ones that the caller sees, the first asked for first.
    fn seen<'s>(&'s self, me: &SignedIn) -> impl DoubleEndedIterator<Item = Visible<'s, Elevation>> {
        let (world, filter, sight, own) = (&self.found.world, &self.filter, me.sight(), me.person);
        let wanted = self.found.elevations().filter(move |elevation| {
            (filter.ended || !elevation.is_over())
                && (filter.all || elevation.asker == own)
                && self.who.is_none_or(|who| world.belongs_to(elevation.asker, who))
                && filter.state.as_ref().is_none_or(|state| *state == elevation.phase.to_string())
        });
        wanted.filter_map(move |elevation| sight.see(world, elevation))
    }
}

pub(super) async fn list(me: SignedIn, Listed(filter, paging): Listed<ElevationFilter>) -> Listing<ElevationView> {
    let after: Option<Reverse<ElevationId>> = paging.after()?;
    let sought = Sought::of(&me, filter, after.map(|Reverse(last)| last), paging.enough()).await?;
    let page = paging.of(sought.seen(&me), |elevation| Reverse(elevation.id))?;
    Ok(page.map(|elevation| views::elevation(&sought.found.world, elevation, me.person)))
}

pub(super) async fn csv(me: SignedIn, Query(filter): Query<ElevationFilter>) -> Result<Download, Failure> {
    let _turn = me.app.identity().reading(me.person).await?;
    let sought = Sought::of(&me, filter, None, CSV_MOST).await?;
    let rows = sought.seen(&me).map(|one| views::elevation_row(&sought.found.world, one, me.person));
    let file = Download::csv(&views::ELEVATION_COLUMNS, rows)?;
    me.submit(Note::Exported(Export::Record)).await?;
    Ok(file)
}

/// What an approver wants to know besides the ask itself.
pub(super) async fn context(me: SignedIn, At(id): At) -> Answer<AskContext> {
    let id: ElevationId = reference(&id)?;
    let sight = me.sight();
    let world = me.app.recall(&me.app.world(), id).await?;
    let elevation = seen(&me, &world, id)?;
    let (asker, right) = (elevation.asker, elevation.right);
    // What an approver was asked about is this right; of the rest they see what they see anyway.
    let others = || {
        let besides = world.active().filter(|other| other.id != id);
        besides.filter_map(|other| sight.beside(&world, elevation, other)).map(Outline::get)
    };
    let mut seen = me.seen(&world);
    seen.iter_mut().for_each(|seen| seen.scopes.push(right.scope));
    let past = Past { seen, askers: Some([asker].into()), role: Some(right.role), ..Past::default() };
    let itself = usize::from(elevation.is_over());
    let earlier_count = me.app.store().count_past(&past).await?.saturating_sub(itself);
    let found = me.app.with_past(&world, &past, EARLIER_MOST + itself).await?;
    let over = found.elevations().rev().filter(|other| other.id != id && other.is_over());
    let earlier = over.filter_map(|other| sight.beside(&found.world, elevation, other));
    let mut holds: Vec<String> = others()
        .filter(|other| other.asker == asker && other.phase == Phase::Live)
        .map(|other| format!("{} ({}, live)", world.right_name(other.right), other.id))
        .collect();
    holds.extend(
        world
            .standing_held_by(asker)
            .into_iter()
            .filter(|held| held.right == right || sight.sees_scope(&world, held.right.scope))
            .map(|held| format!("{} (standing)", world.right_name(held.right))),
    );
    let has_already = others().any(|other| other.asker == asker && other.right == right && other.phase == Phase::Live)
        || world.standing_held_by(asker).iter().any(|held| held.right == right);
    let would_change = would_change(&world, elevation.get(), has_already);
    Ok(Json(AskContext {
        earlier_count,
        earlier: earlier.take(EARLIER_MOST).map(|other| views::earlier(&found.world, other)).collect(),
        holds,
        would_change,
        narrower: views::below(&world, right.scope),
        others_waiting: others().filter(|other| other.phase == Phase::Waiting && other.right == right).count(),
    }))
}

/// What a yes would change, in words.
fn would_change(world: &World, elevation: &Elevation, has_already: bool) -> String {
    let (who, right) = (world.subject_name(elevation.asker), elevation.right);
    match (&elevation.extension, world.grant_of(elevation)) {
        (Some(asked), Some(grant)) => {
            let [until, ends] = [asked.until, grant.until].map(|at| at.strftime("%F %T UTC"));
            format!("{who} could go on with it until {until}; without a yes it ends at {ends}")
        }
        _ if has_already => format!("nothing new: {who} holds this right already"),
        _ => format!("{who} could then do this on {}: {}", world.path(right.scope), world.role_says(right.role)),
    }
}

pub(super) async fn show(me: SignedIn, At(id): At, Query(query): Query<WaitQuery>) -> Answer<ElevationStory> {
    let id: ElevationId = reference(&id)?;
    let mut commits = me.app.commits();
    let seconds = within("seconds", query.seconds.unwrap_or(0), 0..=WAIT_MOST)?;
    let until = tokio::time::Instant::now() + Duration::from_secs(seconds);
    let elevation = loop {
        let present = commits.borrow_and_update().clone();
        let Json(seen) = view(&me, &present, id).await?;
        let goes_on = seen.extension.is_some() || seen.grant.as_ref().is_some_and(|grant| grant.moving_to.is_some());
        let as_known = if query.settled { goes_on } else { query.unlike.as_ref() == Some(&seen.state) };
        if seconds == 0 || !as_known {
            break seen;
        }
        // Every commit wakes whoever waits; only one that moves this elevation is worth a view.
        let stands = |world: &World| {
            let one = world.elevations.get(&id)?;
            Some((one.phase, one.extension.is_some(), world.grant_of(one).and_then(|grant| grant.moving_to)))
        };
        let moved = commits.wait_for(|world| stands(world) != stands(&present));
        if !matches!(tokio::time::timeout_at(until, moved).await, Ok(Ok(_))) {
            break view(&me, &me.app.world(), id).await?.0;
        }
    };
    let story = story(&me, id).await?;
    Ok(Json(ElevationStory { elevation, story }))
}

/// Every step of an elevation, oldest first.
async fn story(me: &SignedIn, id: ElevationId) -> Result<Vec<tempestas_api::LedgerEntry>, Failure> {
    let wanted = Wanted { elevation: Some(id), ..Wanted::default() };
    let mut entries = me.app.store().find_facts(&wanted, STORY_MOST).await?;
    entries.reverse();
    let words = Recall::texts_of(entries.iter().map(|entry| &entry.fact));
    let world = me.app.recall(&me.app.world(), Recall { elevations: [id].into(), ..words }).await?;
    let sight = me.sight();
    let seen = entries.iter().filter_map(|entry| Some((entry.seq, sight.see(&world, &entry.fact)?)));
    Ok(seen.map(|(number, fact)| views::entry(&world, number, fact)).collect())
}

/// A part of what was asked for, which whoever was asked may name without having a duty there.
async fn part_of(me: &SignedIn, id: ElevationId, path: &str) -> Result<ScopeId, Failure> {
    let (world, me) = (&me.app.recall(&me.app.world(), id).await?, me.person);
    let asked = world.elevations.get(&id).filter(|asked| Sight::of(world, me).sees(world, *asked));
    match (asked, world.scope_at(path)) {
        (Some(asked), Some(part)) if world.is_within(part.id, asked.right.scope) => Ok(part.id),
        _ => Ok(scope(world, me, path)?.id),
    }
}

pub(super) async fn answer(me: SignedIn, At(id): At, Body(request): Body<AnswerRequest>) -> Answer<ElevationView> {
    let id = reference(&id)?;
    let reason = request.reason.map(Said::new);
    let less = match request.less {
        Some(less) => {
            let scope = match &less.scope {
                Some(path) => Some(part_of(&me, id, path).await?),
                None => None,
            };
            Some(Less { duration: less.duration, scope, start: less.start })
        }
        None => None,
    };
    let answer = ElevationCommand::Answer(AnswerInput {
        elevation: id,
        verdict: request.verdict,
        less,
        reason,
        shown: request.shown,
    });
    let done = me.submit(answer).await?;
    view(&me, &done.world, id).await
}

/// What somebody has yet to look at.
pub(super) async fn debriefs(me: SignedIn, Query(filter): Query<DebriefFilter>) -> Answer<Vec<ElevationView>> {
    let (sight, now) = (me.sight(), Timestamp::now());
    let world = me.app.world();
    let wanted = world
        .under_debrief()
        .filter(|elevation| filter.all || ensure_may_debrief(&world, elevation, me.person, now).is_ok());
    let seen = wanted.filter_map(|elevation| sight.see(&world, elevation));
    Ok(Json(seen.map(|elevation| views::elevation(&world, elevation, me.person)).collect()))
}

pub(super) async fn debrief(me: SignedIn, At(id): At, Body(request): Body<DebriefRequest>) -> Answer<ElevationView> {
    let id = reference(&id)?;
    let (finding, word) = (request.finding, request.word.map(Said::new));
    let done = me.submit(ElevationCommand::Debrief(DebriefInput { elevation: id, finding, word })).await?;
    view(&me, &done.world, id).await
}

pub(super) async fn withdraw(me: SignedIn, At(id): At) -> Answer<ElevationView> {
    let id = reference(&id)?;
    let done = me.submit(ElevationCommand::Withdraw { elevation: id }).await?;
    view(&me, &done.world, id).await
}

pub(super) async fn begin(me: SignedIn, At(id): At) -> Answer<ElevationView> {
    let id = reference(&id)?;
    let done = me.submit(ElevationCommand::Begin { elevation: id }).await?;
    view(&me, &done.world, id).await
}

pub(super) async fn preview_extension(
    me: SignedIn,
    At(id): At,
    Body(request): Body<ExtensionPreview>,
) -> Answer<ExtensionDemand> {
    let id: ElevationId = reference(&id)?;
    let world = me.app.recall(&me.app.world(), id).await?;
    let elevation = seen(&me, &world, id)?.get();
    if elevation.holder != me.person {
        return Err(Refusal::from(ExtendRefusal::NotHolderToExtend).into());
    }
    let offer = extension_offer(&world, elevation, request.more, Timestamp::now())?;
    me.ensure_from_here(&world, &offer.demand)?;
    Ok(Json(views::extension_demand(&world, id, &offer)))
}

pub(super) async fn extend(me: SignedIn, At(id): At, Body(request): Body<ExtensionRequest>) -> Answer<ElevationView> {
    let id = reference(&id)?;
    let command = ElevationCommand::Extend(Extend {
        elevation: id,
        more: request.more,
        brings: brings(request.brings),
        shown: request.shown,
    });
    let done = me.submit(command).await?;
    view(&me, &done.world, id).await
}

pub(super) async fn take_grace(me: SignedIn, At(id): At) -> Answer<ElevationView> {
    let id = reference(&id)?;
    let done = me.submit(ElevationCommand::TakeGrace { elevation: id }).await?;
    view(&me, &done.world, id).await
}

pub(super) async fn give_back(me: SignedIn, At(id): At) -> Answer<ElevationView> {
    let id = reference(&id)?;
    let done = me.submit(ElevationCommand::GiveBack { elevation: id }).await?;
    view(&me, &done.world, id).await
}

pub(super) async fn revoke(me: SignedIn, At(id): At, Body(request): Body<WordRequest>) -> Answer<ElevationView> {
    let id = reference(&id)?;
    let done = me.submit(ElevationCommand::Revoke { elevation: id, word: Said::new(request.word) }).await?;
    view(&me, &done.world, id).await
}

pub(super) async fn login(me: SignedIn, At(id): At, Body(ask): Body<LoginAsk>) -> Answer<LoginReply> {
    let id: ElevationId = reference(&id)?;
    let done = me.submit(ElevationCommand::ShowLogin { elevation: id }).await?;
    let replaced = made(&done, |what| match what {
        What::LoginShown { replaced, .. } => Some(*replaced),
        _ => None,
    })?;
    let (call, connector, scope, until) = {
        let world = &done.world;
        let elevation = world.elevations.get(&id).ok_or_else(|| unknown(&id.to_string()))?;
        let grant = world.grant_of(elevation).ok_or_else(|| EdgeRefusal::NotOnTarget { id: id.to_string() })?;
        let connector = world
            .connector(grant.target)
            .cloned()
            .ok_or_else(|| Failure::target("its target is not looked after any more"))?;
        // Until the end that stands: whether one that is being moved to comes to be, nobody knows yet.
        let call = GrantCall { until: grant.until, ..GrantCall::new(world, grant, Timestamp::now()) };
        (call, connector, grant.target, grant.until)
    };
    if connector.takes_own_key() {
        return authorities::certify(&me.app, &connector, scope.0, &call, ask.public_key.as_deref()).await.map(Json);
    }
    let target = connect(&me.app, scope, &connector).await?;
    let password = keyring::random_text().to_string().into();
    let reply = match target.login(&call, password).await? {
        Some(login) => LoginReply {
            says: format!(
                "sign in with this login until {}; the password is shown once and kept nowhere",
                until.strftime("%F %T UTC")
            ),
            replaced,
            user: Some(login.user),
            password: Some(login.password.expose_secret().to_owned()),
            host: Some(login.host),
            port: Some(login.port),
            database: Some(login.database),
            certificate: None,
            host_key: None,
            until,
        },
        None => LoginReply {
            says: on_own_account(&connector, &call),
            replaced: false,
            user: None,
            password: None,
            host: None,
            port: None,
            database: None,
            certificate: None,
            host_key: None,
            until,
        },
    };
    Ok(Json(reply))
}

/// How a right is used that was put on the holder's own account.
fn on_own_account(connector: &Connector, call: &GrantCall) -> String {
    let account = call.account.as_deref().unwrap_or_default();
    match connector {
        Connector::Postgres { .. } => format!(
            "the right is on your own login `{account}` from its next statement on, through the role `{name}`; where nothing is \
             inherited, and for attributes, `SET ROLE {name}` first. At the end every session of that login is ended",
            name = call.name
        ),
        _ => format!("the right is on your own account `{account}`; use it as you always do"),
    }
}
