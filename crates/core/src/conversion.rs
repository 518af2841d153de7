//! Conversions: chosen standing rights turned into eligibilities, and back.

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

use crate::world::Number as _;
use crate::{
    ConversionId, ConversionRefusal, Digest, EligibilityId, Pair, Refusal, Seconds, Standing, StandingId, SubjectId,
    Weight, Words, World,
};

/// Where one right of a conversion stands on its target.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ItemState {
    /// Its wave has not begun.
    Waiting,
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
    /// Undone before its wave began, so that it was never taken away.
    Untouched,
}

impl ItemState {
    /// Whether a keeper has something to do about it.
    #[must_use]
    pub const fn is_under_way(self) -> bool {
        matches!(self, Self::Taking | Self::Restoring)
    }

    /// Whether its target is still to be changed, now or when its wave begins.
    #[must_use]
    pub const fn is_pending(self) -> bool {
        self.is_under_way() || matches!(self, Self::Waiting)
    }
}

/// One right of a conversion, a row of its own: a conversion may have thousands, and each goes its own way.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Item {
    /// The conversion that it is of.
    pub conversion: ConversionId,
    /// The right as it stood.
    pub standing: Standing,
    /// The eligibility made in its place; none where a drift is put back.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub eligibility: Option<EligibilityId>,
    /// Where it stands.
    pub state: ItemState,
    /// What is in the way, in plain words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trouble: Option<String>,
    /// The wave it belongs to; 0 is the first, a pilot where one was chosen.
    #[serde(default, skip_serializing_if = "is_first")]
    pub wave: u32,
    /// When it was last read back in another state than before.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<Timestamp>,
}

impl Item {
    /// What it is found by.
    #[must_use]
    pub const fn key(&self) -> Pair<ConversionId, StandingId> {
        Pair(self.conversion, self.standing.id)
    }
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde passes a reference")]
const fn is_first(wave: &u32) -> bool {
    *wave == 0
}

/// How a conversion goes on from wave to wave.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Waves {
    /// What a person calls it.
    pub name: Option<Words>,
    /// How many there are.
    pub count: u32,
    /// How many have begun.
    pub begun: u32,
    /// How long after the one before was read back whole the next begins by itself; none where a person begins it.
    pub pace: Option<Seconds>,
    /// It stops by itself when more than so many of a hundred rights of a wave can't be taken away.
    pub stop_percent: u8,
    /// When the wave that began last was read back whole.
    pub whole_at: Option<Timestamp>,
    /// Why it stopped by itself, in plain words.
    pub stopped: Option<String>,
    /// Until when it may be undone.
    pub undo_until: Timestamp,
}

/// How a conversion is to be carried out.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct WavePlan {
    /// What to call it.
    pub name: Option<String>,
    /// Rights that go first, by themselves.
    pub pilot: Vec<StandingId>,
    /// How many rights go together after that; all, where none is said.
    pub size: Option<u32>,
    /// See [`Waves::pace`].
    pub pace: Option<Seconds>,
    /// See [`Waves::stop_percent`].
    pub stop_percent: Option<u8>,
    /// For how many days it may be undone.
    pub undo_days: Option<u16>,
}

impl WavePlan {
    /// Of a hundred, where nothing else is said.
    const STOP_PERCENT: u8 = 20;
    /// Where nothing else is said.
    const UNDO_DAYS: u16 = 30;

    /// Checks the plan against what was chosen.
    ///
    /// # Errors
    /// Says which setting can't be used.
    pub fn check(&self, chosen: &[StandingId]) -> Result<(), Refusal> {
        if let Some(stray) = self.pilot.iter().find(|id| !chosen.contains(id)) {
            return Err(ConversionRefusal::StrayPilot { stray: *stray }.into());
        }
        if self.size == Some(0) {
            return Err(ConversionRefusal::EmptyWave.into());
        }
        if self.stop_percent.is_some_and(|percent| percent > 100) {
            return Err(ConversionRefusal::BadPercent.into());
        }
        if self.undo_days.is_some_and(|days| days == 0 || days > 366) {
            return Err(ConversionRefusal::BadUndoDays.into());
        }
        if self.name.as_ref().is_some_and(|name| name.trim().is_empty() || name.chars().count() > 80) {
            return Err(ConversionRefusal::BadConversionName.into());
        }
        Ok(())
    }

    /// The wave that each right belongs to, the pilot first, in the order chosen.
    #[must_use]
    pub fn wave_of(&self, chosen: &[StandingId]) -> Vec<u32> {
        let first = u32::from(!self.pilot.is_empty());
        let mut later = 0;
        let waves = chosen.iter().map(|id| {
            if self.pilot.contains(id) {
                return 0;
            }
            let wave = first + self.size.map_or(0, |size| later / size.max(1));
            later += 1;
            wave
        });
        waves.collect()
    }

    /// How a conversion that begins now goes on.
    #[must_use]
    pub fn waves(&self, name: Option<Words>, of: &[u32], now: Timestamp) -> Waves {
        let days = self.undo_days.unwrap_or(Self::UNDO_DAYS);
        Waves {
            name,
            count: of.iter().max().map_or(1, |last| last + 1),
            begun: 1,
            pace: self.pace,
            stop_percent: self.stop_percent.unwrap_or(Self::STOP_PERCENT),
            whole_at: None,
            stopped: None,
            undo_until: crate::later(now, Seconds::hours(24 * u32::from(days))),
        }
    }
}

/// A conversion, applied under a name. Its rights are [`Item`]s.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Conversion {
    /// Its id.
    pub id: ConversionId,
    /// Who applied it.
    pub by: SubjectId,
    /// When.
    pub at: Timestamp,
    /// When it was undone, if it was.
    pub undone_at: Option<Timestamp>,
    /// How it goes on from wave to wave; none for one made before there were waves.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub waves: Option<Waves>,
}

impl Conversion {
    /// The number of the next wave, where there is one to begin.
    #[must_use]
    pub fn next_wave(&self) -> Option<u32> {
        let waves = self.waves.as_ref()?;
        (self.undone_at.is_none() && waves.begun < waves.count).then_some(waves.begun)
    }

    /// When the next wave begins by itself.
    #[must_use]
    pub fn goes_on_at(&self) -> Option<Timestamp> {
        self.next_wave()?;
        let waves = self.waves.as_ref().filter(|waves| waves.stopped.is_none())?;
        Some(crate::later(waves.whole_at?, waves.pace?))
    }
}

impl World {
    /// The rights of a conversion, in the order of their ids.
    pub fn items_of(&self, conversion: ConversionId) -> impl DoubleEndedIterator<Item = &Item> {
        self.items.range(Pair(conversion, StandingId::LEAST)..=Pair(conversion, StandingId::GREATEST))
    }

    /// Rights on a target that conversions are still to change there.
    pub(crate) fn pending_items(&self, target: crate::ScopeId) -> impl Iterator<Item = &Item> {
        self.indexes.pending_on.of(target).filter_map(|key| self.items.get(&key))
    }

    /// Whether nothing of a conversion is under way: the waves that have begun were read back whole.
    #[must_use]
    pub fn is_settled(&self, conversion: ConversionId) -> bool {
        !self.items_of(conversion).any(|item| item.state.is_under_way())
    }
}

/// What a conversion would do, before it is done.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Plan {
    /// Right by right.
    pub items: Vec<PlanItem>,
    /// Who is left with critical power: for each scope at which such a right goes, and each target that loses none.
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
        return Err(ConversionRefusal::NothingChosen.into());
    }
    let mut items = Vec::with_capacity(chosen.len());
    for id in &chosen {
        items.push(plan_item(world, *id)?);
    }
    let lost: Vec<StandingId> =
        items.iter().flat_map(|item| item.also_lost.iter().copied().chain([item.standing])).collect();
    let left = ensure_holders_stay(world, &lost)?;
    let digest = Digest::of_json(&(&items, &left));
    Ok(Plan { items, left, digest })
}

/// Who is left with critical power once `lost` are gone: for each scope at which a critical right goes, and for each
/// target that loses no such right.
///
/// # Errors
/// Refuses where that are fewer than the target's stated number.
pub(crate) fn ensure_holders_stay(
    world: &World,
    lost: &[StandingId],
) -> Result<Vec<(crate::ScopeId, Vec<Digest>)>, Refusal> {
    let is_critical =
        |right: &Standing| world.roles.get(&right.right.role).is_some_and(|role| role.weight == Weight::Critical);
    let mut scopes = std::collections::BTreeMap::new();
    for right in lost.iter().filter_map(|id| world.standing.get(id)) {
        let scope = if is_critical(right) { right.right.scope } else { right.target };
        *scopes.entry((right.target, scope)).or_insert(false) |= is_critical(right);
    }
    let mut left = Vec::new();
    for ((target, scope), loses_critical) in scopes {
        let holders = critical_accounts(world, target, scope, lost);
        let least = world.targets.get(&target).map_or(1, |target| target.emergency_least);
        if loses_critical && (holders.len() as u64) < u64::from(least) {
            return Err(
                ConversionRefusal::TooFewHolders { scope: world.path(scope), left: holders.len(), least }.into()
            );
        }
        if loses_critical || !holders.is_empty() {
            left.push((scope, holders));
        }
    }
    Ok(left)
}

fn plan_item(world: &World, id: StandingId) -> Result<PlanItem, Refusal> {
    let right = world
        .standing
        .get(&id)
        .ok_or_else(|| Refusal::unknown("standing right", id, "`tempestas standing` lists them"))?;
    let account = world.text(right.account);
    if right.handle.is_none() {
        let through = right.chain.first().map_or("something else", |way| world.words(way));
        let is_role = world.role_named(right.target, through).is_some();
        let instead = if is_role { "convert that one instead" } else { "that is changed on the system itself" };
        let (name, through) = (world.right_name(right.right), through.to_owned());
        return Err(ConversionRefusal::HeldThrough { standing: id, right: name, account, through, instead }.into());
    }
    if world.is_broker(right.target, right.account) {
        return Err(ConversionRefusal::OurOwnAccount { standing: id, account }.into());
    }
    if world.is_sealed(right.target, &account) {
        return Err(ConversionRefusal::Sealed { standing: id, account, target: world.path(right.target) }.into());
    }
    let holder = world.holder_of(right.target, right.account).ok_or_else(|| ConversionRefusal::NobodysAccount {
        account: account.clone(),
        target: world.path(right.target),
    })?;
    let also_lost = world
        .standing_of(right.target, right.account)
        .filter(|other| other.handle.is_none() && other.is_through(world, right.right.role))
        .map(|other| other.id)
        .collect();
    Ok(PlanItem { standing: id, holder, also_lost })
}

/// Accounts with a standing critical right that reaches `scope`, but for `without`; our own left out.
pub(crate) fn critical_accounts(
    world: &World,
    target: crate::ScopeId,
    scope: crate::ScopeId,
    without: &[StandingId],
) -> Vec<Digest> {
    let holds = |right: &&Standing| {
        !without.contains(&right.id)
            && !world.is_broker(target, right.account)
            && world.is_within(scope, right.right.scope)
            && world.roles.get(&right.right.role).is_some_and(|role| role.weight == Weight::Critical)
    };
    let mut accounts: Vec<Digest> = world.standing_on(target).filter(holds).map(|right| right.account).collect();
    accounts.sort_unstable();
    accounts.dedup();
    accounts
}
