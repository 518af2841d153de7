//! Conversions: chosen standing rights turned into eligibilities, and back.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::{ConversionId, Digest, EligibilityId, Refusal, Standing, StandingId, SubjectId, Weight, World};

/// Where one right of a conversion stands on its target.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ItemState {
    /// To be taken away.
    Taking,
    /// Taken away, and read back as gone.
    Taken,
    /// To be put back.
    Restoring,
    /// Put back, and read back as there.
    Restored,
    /// Not put back, because somebody changed it in between.
    Superseded,
}

/// One right of a conversion.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Item {
    /// The right as it stood.
    pub standing: Standing,
    /// The eligibility made in its place.
    pub eligibility: EligibilityId,
    /// Where it stands.
    pub state: ItemState,
    /// What is in the way, in plain words.
    pub trouble: Option<String>,
}

/// A conversion, applied under a name.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Conversion {
    /// Its id.
    pub id: ConversionId,
    /// Who applied it.
    pub by: SubjectId,
    /// When.
    pub at: Timestamp,
    /// The rights in it.
    pub items: Vec<Item>,
    /// When it was undone, if it was.
    pub undone_at: Option<Timestamp>,
}

/// What a conversion would do, before it is done.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Plan {
    /// Right by right.
    pub items: Vec<PlanItem>,
    /// Whose standing power is left on each target touched: critical holders, by account.
    pub left: Vec<(crate::ScopeId, Vec<Digest>)>,
    /// Digest of the plan, to be given back when applying it.
    pub digest: Digest,
}

/// One line of a plan.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct PlanItem {
    /// The right to be converted.
    pub standing: StandingId,
    /// Who will be able to ask for it.
    pub holder: SubjectId,
    /// Other standing rights that go with it, being held through it.
    pub also_lost: Vec<StandingId>,
}

/// Works out what converting the chosen rights would do.
///
/// # Errors
/// Refuses a right that can't be converted, and a plan that leaves a target with fewer critical holders
/// than its stated number.
pub fn plan_conversion(world: &World, chosen: &[StandingId]) -> Result<Plan, Refusal> {
    let mut chosen = chosen.to_vec();
    chosen.sort_unstable();
    chosen.dedup();
    if chosen.is_empty() {
        return Err(Refusal::invalid(
            "nothing was chosen; name standing rights by their reference, as `tempestas standing` lists them",
        ));
    }
    let mut items = Vec::with_capacity(chosen.len());
    for id in &chosen {
        items.push(plan_item(world, *id)?);
    }
    let lost: Vec<StandingId> =
        items.iter().flat_map(|item| item.also_lost.iter().copied().chain([item.standing])).collect();
    let mut targets: Vec<_> = chosen.iter().filter_map(|id| world.standing.get(id)).map(|right| right.target).collect();
    targets.sort_unstable();
    targets.dedup();
    let mut left = Vec::new();
    for scope in targets {
        let mut holders: Vec<Digest> = critical_holders(world, scope)
            .filter(|right| !lost.contains(&right.id))
            .map(|right| right.account)
            .collect();
        holders.sort_unstable();
        holders.dedup();
        let least = world.targets.get(&scope).map_or(1, |target| target.emergency_least);
        let loses_critical = critical_holders(world, scope).any(|right| lost.contains(&right.id));
        if loses_critical && (holders.len() as u64) < u64::from(least) {
            return Err(Refusal::conflict(format!(
                "this would leave {} of the emergency holders on {}, and at least {least} must stay; \
                 take a critical right out of the choice, or state a smaller number for that target",
                holders.len(),
                world.path(scope),
            )));
        }
        left.push((scope, holders));
    }
    let digest = Digest::of_json(&(&items, &left));
    Ok(Plan { items, left, digest })
}

fn plan_item(world: &World, id: StandingId) -> Result<PlanItem, Refusal> {
    let right = world
        .standing
        .get(&id)
        .ok_or_else(|| Refusal::unknown("standing right", id, "`tempestas standing` lists them"))?;
    let account = world.text(right.account);
    if right.handle.is_none() {
        return Err(Refusal::conflict(format!(
            "{id} ({}) is held by `{account}` only through {}; convert that one instead",
            world.right_name(right.right),
            right.chain.first().map_or("something else", String::as_str),
        )));
    }
    if world.is_broker(right.target, right.account) {
        return Err(Refusal::conflict(format!(
            "{id} belongs to `{account}`, the account Tempestas itself works with there; without it nothing could be given or taken"
        )));
    }
    let holder = world.holder_of(right.target, right.account).ok_or_else(|| {
        Refusal::conflict(format!(
            "nobody is known to own the account `{account}` on {}; say whose it is first: `tempestas people account NAME {} {account}`",
            world.path(right.target),
            world.path(right.target),
        ))
    })?;
    let also_lost = world
        .standing
        .values()
        .filter(|other| {
            other.target == right.target
                && other.account == right.account
                && other.handle.is_none()
                && other.chain.first() == world.roles.get(&right.right.role).map(|role| &role.name)
        })
        .map(|other| other.id)
        .collect();
    Ok(PlanItem { standing: id, holder, also_lost })
}

/// Standing critical rights over the whole target, our own account's left out.
fn critical_holders(world: &World, target: crate::ScopeId) -> impl Iterator<Item = &Standing> + '_ {
    world.standing.values().filter(move |right| {
        right.target == target
            && !world.is_broker(target, right.account)
            && right.right.scope == target
            && world.roles.get(&right.right.role).is_some_and(|role| role.weight == Weight::Critical)
    })
}
