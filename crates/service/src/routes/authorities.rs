//! The SSH certificate authorities: which hosts trust them, and one pair following another.

use tempestas_api::{AuthoritiesStep, AuthoritiesView, HostTrust, RotationStage};
use tempestas_core::{Command, Connector, EstateRefusal, Note, Refusal, ScopeId};

use crate::{
    authorities::{self, Signs, digest, trusted},
    callers::{Administrator, Overseer, SignedIn},
    door::{Answer, Body, Json},
    problem::Failure,
    refused::EdgeRefusal,
};

async fn hosts(me: &SignedIn) -> Result<Vec<HostTrust>, Failure> {
    let hosts: Vec<(ScopeId, String)> = {
        let (sight, world) = (me.sight(), me.app.world());
        let is_host = |target: &&tempestas_core::Target| {
            matches!(target.connector, Connector::Linux { .. }) && sight.sees_scope(&world, target.scope)
        };
        world.targets.values().filter(is_host).map(|target| (target.scope, world.path(target.scope))).collect()
    };
    let mut told = Vec::with_capacity(hosts.len());
    for (scope, path) in hosts {
        let wanted = digest(&trusted(&me.app, scope).await?);
        told.push(HostTrust {
            path,
            told: me.app.statuses().trusts(scope) == Some(wanted),
            trouble: me.app.statuses().of(scope).trouble,
        });
    }
    Ok(told)
}

async fn view(me: &SignedIn) -> Answer<AuthoritiesView> {
    let stage = authorities::rotation(&me.app).await?;
    Ok(Json(AuthoritiesView {
        stage,
        says: match stage {
            RotationStage::Steady => "one pair signs, and no other is trusted",
            RotationStage::Announced => "a next pair is announced to hosts; the present one still signs",
            RotationStage::Switched => "the new pair signs; hosts trust the past one still",
        }
        .to_owned(),
        people: authorities::fingerprints(&me.app, Signs::People).await?,
        orders: authorities::fingerprints(&me.app, Signs::Orders).await?,
        hosts: hosts(me).await?,
    }))
}

pub(super) async fn show(Overseer(me): Overseer) -> Answer<AuthoritiesView> {
    view(&me).await
}

/// Takes the one step that follows the stage which was looked at.
pub(super) async fn step(
    Administrator(me): Administrator,
    Body(step): Body<AuthoritiesStep>,
) -> Answer<AuthoritiesView> {
    let root = me.app.world().root.ok_or(Refusal::from(EstateRefusal::NotFounded))?;
    me.administers(root)?;
    let stage = authorities::rotation(&me.app).await?;
    if stage != step.from {
        return Err(EdgeRefusal::AuthoritiesChanged.into());
    }
    if stage != RotationStage::Steady && !step.leave_behind {
        let behind: Vec<String> =
            hosts(&me).await?.into_iter().filter(|host| !host.told).map(|host| host.path).collect();
        if !behind.is_empty() {
            return Err(EdgeRefusal::HostsUntold { hosts: behind }.into());
        }
    }
    let changes = authorities::step(&me.app, stage).await?;
    let command = Command::Note(Note::AuthoritiesChanged { step: stage.step().to_owned() });
    me.submit_with(command, |_| Ok(changes)).await?;
    me.app.statuses().authorities_changed();
    view(&me).await
}
