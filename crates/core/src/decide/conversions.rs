//! Converting standing rights, and undoing it.

use jiff::Timestamp;

use super::{Draft, terms};
use crate::{
    Command, Conversion, ConversionId, Digest, EligibilityId, Item, ItemState, Key, Kind, Refusal, Row, StandingId,
    What, plan_conversion,
};

pub(super) fn decide(draft: &mut Draft<'_>, command: &Command) -> Result<(), Refusal> {
    match command {
        Command::Convert { chosen, shown, until } => convert(draft, chosen, *shown, *until),
        Command::UndoConversion { conversion } => undo(draft, *conversion),
        Command::StandingTaken { conversion, standing } => taken(draft, *conversion, *standing),
        Command::StandingRestored { conversion, standing, by_others } => {
            restored(draft, *conversion, *standing, *by_others)
        }
        Command::StandingDelayed { conversion, standing, trouble } => delayed(draft, *conversion, *standing, trouble),
        _ => Ok(()),
    }
}

fn convert(
    draft: &mut Draft<'_>,
    chosen: &[StandingId],
    shown: Digest,
    until: Option<Timestamp>,
) -> Result<(), Refusal> {
    let by = draft.person()?;
    let plan = plan_conversion(draft.world, chosen)?;
    for (target, _) in &plan.left {
        draft.administrator(*target)?;
    }
    if plan.digest != shown {
        return Err(Refusal::Changed("who holds what on the targets has changed since the preview".to_owned()));
    }
    if until.is_some_and(|until| until <= draft.now()) {
        return Err(Refusal::invalid("the eligibilities would be over already; give a later end"));
    }
    let id: ConversionId = draft.id();
    let mut items = Vec::with_capacity(plan.items.len());
    for planned in &plan.items {
        let Some(standing) = draft.world.standing.get(&planned.standing).cloned() else { continue };
        let same = draft
            .world
            .eligibilities
            .values()
            .find(|held| held.subject == planned.holder && held.right == standing.right && held.until.is_none());
        let eligibility: EligibilityId = match same {
            Some(held) => held.id,
            None => {
                let eligibility = draft.id();
                terms::give(draft, eligibility, planned.holder, standing.right, draft.now(), until);
                eligibility
            }
        };
        items.push(Item { standing, eligibility, state: ItemState::Taking, trouble: None });
    }
    let rights = u32::try_from(items.len()).unwrap_or(u32::MAX);
    let conversion = Conversion { id, by, at: draft.now(), items, undone_at: None };
    draft.fact(What::Converted { conversion: id, rights }, vec![Row::Conversion(conversion)]);
    Ok(())
}

fn known(draft: &Draft<'_>, id: ConversionId) -> Result<Conversion, Refusal> {
    draft
        .world
        .conversions
        .get(&id)
        .cloned()
        .ok_or_else(|| Refusal::unknown("conversion", id, "`tempestas convert list` lists them"))
}

fn undo(draft: &mut Draft<'_>, id: ConversionId) -> Result<(), Refusal> {
    draft.person()?;
    let mut conversion = known(draft, id)?;
    for item in &conversion.items {
        draft.administrator(item.standing.target)?;
    }
    if let Some(at) = conversion.undone_at {
        return Err(Refusal::conflict(format!("{id} was undone at {at}")));
    }
    conversion.undone_at = Some(draft.now());
    for item in &mut conversion.items {
        item.state = ItemState::Restoring;
        item.trouble = None;
        // The eligibility stays where somebody changed it in between: then it isn't this conversion's any more.
        let made = draft
            .world
            .eligibilities
            .get(&item.eligibility)
            .filter(|held| held.right == item.standing.right && held.from == conversion.at);
        match made.cloned() {
            Some(held) => terms::end(draft, &held),
            None => item.trouble = Some("the eligibility was changed or ended since, and is left as it is".to_owned()),
        }
    }
    draft.fact(What::ConversionUndone { conversion: id }, vec![Row::Conversion(conversion)]);
    Ok(())
}

fn with_item(conversion: &mut Conversion, standing: StandingId, state: ItemState) -> Option<&mut Item> {
    conversion.items.iter_mut().find(|item| item.standing.id == standing && item.state == state)
}

fn taken(draft: &mut Draft<'_>, id: ConversionId, standing: StandingId) -> Result<(), Refusal> {
    draft.keeper()?;
    let mut conversion = known(draft, id)?;
    let Some(item) = with_item(&mut conversion, standing, ItemState::Taking) else { return Ok(()) };
    item.state = ItemState::Taken;
    item.trouble = None;
    let target = item.standing.target;
    let cut = vec![Key { kind: Kind::Standing, id: standing.0.to_string() }];
    draft.fact_cutting(
        What::StandingTaken { conversion: id, standing, target },
        vec![Row::Conversion(conversion)],
        cut,
    );
    Ok(())
}

fn restored(draft: &mut Draft<'_>, id: ConversionId, standing: StandingId, by_others: bool) -> Result<(), Refusal> {
    draft.keeper()?;
    let mut conversion = known(draft, id)?;
    let Some(item) = with_item(&mut conversion, standing, ItemState::Restoring) else { return Ok(()) };
    item.state = if by_others { ItemState::Superseded } else { ItemState::Restored };
    if by_others {
        item.trouble = Some("somebody had put it back on the target before the undo".to_owned());
    }
    let row = Row::Standing(item.standing.clone());
    let target = item.standing.target;
    draft.fact(What::StandingRestored { conversion: id, standing, target }, vec![Row::Conversion(conversion), row]);
    Ok(())
}

fn delayed(draft: &mut Draft<'_>, id: ConversionId, standing: StandingId, trouble: &str) -> Result<(), Refusal> {
    draft.keeper()?;
    let mut conversion = known(draft, id)?;
    let Some(item) = conversion.items.iter_mut().find(|item| item.standing.id == standing) else { return Ok(()) };
    if item.trouble.as_deref() == Some(trouble) {
        return Ok(());
    }
    item.trouble = Some(trouble.to_owned());
    let target = item.standing.target;
    draft.fact(
        What::StandingDelayed { conversion: id, standing, target, trouble: trouble.to_owned() },
        vec![Row::Conversion(conversion)],
    );
    Ok(())
}
