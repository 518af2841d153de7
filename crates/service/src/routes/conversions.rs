//! Conversions: preview, apply, next wave, undo.

use std::cmp::Reverse;

use jiff::{Timestamp, tz::TimeZone};
use tempestas_api::{Chosen, ConversionView, ConvertRequest, LeftView, OpenFilter, PlanItemView, PlanView};
use tempestas_core::{
    Caution, Connector, ConversionCommand, ConversionId, Plan, PlanItem, Sight, Standing, StandingId, SubjectKind,
    WavePlan, What, World, cautions, plan_conversion,
    rehearsal::{advise, use_of},
};

use super::{made, reference};
use crate::{
    callers::{Administrator, Overseer, SignedIn},
    door::{Answer, At, Body, Json, Listed, Listing},
    problem::Failure,
    uses::{Uses, days_before},
    views,
};

/// Days of activity that advice is drawn from.
const LOOKED_BACK: u16 = 180;

pub(super) fn chosen_ids(sight: &Sight, world: &World, chosen: &[String]) -> Result<Vec<StandingId>, Failure> {
    chosen
        .iter()
        .map(|text| {
            let id: StandingId = reference(text)?;
            let seen = world.standing.get(&id).is_some_and(|held| sight.sees_scope(world, held.right.scope));
            if seen { Ok(id) } else { Err(Failure::unknown("standing right", text, "`tempestas standing` lists them")) }
        })
        .collect()
}

pub(super) async fn preview(Administrator(me): Administrator, Body(chosen): Body<Chosen>) -> Answer<PlanView> {
    let now = Timestamp::now();
    let chosen = chosen_ids(&me.sight(), &me.app.world(), &chosen.chosen)?;
    let uses = Uses::of(&me.app, &chosen, days_before(now, LOOKED_BACK)).await?;
    let world = me.app.world();
    let plan = plan_conversion(&world, &chosen)?;
    Ok(Json(plan_view(&world, &me.sight(), &plan, &uses, now)))
}

fn plan_view(world: &World, sight: &Sight, plan: &Plan, uses: &Uses, now: Timestamp) -> PlanView {
    PlanView {
        items: plan.items.iter().filter_map(|item| plan_item_view(world, sight, item, uses, now)).collect(),
        left: plan
            .left
            .iter()
            .map(|(scope, accounts)| LeftView {
                target: world.path(*scope),
                accounts: accounts.iter().map(|account| world.text(*account)).collect(),
                least: world.target_of(*scope).map_or(1, |target| target.emergency_least),
            })
            .collect(),
        digest: plan.digest,
    }
}

fn plan_item_view(world: &World, sight: &Sight, item: &PlanItem, uses: &Uses, now: Timestamp) -> Option<PlanItemView> {
    let held = sight.see(world, world.standing.get(&item.standing)?)?;
    let kind = world.subjects.get(&item.holder).map_or(SubjectKind::Person, |holder| holder.kind);
    let used = use_of(uses.by(item.standing), uses.told(held.target), uses.from, now, &TimeZone::UTC);
    let effective = tempestas_core::effective_terms(world, tempestas_core::Act::Elevate, held.right, item.holder);
    let who = world.subject_name(item.holder);
    let settings = views::effective(world, &effective);
    let (approval, wanted) = (settings.iter().find(|setting| setting.setting == "approval"), effective.wanted());
    Some(PlanItemView {
        standing: views::standing(world, uses.last(), held),
        taken_away: taken_away(world, &held),
        also_lost: item
            .also_lost
            .iter()
            .filter_map(|id| world.standing.get(id))
            .map(|lost| world.right_name(lost.right))
            .collect(),
        may_ask: format!(
            "{who} may ask for {} for up to {}; {}; {}",
            world.right_name(held.right),
            effective.longest.0,
            approval.map(|setting| setting.value.as_str()).unwrap_or_default(),
            if wanted.is_empty() { "nothing to bring".to_owned() } else { format!("with {}", wanted.join(", ")) },
        ),
        rhythm: used.rhythm,
        uses: used.uses,
        advice: advise(&used, kind),
        cautions: cautions(world, &held, Some(&used)).iter().map(Caution::sentence).collect(),
    })
}

/// What is done on the target, in plain words.
pub(super) fn taken_away(world: &World, held: &Standing) -> String {
    let role = world.role_name(held.right.role);
    let handle = held.handle.as_ref().map(|handle| world.words(handle));
    let account = world.text(held.account);
    match world.connector(held.target) {
        Some(Connector::Postgres { .. }) if handle == Some("attribute") => {
            format!("the attribute {role} is taken from the role `{account}`")
        }
        Some(Connector::Postgres { .. }) if handle == Some("create") => {
            format!("CREATE on {} is revoked from `{account}`", world.path(held.right.scope))
        }
        Some(Connector::Postgres { .. }) => format!("the membership of `{account}` in `{role}` is revoked"),
        Some(Connector::Linux { .. }) => match handle.and_then(|handle| handle.split_once(':')) {
            Some(("member", group)) => format!("`{account}` is taken out of the group {group}"),
            Some(("key", _)) => format!("the key `{account}` is taken out of root's authorized_keys"),
            _ => format!("`{account}` is taken out of the line of sudoers that gives it {role}"),
        },
        Some(Connector::Fathom { .. }) => {
            format!("the sheet {role} is unpinned from `{account}` at {}", world.path(held.right.scope))
        }
        Some(Connector::Described { .. }) => {
            format!("`{account}` loses {role} at {}, as its description says", world.path(held.right.scope))
        }
        Some(Connector::Ldap { .. }) => format!("`{account}` is taken out of the group {role}"),
        Some(Connector::Brightwater { .. }) | None => {
            format!("the posting of `{account}` as {role} at {} is withdrawn", world.path(held.right.scope))
        }
    }
}

pub(super) async fn convert(
    Administrator(me): Administrator,
    Body(request): Body<ConvertRequest>,
) -> Answer<ConversionView> {
    let (chosen, pilot) = {
        let (sight, world) = (me.sight(), me.app.world());
        (chosen_ids(&sight, &world, &request.chosen)?, chosen_ids(&sight, &world, &request.pilot)?)
    };
    let plan = WavePlan {
        name: request.name,
        pilot,
        size: request.wave_size,
        pace: request.pace,
        stop_percent: request.stop_percent,
        undo_days: request.undo_days,
    };
    let done =
        me.submit(ConversionCommand::Convert { chosen, shown: request.shown, until: request.until, plan }).await?;
    let id = made(&done, |what| match what {
        What::Converted { conversion, .. } => Some(*conversion),
        _ => None,
    })?;
    shown(&me, &done.world, id)
}

/// A conversion as it stands, if they may see it.
fn shown(me: &SignedIn, world: &World, id: ConversionId) -> Answer<ConversionView> {
    let sight = me.sight();
    let seen = world.conversions.get(&id).and_then(|conversion| sight.see(world, conversion));
    seen.map(|conversion| Json(views::conversion(world, &sight, conversion))).ok_or_else(|| unknown(id))
}

fn unknown(id: ConversionId) -> Failure {
    Failure::unknown("conversion", &id.to_string(), "`tempestas convert list` lists them")
}

pub(super) async fn conversions(
    Overseer(me): Overseer,
    Listed(filter, paging): Listed<OpenFilter>,
) -> Listing<ConversionView> {
    let sight = me.sight();
    let world = me.app.world();
    let wanted = world.conversions.values().filter(|one| !(filter.open && world.is_settled(one.id)));
    let seen = wanted.filter_map(|one| sight.see(&world, one));
    Ok(paging.of(seen, |one| Reverse(one.id))?.map(|one| views::conversion(&world, &sight, one)))
}

pub(super) async fn conversion(Overseer(me): Overseer, At(id): At) -> Answer<ConversionView> {
    shown(&me, &me.app.world(), reference(&id)?)
}

pub(super) async fn undo(Administrator(me): Administrator, At(id): At) -> Answer<ConversionView> {
    let id = reference(&id)?;
    let done = me.submit(ConversionCommand::Undo { conversion: id }).await?;
    shown(&me, &done.world, id)
}

pub(super) async fn next(Administrator(me): Administrator, At(id): At) -> Answer<ConversionView> {
    let id = reference(&id)?;
    let done = me.submit(ConversionCommand::NextWave { conversion: id }).await?;
    shown(&me, &done.world, id)
}
