//! Ways: who can reach what, and how.

use axum::extract::State;
use tempestas_api::{WayView, WaysQuery, WaysReply};
use tempestas_core::{
    Sight, World,
    ways::{Place, Way},
};

use super::{right, scope, seen_subject};
use crate::{
    access::AccessGraph,
    callers::Overseer,
    door::{Answer, Json, Query},
    problem::Failure,
    refused::EdgeRefusal,
};

/// Most that are listed.
const LISTED_MOST: usize = 500;

pub(super) async fn ways(
    Overseer(me): Overseer,
    State(graph): State<AccessGraph>,
    Query(query): Query<WaysQuery>,
) -> Answer<WaysReply> {
    let sight = me.sight();
    let graph = graph.now().await?;
    let world = me.app.world();
    let found = match (query.to.as_deref(), query.of.as_deref()) {
        (Some(to), None) => {
            let (at, only) = if to.contains('@') {
                let right = right(&world, me.person, to)?;
                (right.scope, Some(right))
            } else {
                (scope(&world, me.person, to)?.id, None)
            };
            if !sight.sees_scope(&world, at) {
                return Err(Failure::unknown("scope", to, "`tempestas targets` and `tempestas standing` show paths"));
            }
            graph.to(&world, at, only, LISTED_MOST)
        }
        (None, Some(of)) => {
            let sees = |place: &Place| place.scope().is_none_or(|at| sight.sees_scope(&world, at));
            let who = seen_subject(&world, &sight, of)?;
            graph.of_subject(&world, who, LISTED_MOST, sees)
        }
        _ => return Err(EdgeRefusal::WaysUnsaid.into()),
    };
    Ok(Json(WaysReply {
        total: found.total,
        without_asking: found.without_asking,
        ways: found.ways.iter().map(|way| view(&world, &sight, way)).collect(),
    }))
}

fn view(world: &World, sight: &Sight, way: &Way) -> WayView {
    let seen = |place: &Place| place.scope().is_none_or(|at| sight.sees_scope(world, at));
    let step = |step: &tempestas_core::ways::Step| {
        if seen(&step.from) && seen(&step.to) {
            step.sentence(world)
        } else {
            "by a way through a system that you may not see".to_owned()
        }
    };
    let mut steps: Vec<String> = way.steps.iter().map(step).collect();
    steps.dedup();
    WayView {
        who: world.subject_name(way.who),
        to: way.to.says(world),
        weight: way.to.weight(world),
        on_request: way.on_request,
        steps,
    }
}
