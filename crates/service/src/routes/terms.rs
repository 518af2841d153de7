//! Rules of terms, and what holds.

use tempestas_api::{Done, EffectiveQuery, EffectiveReply, NewTerms, SuspendRequest, TermsReply, TermsView};
use tempestas_core::{
    PRECEDENCE, Said, Settings, SubjectId, Terms, TermsCommand, TermsId, Validity, What, World, effective_terms,
};
use tempestas_engine::Outcome;

use super::{made, reference, right, scope, subject};
use crate::{
    callers::{Administrator, Overseer, SignedIn},
    door::{Answer, At, Body, Json, Looked, Query, Tagged, Tagging, Whole},
    problem::Failure,
    views,
};

pub(super) async fn list(Overseer(me): Overseer) -> Answer<TermsReply> {
    let sight = me.sight();
    let world = me.app.world();
    let seen = world.terms.values().filter_map(|rule| sight.see(&world, rule));
    Ok(Json(TermsReply {
        precedence: PRECEDENCE.to_owned(),
        terms: seen.map(|rule| views::terms(&world, rule)).collect(),
    }))
}

pub(super) async fn show(Overseer(me): Overseer, At(id): At) -> Tagging<TermsView> {
    let sight = me.sight();
    let world = me.app.world();
    let known = world.terms.get(&reference(&id)?).and_then(|rule| sight.see(&world, rule));
    let unknown = || Failure::unknown("rule of terms", &id, "`tempestas terms` lists them");
    let shown = views::terms(&world, known.ok_or_else(unknown)?);
    Ok(Tagged(shown.digest, shown))
}

pub(super) fn rule(world: &World, me: SubjectId, id: TermsId, new: NewTerms) -> Result<Terms, Failure> {
    let settings = Settings::read(new.settings, |name| subject(world, name))?;
    Ok(Terms {
        id,
        role: new.role.map(Into::into),
        weight: new.weight,
        asker: new.asker.map(|asker| subject(world, &asker)).transpose()?,
        labels: new.labels,
        attributes: new.attributes,
        pins: new.pins,
        valid: Validity { from: new.valid_from, until: new.valid_until },
        ..Terms::new(scope(world, me, &new.scope)?.id, new.act, settings)
    })
}

fn was_set(me: &SignedIn, outcome: Outcome) -> Answer<TermsView> {
    let done = outcome?;
    let id = made(&done, |what| match what {
        What::TermsSet { terms, .. } => Some(*terms),
        _ => None,
    })?;
    let rule = done.world.terms.get(&id).and_then(|rule| me.sight().see(&done.world, rule));
    let rule = rule.ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was set is gone")))?;
    Ok(Json(views::terms(&done.world, rule)))
}

pub(super) async fn add(Administrator(me): Administrator, Body(new): Body<NewTerms>) -> Answer<TermsView> {
    let terms = rule(&me.app.world(), me.person, TermsId(0), new)?;
    let outcome = me.submit(TermsCommand::Set { terms }).await;
    was_set(&me, outcome)
}

pub(super) async fn change(
    Administrator(me): Administrator,
    At(id): At,
    Looked(looked_at): Looked,
    Whole(new): Whole<NewTerms>,
) -> Answer<TermsView> {
    let id: TermsId = reference(&id)?;
    if id == TermsId(0) {
        return Err(Failure::unknown("rule of terms", "t0", "`tempestas terms` lists them"));
    }
    let terms = rule(&me.app.world(), me.person, id, new)?;
    let outcome = me.change(looked_at, TermsCommand::Set { terms }).await;
    was_set(&me, outcome)
}

pub(super) async fn end(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(TermsCommand::End { terms: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn suspend(
    Administrator(me): Administrator,
    At(id): At,
    Body(why): Body<SuspendRequest>,
) -> Answer<Done> {
    me.submit(TermsCommand::Suspend { terms: reference(&id)?, reason: Said::new(why.reason) }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn resume(Administrator(me): Administrator, At(id): At) -> Answer<Done> {
    me.submit(TermsCommand::Resume { terms: reference(&id)? }).await?;
    Ok(Json(Done {}))
}

pub(super) async fn effective(me: SignedIn, Query(query): Query<EffectiveQuery>) -> Answer<EffectiveReply> {
    let sight = me.sight();
    let world = me.app.world();
    let right = right(&world, me.person, &query.right)?;
    let asker = match query.asker.as_deref() {
        None => me.person,
        Some(name) => {
            // The same for somebody who is not there and for one whom the caller doesn't see.
            let unknown =
                || Failure::unknown("person, group or program", name, "`tempestas people` lists those you see");
            let seen = |id: &SubjectId| {
                *id == me.person || sight.sees_scope(&world, right.scope) && sight.sees_subject(&world, *id)
            };
            subject(&world, name).ok().filter(seen).ok_or_else(unknown)?
        }
    };
    let effective = effective_terms(&world, query.act, right, asker);
    let mut settings = views::effective(&world, &effective);
    settings.retain(|one| query.act.knows(&one.setting));
    Ok(Json(EffectiveReply { precedence: PRECEDENCE.to_owned(), settings }))
}
