//! Conversions and drift, as replies show them.

use tempestas_api::{ConversionView, DriftStateView, DriftView, ItemView, WavesView};
use tempestas_core::{Conversion, Drift, DriftState, Item, Sight, Visible, World};

/// A conversion, with those of its rights that the caller sees.
pub(crate) fn conversion(world: &World, sight: &Sight, conversion: Visible<'_, Conversion>) -> ConversionView {
    let seen = |item: &&Item| sight.sees_scope(world, item.standing.right.scope);
    let mut items: Vec<&Item> = world.items_of(conversion.id).filter(seen).collect();
    items.sort_by_key(|item| item.wave);
    let settled = world.is_settled(conversion.id);
    ConversionView {
        id: conversion.id.to_string(),
        name: conversion.waves.as_ref().and_then(|waves| waves.name.as_ref()).map(|name| world.words(name).to_owned()),
        by: world.subject_name(conversion.by),
        at: conversion.at,
        undone_at: conversion.undone_at,
        settled,
        waves: conversion.waves.as_ref().map(|waves| WavesView {
            count: waves.count,
            begun: waves.begun,
            goes_on_at: conversion.goes_on_at(),
            may_go_on: conversion.next_wave().is_some() && (settled || waves.stopped.is_some()),
            stopped: waves.stopped.clone(),
            stop_percent: waves.stop_percent,
            undo_until: waves.undo_until,
        }),
        items: items
            .into_iter()
            .map(|item| ItemView {
                standing: item.standing.id.to_string(),
                account: world.text(item.standing.account),
                right: world.right_name(item.standing.right),
                state: item.state,
                trouble: item.trouble.clone(),
                wave: item.wave + 1,
            })
            .collect(),
    }
}

/// Something that a survey saw, and what was decided about it.
pub(crate) fn drift(world: &World, drift: Visible<'_, Drift>) -> DriftView {
    let (state, by, reason, at, conversion) = match &drift.state {
        DriftState::Open => (DriftStateView::Open, None, None, None, None),
        DriftState::Adopted { by, at } => (DriftStateView::Adopted, Some(*by), None, Some(*at), None),
        DriftState::PutBack { conversion } => {
            let by = world.conversions.get(conversion).map(|one| one.by);
            (DriftStateView::PutBack, by, None, None, Some(conversion.to_string()))
        }
        DriftState::Ignored { by, reason, until } => {
            (DriftStateView::Ignored, Some(*by), Some(world.text(*reason)), Some(*until), None)
        }
        DriftState::Over { at } => (DriftStateView::Over, None, None, Some(*at), None),
    };
    let words = drift.sentence(world);
    DriftView {
        id: drift.id.to_string(),
        target: world.path(drift.target),
        account: world.text(drift.standing.account),
        who: world.owner_of(&drift.standing).map(|who| world.subject_name(who)),
        right: world.right_name(drift.standing.right),
        weight: drift.weight,
        says: words.to_string(),
        words,
        against: drift.standing.stands_against(world).map(|rule| rule.to_string()),
        since: drift.since,
        state,
        by: by.map(|by| world.subject_name(by)),
        reason,
        at,
        conversion,
    }
}
