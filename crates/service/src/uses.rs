//! What targets told of the use of standing rights, gathered from the store for some of them.

use std::collections::{BTreeMap, BTreeSet, btree_map::Entry};

use jiff::{SignedDuration, Timestamp};
use tempestas_core::{Elevation, ScopeId, Standing, StandingId, SubjectId, World};
use tempestas_store::Recorded;

use crate::{app::App, problem::Failure};

/// So many days before `now`.
pub(crate) fn days_before(now: Timestamp, days: u16) -> Timestamp {
    now.checked_sub(SignedDuration::from_hours(24 * i64::from(days))).unwrap_or(Timestamp::MIN)
}

/// The recorded uses of some standing rights.
pub(crate) struct Uses {
    /// Since when.
    pub(crate) from: Timestamp,
    by: BTreeMap<StandingId, Vec<Timestamp>>,
    last: LastUses,
}

/// What is looked for: an account's uses of one role, in one part and below.
struct Wanted {
    standing: StandingId,
    target: ScopeId,
    account: String,
    role: String,
    part: Vec<String>,
    last_used: Option<Timestamp>,
}

impl Wanted {
    fn of(world: &World, held: &Standing) -> Self {
        let mut part: Vec<String> = world
            .upwards(held.right.scope)
            .take_while(|scope| scope.id != held.target)
            .map(|scope| scope.name.clone())
            .collect();
        part.reverse();
        Self {
            standing: held.id,
            target: held.target,
            account: world.text(held.account),
            role: world.role_name(held.right.role).to_owned(),
            part,
            last_used: held.last_used,
        }
    }

    fn covers(&self, recorded: &Recorded) -> bool {
        recorded.roles.contains(&self.role) && recorded.part.starts_with(&self.part)
    }
}

impl Uses {
    /// Those of the rights in `chosen`, since `from`.
    pub(crate) async fn of(app: &App, chosen: &[StandingId], from: Timestamp) -> Result<Self, Failure> {
        let wanted: Vec<Wanted> = {
            let world = app.world();
            chosen.iter().filter_map(|id| world.standing.get(id)).map(|held| Wanted::of(&world, held)).collect()
        };
        let last_uses = LastUses::read(app).await?;
        let mut accounts: BTreeMap<(ScopeId, &str), Vec<Recorded>> = BTreeMap::new();
        let mut by = BTreeMap::new();
        for one in &wanted {
            let key = (one.target, one.account.as_str());
            let recorded = match accounts.entry(key) {
                Entry::Occupied(known) => known.into_mut(),
                Entry::Vacant(new) => new.insert(app.store().uses_of(one.target, &one.account, from).await?),
            };
            let recorded = recorded.iter().filter(|recorded| one.covers(recorded));
            let mut uses: Vec<Timestamp> = recorded.flat_map(|recorded| recorded.uses.iter().copied()).collect();
            // What the target itself says about the last use may have left no line in its log.
            let unrecorded = |at: &Timestamp| {
                let day_before = days_before(*at, 1);
                *at >= from && last_uses.are_told(one.target) && uses.iter().all(|known| *known < day_before)
            };
            let last = one.last_used.filter(unrecorded);
            uses.extend(last);
            uses.sort_unstable();
            by.insert(one.standing, uses);
        }
        drop(accounts);
        Ok(Self { from, by, last: last_uses })
    }

    /// The uses of one of them, in order.
    pub(crate) fn by(&self, standing: StandingId) -> &[Timestamp] {
        self.by.get(&standing).map_or(&[], Vec::as_slice)
    }

    /// When anything was last used.
    pub(crate) const fn last(&self) -> &LastUses {
        &self.last
    }

    /// Whether a target tells of uses at all.
    pub(crate) fn told(&self, target: ScopeId) -> bool {
        self.last.are_told(target)
    }
}

/// When standing rights were last used, as far as targets told, for looking up many.
pub(crate) struct LastUses {
    by: BTreeMap<(ScopeId, String), Vec<Recorded>>,
    told: BTreeSet<ScopeId>,
}

impl LastUses {
    pub(crate) async fn read(app: &App) -> Result<Self, Failure> {
        Ok(Self { by: app.store().last_uses().await?, told: app.store().told().await?.into_keys().collect() })
    }

    /// Whether a target tells of uses at all.
    pub(crate) fn are_told(&self, target: ScopeId) -> bool {
        self.told.contains(&target)
    }

    /// The last use of a right, by the target's activity or its own survey.
    pub(crate) fn of(&self, world: &World, held: &Standing) -> Option<Timestamp> {
        let wanted = Wanted::of(world, held);
        let recorded = self.by.get(&(held.target, wanted.account.clone())).into_iter().flatten();
        let last =
            recorded.filter(|recorded| wanted.covers(recorded)).flat_map(|recorded| recorded.uses.iter().copied());
        last.max().max(held.last_used)
    }
}

/// When some people were seen at work, by their own accounts anywhere, in order for each.
pub(crate) async fn seen_at_work(
    app: &App,
    people: &BTreeSet<SubjectId>,
    from: Timestamp,
) -> Result<Vec<(SubjectId, Timestamp)>, Failure> {
    let (accounts, mut seen) = {
        let world = app.world();
        let accounts = world.accounts.values().filter(|account| people.contains(&account.subject));
        let accounts: Vec<_> =
            accounts.map(|account| (account.subject, account.target, world.text(account.name))).collect();
        let answers = world.active().flat_map(Elevation::answers);
        let recent = answers.filter(|answer| people.contains(&answer.by) && answer.at >= from);
        (accounts, recent.map(|answer| (answer.by, answer.at)).collect::<Vec<_>>())
    };
    seen.extend(app.store().past_answers(people, from).await?);
    for (who, target, account) in accounts {
        let recorded = app.store().uses_of(target, &account, from).await?;
        seen.extend(recorded.into_iter().flat_map(|recorded| recorded.uses).map(|at| (who, at)));
    }
    seen.sort_unstable();
    Ok(seen)
}
