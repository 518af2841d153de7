//! Who had a hand in whose power. Nobody answers themselves through others, and what lets somebody through with less holds
//! for whoever brought it about only after a day (rule 10). Judged by what would be, not by the name of the command.

use std::collections::{BTreeSet, HashMap, HashSet};

use jiff::Timestamp;

use crate::{
    Act, Influence, Right, RoleId, ScopeId, Seconds, SubjectId, Terms, World, alike::Kinds, effective_at,
    effective_terms, later,
};

/// How long after somebody touched an approver's standing they can't profit from it.
pub(crate) const INFLUENCE_LASTS: Seconds = Seconds::hours(24);

/// Hands of the last day.
fn fresh(world: &World, now: Timestamp) -> impl Iterator<Item = &Influence> {
    world.influences.values().filter(move |hand| later(hand.at, INFLUENCE_LASTS) > now)
}

/// The humans whose duties, groups or sign-in `hand` had a part in within a day, itself or through any of them; and whomever
/// the machine's operator touched, who is nobody that we can name.
pub(crate) fn touched_by(world: &World, hand: SubjectId, now: Timestamp) -> BTreeSet<SubjectId> {
    let human = world.human(hand);
    let mut reached = BTreeSet::from([human]);
    loop {
        let more: Vec<SubjectId> = fresh(world, now)
            .filter(|hand| hand.by.is_none_or(|by| reached.contains(&world.human(by))))
            .map(|hand| world.human(hand.touched))
            .filter(|touched| !reached.contains(touched))
            .collect();
        if more.is_empty() {
            reached.remove(&human);
            return reached;
        }
        reached.extend(more);
    }
}

/// Whether `person` is, by a day's hands, `hand`'s.
pub(crate) fn is_touched(world: &World, person: SubjectId, hand: SubjectId, now: Timestamp) -> bool {
    touched_by(world, hand, now).contains(&world.human(person))
}

/// Whoever made `person` what they are within a day: other humans, nearest first.
pub(crate) fn touchers(world: &World, person: SubjectId, now: Timestamp) -> Vec<SubjectId> {
    let human = world.human(person);
    let mut by: Vec<SubjectId> = fresh(world, now)
        .filter(|hand| world.human(hand.touched) == human)
        .filter_map(|hand| hand.by)
        .map(|by| world.human(by))
        .filter(|by| *by != human)
        .collect();
    by.sort_unstable();
    by.dedup();
    by
}

/// Whether `asker`, or whoever is their hand, let somebody through with less within a day.
pub(crate) fn weakened_lately(world: &World, asker: SubjectId, now: Timestamp) -> bool {
    let theirs = touched_by(world, asker, now);
    fresh(world, now).any(|hand| {
        let human = world.human(hand.touched);
        hand.by == Some(hand.touched) && (human == world.human(asker) || theirs.contains(&human))
    })
}

/// Whether anybody gets through with less once the World is `after`: whoever is eligible for something under one of `rules`,
/// and `maker` for all of it, eligible or not.
pub(crate) fn lets_through_with_less(before: &World, after: &World, rules: &[&Terms], maker: SubjectId) -> bool {
    let (of_places, of_rights): (Vec<&Terms>, Vec<&Terms>) = rules.iter().partition(|rule| rule.act == Act::Administer);
    of_places.into_iter().any(|rule| administers_with_less(before, after, rule, maker))
        || !of_rights.is_empty() && gets_rights_with_less(before, after, &of_rights, maker)
}

fn gets_rights_with_less(before: &World, after: &World, rules: &[&Terms], maker: SubjectId) -> bool {
    let mut kinds = Kinds::of(&[before, after]);
    let own = before.sign_ins_of(before.human(maker));
    let named: Vec<SubjectId> = before.terms.values().filter_map(|rule| rule.asker).collect();
    let mut eligible: HashMap<RoleId, Vec<SubjectId>> = HashMap::new();
    for held in before.eligibilities.values() {
        eligible.entry(held.right.role).or_default().push(held.subject);
    }
    let mut looked_at = HashSet::new();
    rules.iter().any(|rule| {
        let others = |right: Right| match rule.act {
            Act::BeMadeEligible => &[][..],
            // One rule goes for another only where it names them.
            Act::Answer => &named[..],
            _ => eligible.get(&right.role).map_or(&[][..], Vec::as_slice),
        };
        rights_under(before, &kinds, rule).into_iter().any(|right| {
            let Some(kind) = kinds.right(right) else { return false };
            own.iter().chain(others(right)).any(|asker| {
                // What no rule tells apart comes to the same.
                looked_at.insert((rule.act, kind.clone(), kinds.person(*asker)))
                    && gets_with_less(before, after, rule.act, right, *asker)
            })
        })
    })
}

fn gets_with_less(before: &World, after: &World, act: Act, right: Right, asker: SubjectId) -> bool {
    act.reaches().any(|act| {
        let now = effective_terms(after, act, right, asker);
        let was = effective_terms(before, act, right, asker);
        let breaks_glass = now.glass.is_for(after, asker) && !was.glass.is_for(before, asker);
        breaks_glass || now.demands_less_than(&was)
    })
}

/// Whether its maker, or anybody whom rules name, administers a place below a rule with less.
fn administers_with_less(before: &World, after: &World, rule: &Terms, maker: SubjectId) -> bool {
    let named = before.terms.values().filter_map(|rule| rule.asker);
    let own = before.sign_ins_of(before.human(maker));
    let whom: BTreeSet<SubjectId> = own.into_iter().chain(named).collect();
    let places = before.terms.values().map(|other| other.scope).filter(|place| before.is_within(*place, rule.scope));
    let places: BTreeSet<ScopeId> = places.chain([rule.scope]).collect();
    places.into_iter().any(|place| {
        whom.iter().any(|person| {
            let of = |world: &World| effective_at(world, Act::Administer, place, *person);
            of(after).demands_less_than(&of(before))
        })
    })
}

/// What could be asked for under a rule: each role there, as wide as it reaches and at every place below that has rules of
/// its own.
fn rights_under(world: &World, kinds: &Kinds<'_>, rule: &Terms) -> Vec<Right> {
    let mut rights = Vec::new();
    for role in world.roles.values().filter(|role| !role.gone) {
        let whole = world.is_within(role.target, rule.scope);
        if !whole && !world.is_within(rule.scope, role.target) {
            continue;
        }
        let top = if whole { role.target } else { rule.scope };
        let below = kinds.ruled_below(top).iter().copied().filter(|place| *place != top);
        rights.extend(below.chain([top]).map(|scope| Right { role: role.id, scope }));
    }
    rights
}

/// What `member` could ask for by being in `group`, and can't without; with when it ends at the latest.
pub(crate) fn gained_by_joining(
    world: &World,
    member: SubjectId,
    group: SubjectId,
    now: Timestamp,
) -> Vec<(Right, Option<Timestamp>)> {
    let has = |right: Right, until: Option<Timestamp>| {
        world.eligibilities_of(member).any(|held| {
            held.right.role == right.role
                && world.is_within(right.scope, held.right.scope)
                && held.holds(now)
                && held.until.is_none_or(|end| until.is_some_and(|until| until <= end))
        })
    };
    world
        .eligibilities_of(group)
        .filter(|held| held.until.is_none_or(|end| end > now))
        .filter(|held| !has(held.right, held.until))
        .map(|held| (held.right, held.until))
        .collect()
}
