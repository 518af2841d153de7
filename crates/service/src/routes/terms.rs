//! Rules of terms, and what holds.

use tempestas_api::{
    ApprovalView, Done, EffectiveQuery, EffectiveReply, NewTerms, SettingsView, TermsReply, TermsView,
};
use tempestas_core::{
    Act, Approval, Approver, Command, PRECEDENCE, Refusal, Settings, Terms, TermsId, What, World, effective_terms,
};

use super::{made, reference, right, scope, subject};
use crate::{
    callers::{Administrator, Overseer, SignedIn},
    door::{Answer, At, Body, Json, Query},
    problem::Failure,
    views,
};

pub(super) async fn list(Overseer(me): Overseer) -> Answer<TermsReply> {
    let sight = me.sight().await;
    let world = me.app.world().await;
    let seen = world.terms.values().filter(|rule| sight.sees_scope(&world, rule.scope));
    Ok(Json(TermsReply {
        precedence: PRECEDENCE.to_owned(),
        terms: seen.map(|rule| views::terms(&world, rule)).collect(),
    }))
}

fn rule(world: &World, id: TermsId, new: NewTerms) -> Result<Terms, Failure> {
    let SettingsView { longest, usual, starts, reason, ticket, assurance, approval, lapse } = new.settings;
    let approval = approval.map(|approval| approval_of(world, approval)).transpose()?;
    Ok(Terms {
        id,
        act: new.act,
        scope: scope(world, &new.scope)?.id,
        role: new.role,
        weight: new.weight,
        asker: new.asker.map(|asker| subject(world, &asker)).transpose()?,
        settings: Settings { longest, usual, starts, reason, ticket, assurance, approval, lapse },
        pins: new.pins,
        set_by: None,
        set_at: None,
    })
}

fn approval_of(world: &World, approval: ApprovalView) -> Result<Approval, Failure> {
    Ok(match approval {
        ApprovalView::None => Approval::None,
        ApprovalView::Stage { approvers, yes, no, within } => Approval::Stage {
            approvers: approvers
                .iter()
                .map(|name| match name.as_str() {
                    "administrators" => Ok(Approver::Administrators),
                    name => subject(world, name).map(|id| Approver::Subject { id }),
                })
                .collect::<Result<_, _>>()?,
            yes,
            no,
            within,
        },
    })
}

async fn set(me: &SignedIn, id: TermsId, new: NewTerms) -> Answer<TermsView> {
    let terms = rule(&*me.app.world().await, id, new)?;
    let whats = me.submit(Command::SetTerms { terms }).await?;
    let id = made(&whats, |what| match what {
        What::TermsSet { terms, .. } => Some(*terms),
        _ => None,
    })?;
    let world = me.app.world().await;
    let rule = world.terms.get(&id).ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was set is gone")))?;
    Ok(Json(views::terms(&world, rule)))
}

pub(super) async fn add(Administrator(me): Administrator, Body(new): Body<NewTerms>) -> Answer<TermsView> {
    set(&me, TermsId(0), new).await
}

pub(super) async fn change(
    Administrator(me): Administrator,
    At(id): At,
    Body(new): Body<NewTerms>,
) -> Answer<TermsView> {
    let id: TermsId = reference(&id)?;
    if id == TermsId(0) {
        return Err(Failure::unknown("rule of terms", "t0", "`tempestas terms` lists them"));
    }
    set(&me, id, new).await
}

pub(super) async fn end(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(Command::EndTerms { terms: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn effective(me: SignedIn, Query(query): Query<EffectiveQuery>) -> Answer<EffectiveReply> {
    let sight = me.sight().await;
    let world = me.app.world().await;
    let right = right(&world, &query.right)?;
    let asker = query.asker.as_deref().map(|name| subject(&world, name)).transpose()?.unwrap_or(me.person);
    if asker != me.person && !sight.sees_scope(&world, right.scope) {
        return Err(Refusal::NotAllowed(
            "what holds for others is shown to administrators and auditors of the scope".to_owned(),
        )
        .into());
    }
    let effective = effective_terms(&world, Act::Elevate, right, asker);
    Ok(Json(EffectiveReply { precedence: PRECEDENCE.to_owned(), settings: views::effective(&world, &effective) }))
}
