//! Standing rights and eligibilities.

use std::cmp::Reverse;

use jiff::Timestamp;
use tempestas_api::{EligibilityFilter, EligibilityView, EligibleReply, StandingFilter, StandingView, TakesView};
use tempestas_core::{Manner, StandingId, demand_for, demand_to_hold, is_said, label_from, own_rights};

use super::{reference, scope, seen_subject};
use crate::{
    callers::{Overseer, SignedIn},
    door::{Answer, At, Json, Listed, Listing, Tagged, Tagging},
    problem::Failure,
    uses::LastUses,
    views,
};

pub(super) async fn list(
    Overseer(me): Overseer,
    Listed(filter, paging): Listed<StandingFilter>,
) -> Listing<StandingView> {
    let (sight, last) = (me.sight(), LastUses::read(&me.app).await?);
    let world = me.app.world();
    let at = filter.at.as_deref().map(|path| scope(&world, me.person, path)).transpose()?.map(|scope| scope.id);
    let who = filter.who.as_deref().map(|name| seen_subject(&world, &sight, name)).transpose()?;
    let label = filter.label.as_deref().map(label_from).transpose()?;
    let says = filter.says.as_deref().map(label_from).transpose()?;
    let mut seen: Vec<(StandingId, StandingView)> = Vec::new();
    let overseen = world.standing.values().filter(|held| sight.sees_scope(&world, held.right.scope));
    for held in overseen.filter_map(|held| sight.see(&world, held)) {
        let mut shown = views::standing(&world, &last, held);
        if let Some(at) = at {
            let reaches_down = world.is_within(at, held.right.scope);
            if !reaches_down && !world.is_within(held.right.scope, at) {
                continue;
            }
            if reaches_down && at != held.right.scope {
                shown.chain.insert(0, format!("a posting above, at {}", world.path(held.right.scope)));
            }
        }
        let in_group = world.targets.get(&held.target).is_some_and(|target| {
            label.is_none_or(|(name, value)| is_said(&target.labels, name, value))
                && says.is_none_or(|(name, value)| is_said(&target.attributes, name, value))
        });
        if !in_group {
            continue;
        }
        if who.is_some_and(|who| world.owner_of(&held).is_none_or(|holder| !world.belongs_to(holder, who))) {
            continue;
        }
        if filter.against_terms && shown.against.is_none() {
            continue;
        }
        if filter.role.as_ref().is_some_and(|role| *role != shown.role) {
            continue;
        }
        seen.push((held.id, shown));
    }
    let page = paging.of(seen.into_iter(), |(id, one)| {
        (one.scope.clone(), Reverse(one.weight), one.role.clone(), one.account.clone(), *id)
    })?;
    Ok(page.map(|(_, one)| one))
}

pub(super) async fn show(Overseer(me): Overseer, At(id): At) -> Answer<StandingView> {
    let (sight, last) = (me.sight(), LastUses::read(&me.app).await?);
    let world = me.app.world();
    let known = world.standing.get(&reference(&id)?).and_then(|held| sight.see(&world, held));
    let unknown = || Failure::unknown("standing right", &id, "`tempestas standing` lists them");
    Ok(Json(views::standing(&world, &last, known.ok_or_else(unknown)?)))
}

pub(super) async fn eligible(me: SignedIn) -> Answer<EligibleReply> {
    let now = Timestamp::now();
    let sight = me.sight();
    let world = me.app.world();
    let eligible: Vec<EligibilityView> = own_rights(&world, me.person, now)
        .into_iter()
        .filter_map(|held| sight.see(&world, held))
        .map(|held| {
            let demand = demand_for(&world, me.person, held.right, now);
            let glass = Manner { glass: true, ..Manner::default() };
            let may_break_glass = demand_to_hold(&world, me.person, held.right, now, glass).is_ok();
            let takes = match demand.and_then(|demand| me.ensure_from_here(&world, &demand).map(|()| demand)) {
                Ok(demand) => TakesView {
                    may_break_glass,
                    brief: demand.brief(&world),
                    sentence: Some(demand.sentence(&world, demand.terms.longest.0, demand.terms.starts.unsaid(), now)),
                },
                Err(refusal) => TakesView { brief: refusal.to_string(), sentence: None, may_break_glass },
            };
            views::eligibility(&world, held, Some(takes))
        })
        .collect();
    let empty_because = eligible.is_empty().then(|| {
        "nobody has made you, or a group of yours, eligible for anything; an administrator can, once you tell them which right your work needs".to_owned()
    });
    Ok(Json(EligibleReply { eligible, empty_because }))
}

pub(super) async fn eligibilities(
    Overseer(me): Overseer,
    Listed(filter, paging): Listed<EligibilityFilter>,
) -> Listing<EligibilityView> {
    let sight = me.sight();
    let world = me.app.world();
    let who = filter.who.as_deref().map(|name| seen_subject(&world, &sight, name)).transpose()?;
    let at = filter.at.as_deref().map(|path| scope(&world, me.person, path)).transpose()?.map(|scope| scope.id);
    let wanted = world.eligibilities.values().filter(|held| {
        sight.sees_scope(&world, held.right.scope)
            && at.is_none_or(|at| world.is_within(held.right.scope, at))
            && who.is_none_or(|who| world.belongs_to(who, held.subject))
    });
    let seen = wanted.filter_map(|held| sight.see(&world, held));
    Ok(paging.of(seen, |held| held.id)?.map(|held| views::eligibility(&world, held, None)))
}

pub(super) async fn eligibility(me: SignedIn, At(id): At) -> Tagging<EligibilityView> {
    let sight = me.sight();
    let world = me.app.world();
    let unknown = || Failure::unknown("eligibility", &id, "`tempestas eligible` lists your own");
    let held =
        world.eligibilities.get(&reference(&id)?).and_then(|held| sight.see(&world, held)).ok_or_else(unknown)?;
    Ok(Tagged(held.digest(), views::eligibility(&world, held, None)))
}
