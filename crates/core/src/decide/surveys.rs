//! Surveys: what was read on a target becomes parts, roles and standing rights; only on change.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use jiff::Timestamp;

use super::{
    alarms,
    deciding::{Deciding, Draft, count},
    drifts::{self, Sighted},
    estate::known_target,
    proofs::Reporting,
    seals,
};
use crate::{
    Alarm, AlarmKind, Digest, EstateRefusal, GrantId, HeldBecause, ItemState, Key, Kind, Marked, Refusal, Right,
    RightFound, Role, RoleId, Row, Said, Scope, ScopeId, ScopeKind, Seconds, Standing, StandingId, Survey, Target,
    Weight, What, Words, World, later, terms::check_label,
};

/// A survey that lets more than this share of the standing rights vanish waits for a person.
const HELD_SHARE_PERCENT: usize = 50;
/// Most of what a target says of itself that is kept.
const ATTRIBUTES_MOST: usize = 20;
/// Most accounts that a target may say are sealed.
const SEALED_MOST: usize = 50;
/// Below so many rights a share means nothing.
const HELD_LEAST: usize = 6;

/// The keeper of a target surveyed it: what would take too much away waits for a person.
pub(super) fn reported(
    draft: &mut Draft<'_, '_>,
    reporting: Reporting,
    digest: Digest,
    survey: &Survey,
) -> Result<(), Refusal> {
    let target = reporting.target();
    let row = known_target(draft, target)?;
    let known = Known::of(draft.world, target);
    let Some(why) = why_held(survey, known.count, known.vanishing(survey)) else {
        take_in(draft, row, known, Taken { digest, survey, accepted: false });
        return Ok(());
    };
    if row.held != Some(digest) {
        let held = Target { held: Some(digest), ..row };
        draft.fact(What::SurveyHeld { target, digest, why }, vec![Row::Target(held)]);
        alarms::raise(draft, AlarmKind::SurveyHeld { target });
    }
    Ok(())
}

/// A person looked at a survey that was held.
pub(super) fn accepted(
    draft: &mut Draft<'_, '_>,
    target: ScopeId,
    digest: Digest,
    survey: &Survey,
) -> Result<(), Refusal> {
    let row = known_target(draft, target)?;
    if row.held != Some(digest) {
        return Err(EstateRefusal::SurveyedAgain.into());
    }
    let known = Known::of(draft.world, target);
    take_in(draft, row, known, Taken { digest, survey, accepted: true });
    Ok(())
}

/// A survey as it is taken in.
struct Taken<'s> {
    digest: Digest,
    survey: &'s Survey,
    /// Whether a person looked at it.
    accepted: bool,
}

fn take_in(draft: &mut Draft<'_, '_>, row: Target, known: Known<'_>, taken: Taken<'_>) {
    let (target, Taken { digest, survey, accepted }) = (row.scope, taken);
    let mut changes = Changes::default();
    let scopes = parts(draft, target, survey, &mut changes);
    let roles = roles(draft, target, survey, &known, &mut changes);
    standing(draft, target, survey, &Places { scopes, roles }, &known, &mut changes);
    let broker = match row.broker {
        Some(broker) if draft.world.is_text(broker, &survey.broker) => broker,
        _ => draft.text(&Said::new(&survey.broker)),
    };
    let first = row.surveyed.is_none();
    let attributes: BTreeMap<String, String> = attributes_of(survey);
    let sealed = sealed(draft, &row, survey);
    let trials = row.trials_of(&sealed, draft.now());
    let said = attributes == row.attributes && sealed == row.sealed && trials == row.trials;
    if said && changes.put.is_empty() && changes.cut.is_empty() && !first && row.held.is_none() {
        return;
    }
    let Changes { mut put, cut, appeared, vanished, changed } = changes;
    let (gained, lost) = (count(appeared.len()), count(vanished.len()));
    put.push(Row::Target(Target {
        broker: Some(broker),
        surveyed: Some(digest),
        surveyed_at: Some(draft.now()),
        held: None,
        attributes,
        sealed,
        trials: trials.clone(),
        ..row
    }));
    draft.fact_cutting(What::Surveyed { target, digest, appeared: gained, vanished: lost, changed }, put, cut);
    alarms::settle_where(draft, |about| *about == AlarmKind::SurveyHeld { target });
    seals::unsealed(draft, target, &trials);
    // The first survey is what there is.
    if !first {
        drifts::seen(draft, appeared, vanished, accepted);
    }
}

/// What a target says of itself, as far as it can be kept.
fn attributes_of(survey: &Survey) -> BTreeMap<String, String> {
    let fits = |(name, value): &(&String, &String)| check_label(name, value).is_ok();
    let kept = survey.attributes.iter().filter(fits).take(ATTRIBUTES_MOST);
    kept.map(|(name, value)| (name.clone(), value.clone())).collect()
}

/// The accounts that are sealed, each named as it was before where it was known.
fn sealed(draft: &mut Draft<'_, '_>, row: &Target, survey: &Survey) -> Vec<Digest> {
    let mut sealed = Vec::new();
    for name in survey.sealed.iter().take(SEALED_MOST) {
        let known = row.sealed.iter().copied().find(|known| draft.world.is_text(*known, name));
        sealed.push(known.unwrap_or_else(|| draft.text(&Said::new(name))));
    }
    sealed.sort_unstable();
    sealed
}

/// Raises an alarm about a use that was not known when the last one about that account was raised.
pub(super) fn sealed_used(
    draft: &mut Draft<'_, '_>,
    reporting: Reporting,
    account: &Said,
    at: Timestamp,
    claimed: bool,
) -> Result<(), Refusal> {
    let (target, row) = (reporting.target(), draft.reported_target(reporting)?);
    let world = draft.world;
    let Some(account) = row.sealed.into_iter().find(|sealed| world.is_text(*sealed, &account.0)) else {
        return Ok(());
    };
    let covers = |alarm: &Alarm| match &alarm.about {
        // A claim covers no use that the system itself attests.
        AlarmKind::SealedUsed { claimed: true, .. } if !claimed => false,
        AlarmKind::SealedUsed { target: there, account: known, at: last, .. } => {
            let is_same = *there == target && world.text(*known) == world.text(account);
            is_same && (alarm.settled.is_none() || *last >= at)
        }
        _ => false,
    };
    if !world.alarms.values().any(covers) {
        alarms::raise(draft, AlarmKind::SealedUsed { target, account, at, claimed });
    }
    Ok(())
}

fn why_held(survey: &Survey, known: usize, vanishing: usize) -> Option<HeldBecause> {
    if !survey.complete {
        return Some(HeldBecause::InPart);
    }
    if known > 0 && survey.rights.is_empty() {
        return Some(HeldBecause::NoneLeft { known: count(known) });
    }
    let too_many = known >= HELD_LEAST && vanishing * 100 > known * HELD_SHARE_PERCENT;
    too_many.then(|| HeldBecause::Vanishing { vanishing: count(vanishing), known: count(known) })
}

#[derive(Default)]
struct Changes<'s> {
    put: Vec<Row>,
    cut: Vec<Key>,
    appeared: Vec<Sighted<'s>>,
    vanished: Vec<Standing>,
    changed: u32,
}

/// Makes scopes for parts that are new; gone ones stay, since terms may hang on them.
fn parts(
    draft: &mut Draft<'_, '_>,
    target: ScopeId,
    survey: &Survey,
    changes: &mut Changes<'_>,
) -> BTreeMap<Vec<String>, ScopeId> {
    let mut scopes = BTreeMap::from([(Vec::new(), target)]);
    for part in &survey.parts {
        let Some((name, above)) = part.path.split_last() else { continue };
        let Some(parent) = scopes.get(above).copied() else { continue };
        let id = match draft.world.child(parent, name) {
            Some(scope) => scope.id,
            None => {
                let id = draft.id();
                changes.put.push(Row::Scope(Scope {
                    id,
                    parent: Some(parent),
                    name: name.clone(),
                    kind: ScopeKind::Part,
                }));
                id
            }
        };
        scopes.insert(part.path.clone(), id);
    }
    scopes
}

/// Where what was found belongs, by the names that the target gives it.
struct Places {
    scopes: BTreeMap<Vec<String>, ScopeId>,
    roles: BTreeMap<String, RoleId>,
}

fn roles(
    draft: &mut Draft<'_, '_>,
    target: ScopeId,
    survey: &Survey,
    known: &Known<'_>,
    changes: &mut Changes<'_>,
) -> BTreeMap<String, RoleId> {
    let mut ids = BTreeMap::new();
    for found in &survey.roles {
        let known = known.roles.get(found.name.as_str()).copied();
        let role = Role {
            id: known.map_or_else(|| draft.id(), |role| role.id),
            target,
            name: draft.words_again(known.map(|role| &role.name), &found.name),
            says: draft.words_again(known.map(|role| &role.says), &found.says),
            weight: found.weight,
            permits: found.permits,
            lapse: found.lapse.clone(),
            gone: false,
        };
        ids.insert(found.name.clone(), role.id);
        if known != Some(&role) {
            changes.put.push(Row::Role(role));
        }
    }
    for role in draft.world.roles_on(target) {
        if !role.gone && !ids.values().any(|id| *id == role.id) {
            changes.put.push(Row::Role(Role { gone: true, ..role.clone() }));
        }
    }
    ids
}

fn standing<'s>(
    draft: &mut Draft<'_, '_>,
    target: ScopeId,
    survey: &'s Survey,
    places: &Places,
    known: &Known<'_>,
    changes: &mut Changes<'s>,
) {
    let mut seen = BTreeSet::new();
    let (mut accounts, mut ways) = (known.accounts.clone(), known.ways.clone());
    for found in &survey.rights {
        let (Some(role), Some(scope)) = (places.roles.get(&found.role), places.scopes.get(&found.part)) else {
            continue;
        };
        let known = known.rights(found).next();
        let account = match known {
            Some(known) => known.account,
            None => *accounts.entry(&found.account).or_insert_with(|| draft.text(&Said::new(&found.account))),
        };
        let row = Standing {
            id: known.map_or_else(|| draft.id(), |known| known.id),
            target,
            account,
            right: Right { role: *role, scope: *scope },
            chain: found.chain.iter().map(|way| ways.entry(way).or_insert_with(|| draft.words(way)).clone()).collect(),
            handle: found
                .handle
                .as_deref()
                .map(|handle| draft.words_again(known.and_then(|known| known.handle.as_ref()), handle)),
            since: found.since,
            first_seen: known.map_or_else(|| draft.now(), |known| known.first_seen),
            last_used: found.last_used.max(known.and_then(|known| known.last_used)),
        };
        seen.insert(row.id);
        match known {
            None if just_taken(draft, survey, row.right, found) => continue,
            None => changes.appeared.push(Sighted {
                standing: row.clone(),
                found,
                weight: survey
                    .roles
                    .iter()
                    .find(|role| role.name == found.role)
                    .map_or(Weight::Ordinary, |role| role.weight),
            }),
            Some(known) if *known != row => changes.changed += 1,
            Some(_) => continue,
        }
        changes.put.push(Row::Standing(row));
    }
    vanished(draft, target, survey, &seen, changes);
}

/// Rights that are on the target no more.
fn vanished(
    deciding: &Deciding<'_>,
    target: ScopeId,
    survey: &Survey,
    seen: &BTreeSet<StandingId>,
    changes: &mut Changes,
) {
    for gone in deciding.world.standing_on(target) {
        // By another line or posting it is the same right, anew.
        let replaced = || {
            let same = |one: &Sighted| {
                one.standing.right == gone.right && deciding.world.is_text(gone.account, &one.found.account)
            };
            changes.appeared.iter().any(same)
        };
        if !seen.contains(&gone.id) && (!just_restored(deciding, survey, gone) || replaced()) {
            changes.cut.push(Key { kind: Kind::Standing, id: gone.id.0.to_string() });
            changes.vanished.push(gone.clone());
        }
    }
}

/// How much older than an act of ours a survey may be, by the target's clock, to be still from before it.
const READ_BEFORE: Seconds = Seconds(10);

/// What we changed while the survey was under way, or are about to, is not drift: it may have been read before or after.
fn just_changed<'w>(
    deciding: &Deciding<'w>,
    survey: &Survey,
    changed: ItemState,
    changing: ItemState,
) -> impl Iterator<Item = &'w crate::Item> {
    let clock = survey.clock;
    deciding.world.items.values().filter(move |item| {
        item.state == changing || (item.state == changed && item.at.is_some_and(|at| later(at, READ_BEFORE) >= clock))
    })
}

fn just_taken(deciding: &Deciding<'_>, survey: &Survey, right: Right, found: &RightFound) -> bool {
    just_changed(deciding, survey, ItemState::Taken, ItemState::Restoring).any(|item| {
        item.standing.right == right
            && item.standing.has_handle(deciding.world, found.handle.as_deref())
            && deciding.world.is_text(item.standing.account, &found.account)
    })
}

fn just_restored(deciding: &Deciding<'_>, survey: &Survey, right: &Standing) -> bool {
    just_changed(deciding, survey, ItemState::Restored, ItemState::Taking).any(|item| item.standing.id == right.id)
}

/// What is known of a target already, by the words that it uses itself.
struct Known<'w> {
    world: &'w World,
    roles: HashMap<&'w str, &'w Role>,
    /// The digest by which each account is known.
    accounts: HashMap<&'w str, Digest>,
    by_holder: HashMap<(&'w str, Option<&'w str>), Vec<&'w Standing>>,
    /// Each way by which something is held there, as it stands in facts.
    ways: HashMap<&'w str, Words>,
    count: usize,
}

impl<'w> Known<'w> {
    fn of(world: &'w World, target: ScopeId) -> Self {
        let roles: HashMap<_, _> =
            world.roles_on(target).filter_map(|role| Some((world.known_words(&role.name)?, role))).collect();
        let mut known =
            Self { world, roles, accounts: HashMap::new(), by_holder: HashMap::new(), ways: HashMap::new(), count: 0 };
        for standing in world.standing_on(target) {
            known.count += 1;
            let private = standing.chain.iter().filter(|way| way.is_private());
            known.ways.extend(private.filter_map(|way| Some((world.known_words(way)?, way.clone()))));
            let handle = standing.handle.as_ref().map(|handle| world.known_words(handle));
            // What is withheld is like nothing that a target says.
            if let (Some(account), None | Some(Some(_))) = (world.known_text(standing.account), handle) {
                known.by_holder.entry((account, handle.flatten())).or_default().push(standing);
            }
        }
        known
    }

    /// How many of those that are known a survey doesn't show.
    fn vanishing(&self, survey: &Survey) -> usize {
        let kept: BTreeSet<StandingId> =
            survey.rights.iter().flat_map(|found| self.rights(found)).map(|standing| standing.id).collect();
        self.count - kept.len()
    }

    /// The standing rights that are the one found: same holder and role, by the same way.
    fn rights<'s>(&'s self, found: &'s RightFound) -> impl Iterator<Item = &'w Standing> + 's {
        let held = self.by_holder.get(&(found.account.as_str(), found.handle.as_deref())).into_iter().flatten();
        held.copied().filter(|standing| {
            let role = self.world.roles.get(&standing.right.role);
            role.is_some_and(|role| self.world.are_words(&role.name, &found.role))
                && standing.is_held_by(self.world, &found.chain)
        })
    }
}

/// Takes in a search for our marks: what no grant explains is to be ended.
pub(super) fn searched(draft: &mut Draft<'_, '_>, reporting: Reporting, marked: &[Marked]) -> Result<(), Refusal> {
    let (target, row) = (reporting.target(), draft.reported_target(reporting)?);
    let strays: Vec<String> = marked
        .iter()
        .filter(|found| draft.world.grants.get(&GrantId(found.grant)).is_none_or(|grant| grant.name != found.name))
        .map(|found| found.name.clone())
        .collect();
    if !row.to_search && strays == row.strays {
        return Ok(());
    }
    let count = count(strays.len());
    let changed = Target { to_search: false, strays, ..row };
    draft.fact(What::Searched { target, strays: count }, vec![Row::Target(changed)]);
    if count > 0 {
        alarms::raise(draft, AlarmKind::Stray { target });
    }
    Ok(())
}

/// What no grant explained is gone.
pub(super) fn stray_ended(draft: &mut Draft<'_, '_>, reporting: Reporting, name: &str) -> Result<(), Refusal> {
    let (target, mut row) = (reporting.target(), draft.reported_target(reporting)?);
    if !row.strays.iter().any(|stray| stray == name) {
        return Ok(());
    }
    row.strays.retain(|stray| stray != name);
    let clean = row.strays.is_empty();
    draft.fact(What::StrayEnded { target, name: name.to_owned() }, vec![Row::Target(row)]);
    if clean {
        alarms::settle_where(draft, |about| *about == AlarmKind::Stray { target });
    }
    Ok(())
}
