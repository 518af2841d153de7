//! Standing rights, conversions, eligibilities.

use jiff::Timestamp;
use tempestas_api::{
    Chosen, ConversionView, ConvertRequest, Done, EligibilityView, EligibleReply, LeftView, NewEligibility,
    PlanItemView, PlanView, StandingFilter, StandingView,
};
use tempestas_core::{
    Command, Connector, Owners, Plan, PlanItem, Sight, Standing, StandingId, StartChoice, What, World, demand_for,
    own_rights, plan_conversion,
};

use super::{made, reference, right, scope, subject};
use crate::{
    callers::{Administrator, Overseer, SignedIn},
    door::{Answer, At, Body, Json, Query},
    problem::Failure,
    views,
};

pub(super) async fn list(Overseer(me): Overseer, Query(filter): Query<StandingFilter>) -> Answer<Vec<StandingView>> {
    let sight = me.sight().await;
    let world = me.app.world().await;
    let at = filter.at.as_deref().map(|path| scope(&world, path)).transpose()?.map(|scope| scope.id);
    let who = filter.who.as_deref().map(|name| subject(&world, name)).transpose()?;
    let owners = world.owners();
    let mut seen: Vec<StandingView> = Vec::new();
    for held in world.standing.values().filter(|held| sight.sees_scope(&world, held.right.scope)) {
        let mut shown = views::standing(&world, &owners, held);
        if let Some(at) = at {
            let reaches_down = world.is_within(at, held.right.scope);
            if !reaches_down && !world.is_within(held.right.scope, at) {
                continue;
            }
            if reaches_down && at != held.right.scope {
                shown.chain.insert(0, format!("a posting above, at {}", world.path(held.right.scope)));
            }
        }
        if who.is_some_and(|who| owners.of(held).is_none_or(|holder| !world.belongs_to(holder, who))) {
            continue;
        }
        if filter.role.as_ref().is_some_and(|role| *role != shown.role) {
            continue;
        }
        seen.push(shown);
    }
    seen.sort_by(|a, b| {
        (&a.scope, std::cmp::Reverse(a.weight), &a.role, &a.account).cmp(&(
            &b.scope,
            std::cmp::Reverse(b.weight),
            &b.role,
            &b.account,
        ))
    });
    Ok(Json(seen))
}

fn chosen_ids(sight: &Sight, world: &World, chosen: &[String]) -> Result<Vec<StandingId>, Failure> {
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
    let sight = me.sight().await;
    let world = me.app.world().await;
    let plan = plan_conversion(&world, &chosen_ids(&sight, &world, &chosen.chosen)?)?;
    Ok(Json(plan_view(&world, &plan)))
}

fn plan_view(world: &World, plan: &Plan) -> PlanView {
    let owners = world.owners();
    PlanView {
        items: plan.items.iter().filter_map(|item| plan_item_view(world, &owners, item)).collect(),
        left: plan
            .left
            .iter()
            .map(|(target, accounts)| LeftView {
                target: world.path(*target),
                accounts: accounts.iter().map(|account| world.text(*account)).collect(),
                least: world.targets.get(target).map_or(1, |target| target.emergency_least),
            })
            .collect(),
        digest: plan.digest,
    }
}

fn plan_item_view(world: &World, owners: &Owners<'_>, item: &PlanItem) -> Option<PlanItemView> {
    let held = world.standing.get(&item.standing)?;
    let effective = tempestas_core::effective_terms(world, tempestas_core::Act::Elevate, held.right, item.holder);
    let who = world.subject_name(item.holder);
    let settings = views::effective(world, &effective);
    let value = |name: &str| {
        settings.iter().find(|setting| setting.setting == name).map(|setting| setting.value.clone()).unwrap_or_default()
    };
    Some(PlanItemView {
        standing: views::standing(world, owners, held),
        taken_away: taken_away(world, held),
        also_lost: item
            .also_lost
            .iter()
            .filter_map(|id| world.standing.get(id))
            .map(|lost| world.right_name(lost.right))
            .collect(),
        may_ask: format!(
            "{who} may ask for {} for up to {}; {}; reason {}; ticket {}",
            world.right_name(held.right),
            effective.longest,
            value("approval"),
            value("reason"),
            value("ticket"),
        ),
    })
}

/// What is done on the target, in plain words.
fn taken_away(world: &World, held: &Standing) -> String {
    let role = world.roles.get(&held.right.role).map_or("?", |role| role.name.as_str());
    let account = world.text(held.account);
    match world.connector(held.target) {
        Some(Connector::Postgres { .. }) if held.handle.as_deref() == Some("attribute") => {
            format!("the attribute {role} is taken from the role `{account}`")
        }
        Some(Connector::Postgres { .. }) => format!("the membership of `{account}` in `{role}` is revoked"),
        Some(Connector::Linux { .. }) => match held.handle.as_deref().and_then(|handle| handle.split_once(':')) {
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
    let chosen = chosen_ids(&me.sight().await, &*me.app.world().await, &request.chosen)?;
    let whats = me.submit(Command::Convert { chosen, shown: request.shown, until: request.until }).await?;
    let id = made(&whats, |what| match what {
        What::Converted { conversion, .. } => Some(*conversion),
        _ => None,
    })?;
    let world = me.app.world().await;
    world
        .conversions
        .get(&id)
        .map(|conversion| Json(views::conversion(&world, conversion)))
        .ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was made is gone")))
}

pub(super) async fn conversions(Overseer(me): Overseer) -> Answer<Vec<ConversionView>> {
    let sight = me.sight().await;
    let world = me.app.world().await;
    let seen =
        world.conversions.values().rev().filter(|conversion| {
            conversion.items.iter().any(|item| sight.sees_scope(&world, item.standing.right.scope))
        });
    Ok(Json(seen.map(|conversion| views::conversion(&world, conversion)).collect()))
}

pub(super) async fn undo(Administrator(me): Administrator, At(id): At) -> Answer<ConversionView> {
    let id = reference(&id)?;
    me.submit(Command::UndoConversion { conversion: id }).await?;
    let world = me.app.world().await;
    world
        .conversions
        .get(&id)
        .map(|conversion| Json(views::conversion(&world, conversion)))
        .ok_or_else(|| Failure::unknown("conversion", &id.to_string(), "`tempestas convert list` lists them"))
}

pub(super) async fn eligible(me: SignedIn) -> Answer<EligibleReply> {
    let now = Timestamp::now();
    let world = me.app.world().await;
    let eligible: Vec<EligibilityView> = own_rights(&world, me.person, now)
        .into_iter()
        .map(|held| {
            let demand = match demand_for(&world, me.person, held.right, now) {
                Ok(demand) => demand.sentence(&world, demand.terms.longest, StartChoice::AtYes),
                Err(refusal) => format!("not at present: {refusal}"),
            };
            views::eligibility(&world, held, Some(demand))
        })
        .collect();
    let empty_because = eligible.is_empty().then(|| {
        "nobody has made you, or a group of yours, eligible for anything; an administrator can, once you tell them which right your work needs".to_owned()
    });
    Ok(Json(EligibleReply { eligible, empty_because }))
}

pub(super) async fn eligibilities(Overseer(me): Overseer) -> Answer<Vec<EligibilityView>> {
    let sight = me.sight().await;
    let world = me.app.world().await;
    let seen = world.eligibilities.values().filter(|held| sight.sees_scope(&world, held.right.scope));
    Ok(Json(seen.map(|held| views::eligibility(&world, held, None)).collect()))
}

pub(super) async fn give(Administrator(me): Administrator, Body(new): Body<NewEligibility>) -> Answer<EligibilityView> {
    let (subject, right) = {
        let world = me.app.world().await;
        (subject(&world, &new.who)?, right(&world, &new.right)?)
    };
    let whats = me.submit(Command::GiveEligibility { subject, right, from: new.from, until: new.until }).await?;
    let id = made(&whats, |what| match what {
        What::EligibilityGiven { eligibility, .. } => Some(*eligibility),
        _ => None,
    })?;
    let world = me.app.world().await;
    let held = world.eligibilities.get(&id).ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was made is gone")))?;
    Ok(Json(views::eligibility(&world, held, None)))
}

pub(super) async fn end(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(Command::EndEligibility { eligibility: reference(&id)? }).await?;
    Ok(Json(Done {}))
}
