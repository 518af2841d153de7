//! Converting standing rights, and undoing it.

use jiff::Timestamp;

use super::{
    alarms, appointments,
    deciding::{Deciding, Draft, count},
    proofs::{AdministersEach, Person, Reporting},
};
use crate::{
    Act, AlarmKind, Approval, AskRefusal, Conversion, ConversionCommand, ConversionId, ConversionRefusal, Digest,
    Eligibility, EligibilityId, Item, ItemState, Key, Kind, Pair, PlanItem, Refusal, Row, ScopeId, SeparationRefusal,
    StandingId, SubjectId, WavePlan, What,
    appointment::{ensure_lasts, longest_eligibility, making},
    due::Due,
    effective_terms,
    influence::{INFLUENCE_LASTS, is_touched, weakened_lately},
    later, plan_conversion,
    separation::newly_broken,
};

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &ConversionCommand) -> Result<(), Refusal> {
    let person = deciding.person()?;
    match command {
        ConversionCommand::Convert { chosen, shown, until, plan } => {
            convert(deciding, person, chosen, *shown, *until, plan)
        }
        ConversionCommand::NextWave { conversion } => next_wave(deciding, *conversion),
        ConversionCommand::Undo { conversion } => undo(deciding, person, *conversion),
    }
}

fn convert(
    deciding: &mut Deciding<'_>,
    person: Person,
    chosen: &[StandingId],
    shown: Digest,
    until: Option<Timestamp>,
    waves: &WavePlan,
) -> Result<(), Refusal> {
    let by = person.id();
    let plan = plan_conversion(deciding.world, chosen)?;
    let rights = chosen.iter().filter_map(|id| deciding.world.standing.get(id));
    let administers = deciding.administers_each(rights.map(|right| right.target))?;
    if plan.digest != shown {
        return Err(ConversionRefusal::PlanChanged.into());
    }
    if until.is_some_and(|until| until <= deciding.now()) {
        return Err(ConversionRefusal::OverAlready.into());
    }
    ensure_not_too_long(deciding, &plan.items, until)?;
    ensure_no_own_gain(deciding, by, &plan.items)?;
    waves.check(chosen)?;
    // A right that is being taken away by another conversion isn't taken twice.
    let taken_by = |planned: &PlanItem| Some((planned.standing, under_way(deciding, planned.standing)?));
    if let Some((standing, other)) = plan.items.iter().find_map(taken_by) {
        return Err(ConversionRefusal::ConvertedAlready { standing, other }.into());
    }
    let draft = &mut deciding.by(administers);
    let id: ConversionId = draft.id();
    let order: Vec<StandingId> = plan.items.iter().map(|planned| planned.standing).collect();
    let wave_of = waves.wave_of(&order);
    let mut items = Vec::with_capacity(plan.items.len());
    for (planned, wave) in plan.items.iter().zip(&wave_of) {
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
                let (subject, right, from) = (planned.holder, standing.right, draft.now());
                let row = Eligibility { id: eligibility, subject, right, from, until, by: None, paused: None };
                appointments::give(draft, row);
                eligibility
            }
        };
        let state = if *wave == 0 { ItemState::Taking } else { ItemState::Waiting };
        let eligibility = Some(eligibility);
        items.push(Item { conversion: id, standing, eligibility, state, trouble: None, wave: *wave, at: None });
    }
    let rights = count(items.len());
    let name = waves.name.as_deref().map(|name| draft.words(name.trim()));
    let waves = Some(waves.waves(name, &wave_of, draft.now()));
    let conversion = Conversion { id, by, at: draft.now(), undone_at: None, waves };
    draft.fact(What::Converted { conversion: id, rights }, with_items(conversion, items));
    Ok(())
}

/// The rows of a conversion and of its rights.
fn with_items(conversion: Conversion, items: impl IntoIterator<Item = Item>) -> Vec<Row> {
    std::iter::once(Row::Conversion(conversion)).chain(items.into_iter().map(Row::Item)).collect()
}

/// Refuses eligibilities that would last longer than the terms let them.
fn ensure_not_too_long(deciding: &Deciding<'_>, items: &[PlanItem], until: Option<Timestamp>) -> Result<(), Refusal> {
    for planned in items {
        let Some(right) = deciding.world.standing.get(&planned.standing).map(|held| held.right) else { continue };
        let Some(longest) = longest_eligibility(deciding.world, planned.holder, right) else { continue };
        ensure_lasts(deciding.world, (longest, right), deciding.now(), until)?;
    }
    Ok(())
}

/// Refuses to make the caller, or somebody who is their hand, eligible on the caller's own word, where the terms demand
/// another's: an account that nobody owned could be said to be theirs, and its rights converted to them.
fn ensure_no_own_gain(deciding: &Deciding<'_>, by: SubjectId, items: &[PlanItem]) -> Result<(), Refusal> {
    let (world, now) = (deciding.world, deciding.now());
    for planned in items {
        let Some(held) = world.standing.get(&planned.standing) else { continue };
        let is_own = world.human(planned.holder) == world.human(by)
            || is_touched(world, planned.holder, by, now)
            || said_lately(deciding, by, planned.holder, held.target);
        if is_own && !making(world, Some(by), planned.holder, &[held.right], false, now)?.stages.is_empty() {
            let (who, right) = (world.subject_name(planned.holder), world.right_name(held.right));
            return Err(ConversionRefusal::OwnGain { standing: planned.standing, who, right }.into());
        }
    }
    Ok(())
}

/// Whether `me` said within a day whose account that is.
fn said_lately(deciding: &Deciding<'_>, me: SubjectId, owner: SubjectId, target: ScopeId) -> bool {
    let (world, now) = (deciding.world, deciding.now());
    world.account_of(owner, target).is_some_and(|account| {
        account.set_at.is_some_and(|at| later(at, INFLUENCE_LASTS) > now)
            && account.set_by.is_some_and(|who| world.human(who) == world.human(me))
    })
}

/// Refuses to give the caller a standing right back on their own word, where elevating to it would demand another's.
pub(super) fn ensure_no_own_return(
    deciding: &Deciding<'_>,
    me: SubjectId,
    held: &crate::Standing,
) -> Result<(), Refusal> {
    let world = deciding.world;
    let Some(owner) = world.holder_of(held.target, held.account) else { return Ok(()) };
    let is_own = world.human(owner) == world.human(me);
    if is_own && weakened_lately(world, me, deciding.now()) {
        return Err(AskRefusal::Weakened.into());
    }
    if is_own && effective_terms(world, Act::Elevate, held.right, owner).approval != Approval::None {
        let (who, right) = (world.subject_name(owner), world.right_name(held.right));
        return Err(ConversionRefusal::OwnReturn { who, right }.into());
    }
    Ok(())
}

/// Refuses what would leave somebody with a right all the time, where the terms let nobody like them hold it so.
pub(super) fn ensure_may_stand(deciding: &Deciding<'_>, held: &crate::Standing) -> Result<(), Refusal> {
    let world = deciding.world;
    let owner = world.owner_of(held);
    if let Some(owner) = owner
        && let Some(separation) = newly_broken(world, &[Row::Standing(held.clone())], owner, deciding.now())
    {
        let (who, right) = (world.subject_name(owner), world.right_name(held.right));
        return Err(SeparationRefusal::NotBack { separation: separation.name.clone(), who, right }.into());
    }
    let Some(terms) = held.stands_against(world) else { return Ok(()) };
    let owner = owner.map(|owner| world.subject_name(owner));
    let who = owner.unwrap_or_else(|| format!("the account `{}`", world.text(held.account)));
    Err(ConversionRefusal::NeverStanding { who, right: world.right_name(held.right), terms }.into())
}

/// The conversion that has still to take a right away.
fn under_way(deciding: &Deciding<'_>, standing: StandingId) -> Option<ConversionId> {
    let target = deciding.world.standing.get(&standing)?.target;
    let taking =
        |item: &&Item| item.standing.id == standing && matches!(item.state, ItemState::Waiting | ItemState::Taking);
    deciding.world.pending_items(target).find(taking).map(|item| item.conversion)
}

/// A person has the next wave begin, whatever stopped it.
fn next_wave(deciding: &mut Deciding<'_>, id: ConversionId) -> Result<(), Refusal> {
    let conversion = known(deciding, id)?;
    let administers = administers(deciding, &conversion)?;
    if conversion.next_wave().is_none() {
        let over = |at| ConversionRefusal::Undone { id, at };
        return Err(conversion.undone_at.map_or(ConversionRefusal::NoWaveLeft { id }, over).into());
    }
    if !deciding.world.is_settled(id) && conversion.waves.as_ref().is_some_and(|waves| waves.stopped.is_none()) {
        return Err(ConversionRefusal::WaveNotWhole { id }.into());
    }
    begin_wave(&mut deciding.by(administers), conversion);
    Ok(())
}

/// Begins the waves whose time has come.
pub(super) fn tick(draft: &mut Draft<'_, '_>) {
    let world = draft.world;
    let due = world.due_by(draft.now()).filter_map(|due| match due {
        Due::Conversion(id) => world.conversions.get(&id),
        _ => None,
    });
    for conversion in due.cloned() {
        begin_wave(draft, conversion);
    }
}

fn begin_wave(draft: &mut Draft<'_, '_>, mut conversion: Conversion) {
    let (id, Some(wave), Some(waves)) = (conversion.id, conversion.next_wave(), &mut conversion.waves) else { return };
    waves.begun += 1;
    (waves.whole_at, waves.stopped) = (None, None);
    let begins = draft.world.items_of(id).filter(|item| item.wave == wave && item.state == ItemState::Waiting);
    let items: Vec<Item> = begins.map(|item| Item { state: ItemState::Taking, ..item.clone() }).collect();
    let what = What::WaveBegun { conversion: id, wave, rights: count(items.len()) };
    draft.fact(what, with_items(conversion, items));
    alarms::settle_where(draft, |about| *about == AlarmKind::ConversionStopped { conversion: id });
}

/// Refuses anyone but an administrator of each target that a conversion touches.
fn administers(deciding: &mut Deciding<'_>, conversion: &Conversion) -> Result<AdministersEach, Refusal> {
    deciding.administers_each(deciding.world.items_of(conversion.id).map(|item| item.standing.target))
}

fn known(deciding: &Deciding<'_>, id: ConversionId) -> Result<Conversion, Refusal> {
    deciding
        .world
        .conversions
        .get(&id)
        .cloned()
        .ok_or_else(|| Refusal::unknown("conversion", id, "`tempestas convert list` lists them"))
}

fn undo(deciding: &mut Deciding<'_>, person: Person, id: ConversionId) -> Result<(), Refusal> {
    let me = person.id();
    let mut conversion = known(deciding, id)?;
    let administers = administers(deciding, &conversion)?;
    let comes_back = |item: &&Item| !matches!(item.state, ItemState::Waiting | ItemState::Taking);
    for item in deciding.world.items_of(id).filter(comes_back) {
        ensure_no_own_return(deciding, me, &item.standing)?;
    }
    // What is being taken may be gone on its target already.
    for item in deciding.world.items_of(id).filter(|item| item.state != ItemState::Waiting) {
        ensure_may_stand(deciding, &item.standing)?;
    }
    if let Some(at) = conversion.undone_at {
        return Err(ConversionRefusal::Undone { id, at }.into());
    }
    if let Some(waves) = conversion.waves.as_ref().filter(|waves| waves.undo_until <= deciding.now()) {
        return Err(ConversionRefusal::PastUndoing { id, until: waves.undo_until }.into());
    }
    if deciding.world.items_of(id).any(|item| item.eligibility.is_none() && item.state != ItemState::Taken) {
        return Err(ConversionRefusal::PutsBack { id }.into());
    }
    let is_gone = |item: &Item| !deciding.world.targets.contains_key(&item.standing.target);
    if deciding.world.items_of(id).all(is_gone) {
        return Err(ConversionRefusal::TargetsGone { id }.into());
    }
    let draft = &mut deciding.by(administers);
    conversion.undone_at = Some(draft.now());
    let mut items: Vec<Item> = draft.world.items_of(id).cloned().collect();
    for item in &mut items {
        undo_item(draft, &conversion, item);
    }
    draft.fact(What::ConversionUndone { conversion: id }, with_items(conversion, items));
    alarms::settle_where(draft, |about| *about == AlarmKind::ConversionStopped { conversion: id });
    Ok(())
}

/// Has a right put back, and ends what was made in its place.
fn undo_item(draft: &mut Draft<'_, '_>, conversion: &Conversion, item: &mut Item) {
    if !draft.world.targets.contains_key(&item.standing.target) {
        item.trouble = Some("its system is looked after no more; put it back there by hand".to_owned());
        return;
    }
    item.state = if item.state == ItemState::Waiting { ItemState::Untouched } else { ItemState::Restoring };
    item.trouble = None;
    let Some(eligibility) = item.eligibility else { return };
    // The eligibility stays where somebody changed it in between: then it isn't this conversion's any more.
    let made = draft
        .world
        .eligibilities
        .get(&eligibility)
        .filter(|held| held.right == item.standing.right && held.from == conversion.at);
    match made.cloned() {
        Some(held) => appointments::end(draft, &held),
        None => item.trouble = Some("the eligibility was changed or ended since, and is left as it is".to_owned()),
    }
}

/// A right on the target that is reported on.
fn reported(draft: &Draft<'_, '_>, reporting: Reporting, id: ConversionId, standing: StandingId) -> Option<Item> {
    draft.world.items.get(&Pair(id, standing)).filter(|item| item.standing.target == reporting.target()).cloned()
}

/// A right of the keeper's own target was read back as gone.
pub(super) fn taken(
    draft: &mut Draft<'_, '_>,
    reporting: Reporting,
    id: ConversionId,
    standing: StandingId,
) -> Result<(), Refusal> {
    let mut conversion = known(draft, id)?;
    let item = reported(draft, reporting, id, standing).filter(|item| item.state == ItemState::Taking);
    let Some(item) = item else { return Ok(()) };
    let target = item.standing.target;
    let is_last = !draft.world.items_of(id).any(|other| other.state.is_under_way() && other.standing.id != standing);
    let mut put = vec![Row::Item(Item { state: ItemState::Taken, trouble: None, at: Some(draft.now()), ..item })];
    if let Some(waves) = conversion.waves.as_mut().filter(|_| is_last) {
        waves.whole_at = Some(draft.now());
        put.push(Row::Conversion(conversion));
    }
    let cut = vec![Key { kind: Kind::Standing, id: standing.0.to_string() }];
    draft.fact_cutting(What::StandingTaken { conversion: id, standing, target }, put, cut);
    Ok(())
}

/// A right of the keeper's own target was read back as there again.
pub(super) fn restored(
    draft: &mut Draft<'_, '_>,
    reporting: Reporting,
    id: ConversionId,
    standing: StandingId,
    by_others: bool,
) -> Result<(), Refusal> {
    let item = reported(draft, reporting, id, standing).filter(|item| item.state == ItemState::Restoring);
    let Some(mut item) = item else { return Ok(()) };
    item.state = match (by_others, item.at) {
        (false, _) => ItemState::Restored,
        // It could not be taken away yet.
        (true, None) => ItemState::Untouched,
        (true, Some(_)) => ItemState::Superseded,
    };
    item.at = Some(draft.now());
    if item.state == ItemState::Superseded {
        item.trouble = Some("somebody had put it back on the target before the undo".to_owned());
    }
    let row = Row::Standing(item.standing.clone());
    let target = item.standing.target;
    draft.fact(What::StandingRestored { conversion: id, standing, target }, vec![Row::Item(item), row]);
    Ok(())
}

/// A right of the keeper's own target could not be changed yet.
pub(super) fn delayed(
    draft: &mut Draft<'_, '_>,
    reporting: Reporting,
    id: ConversionId,
    standing: StandingId,
    trouble: &str,
) -> Result<(), Refusal> {
    let mut conversion = known(draft, id)?;
    let Some(mut item) = reported(draft, reporting, id, standing) else { return Ok(()) };
    if item.trouble.as_deref() == Some(trouble) {
        return Ok(());
    }
    item.trouble = Some(trouble.to_owned());
    let target = item.standing.target;
    let stops = stop_where_too_many_fail(draft, &mut conversion, &item);
    let mut put = vec![Row::Item(item)];
    put.extend(stops.map(|_| Row::Conversion(conversion)));
    draft.fact(What::StandingDelayed { conversion: id, standing, target, trouble: trouble.to_owned() }, put);
    if let Some((failing, of)) = stops {
        draft.fact(What::WaveStopped { conversion: id, failing, of }, Vec::new());
        alarms::raise(draft, AlarmKind::ConversionStopped { conversion: id });
    }
    Ok(())
}

/// Stops a conversion whose present wave fails for more than its stated share, now that `item` does; says how many of how
/// many.
fn stop_where_too_many_fail(draft: &Draft<'_, '_>, conversion: &mut Conversion, item: &Item) -> Option<(u32, u32)> {
    let waves = conversion.waves.as_mut().filter(|waves| waves.stopped.is_none())?;
    let wave = waves.begun.saturating_sub(1);
    let others = || draft.world.items_of(conversion.id).filter(|other| other.standing.id != item.standing.id);
    let present = || others().chain([item]).filter(|item| item.wave == wave);
    let failing = present().filter(|item| item.state == ItemState::Taking && item.trouble.is_some()).count();
    let of = present().count();
    if failing * 100 <= of * usize::from(waves.stop_percent) {
        return None;
    }
    waves.stopped = Some(format!(
        "{failing} of the {of} rights of this wave can't be taken away, and it was to stop above {} %",
        waves.stop_percent
    ));
    Some((count(failing), count(of)))
}
