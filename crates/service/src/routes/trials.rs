//! What a change of terms would change, and for whom, before it is made.

use std::collections::BTreeSet;

use jiff::Timestamp;
use tempestas_api::{ContradictionView, EffectiveSetting, SettingChange, TermsTouched, TermsTrial, TouchedView};
use tempestas_core::{
    Act, Duty, DutyKind, Effective, Eligibility, Right, ScopeId, Sight, SubjectId, Terms, TermsCommand, TermsId, World,
    demand_for, effective_at_under, effective_under,
};

use super::{reference, terms::rule};
use crate::{
    callers::Administrator,
    door::{Answer, Body, Json},
    problem::Failure,
    views,
};

/// Most of those touched that are listed.
const TOUCHED_MOST: usize = 200;

/// Whom a change would touch, and how; nothing is changed.
pub(super) async fn trial(Administrator(me): Administrator, Body(trial): Body<TermsTrial>) -> Answer<TermsTouched> {
    let sight = me.sight();
    let world = me.app.world();
    let replaces: Option<TermsId> = trial.replaces.as_deref().map(reference).transpose()?;
    if let Some(id) = replaces
        && !world.terms.get(&id).is_some_and(|known| sight.sees(&world, known))
    {
        return Err(Failure::unknown("rule of terms", &id.to_string(), "`tempestas terms` lists them"));
    }
    let new = trial.rule.map(|new| rule(&world, me.person, replaces.unwrap_or(TermsId(0)), new)).transpose()?;
    if let Some(new) = &new {
        ensure_administers(&world, me.person, new.scope)?;
        new.check()?;
        new.valid.check(Timestamp::now())?;
        new.ensure_named_is_there(&world)?;
    }
    let command = match (&new, replaces) {
        (Some(new), _) => Some(TermsCommand::Set { terms: new.clone() }),
        (None, Some(terms)) => Some(TermsCommand::End { terms }),
        (None, None) => None,
    };
    let changed: Vec<Changed> = vec![(replaces, new)];
    // Over everybody's rights it takes a while.
    let trying = me.trying();
    let touched = me.app.engine().reckon(move || {
        let refused_because = command.and_then(|command| trying.refused(&world, command));
        TermsTouched { refused_because, ..touched(&world, &sight, &changed) }
    });
    Ok(Json(touched.await?))
}

/// Refuses whoever doesn't administer a place, as if it weren't there.
pub(super) fn ensure_administers(world: &World, me: SubjectId, place: ScopeId) -> Result<(), Failure> {
    if Sight::is_administrator(world, me, place) {
        return Ok(());
    }
    Err(Failure::unknown("scope", &world.path(place), "an administrator of a scope sets its terms"))
}

/// The rule that would go, and the one that would come.
pub(super) type Changed = (Option<TermsId>, Option<Terms>);

/// Whom changes of rules would touch, all made at once, of what somebody sees.
pub(super) fn touched(world: &World, sight: &Sight, changed: &[Changed]) -> TermsTouched {
    let goes: BTreeSet<TermsId> = changed.iter().filter_map(|(goes, _)| *goes).collect();
    let new: Vec<&Terms> = changed.iter().filter_map(|(_, new)| new.as_ref()).collect();
    let before: Vec<&Terms> = world.terms.values().collect();
    let (cut, kept): (Vec<&Terms>, Vec<&Terms>) = before.iter().partition(|known| goes.contains(&known.id));
    let after = kept.into_iter().chain(new.iter().copied()).collect();
    let changing = cut.into_iter().chain(new.iter().copied()).collect();
    Trial { world, sight, before, after, changing, new }.touched()
}

/// A change of terms that is tried.
struct Trial<'w> {
    world: &'w World,
    sight: &'w Sight,
    /// Every rule as it stands.
    before: Vec<&'w Terms>,
    /// Every rule as it would.
    after: Vec<&'w Terms>,
    /// The rules that would go, and those that would come.
    changing: Vec<&'w Terms>,
    /// The latter.
    new: Vec<&'w Terms>,
}

impl Trial<'_> {
    fn touched(&self) -> TermsTouched {
        let (world, sight) = (self.world, self.sight);
        let acts: BTreeSet<Act> = self.changing.iter().flat_map(|rule| rule.act.reaches()).collect();
        let (acts, steps): (BTreeSet<Act>, BTreeSet<Act>) = acts.into_iter().partition(|act| !act.is_a_step());
        let mut touched = self.touched_standing();
        let mut people = BTreeSet::new();
        let now = Timestamp::now();
        for (who, at, act, changes) in steps.into_iter().flat_map(|act| self.of_step(act, now)) {
            people.insert(who);
            touched.count += 1;
            if sight.sees_subject(world, who) && touched.touched.len() < TOUCHED_MOST {
                touched.touched.push(TouchedView { who: world.subject_name(who), right: at, act, changes });
            }
        }
        let held = world.eligibilities.values().filter(|held| sight.sees_scope(world, held.right.scope));
        for held in held.filter(|held| held.until.is_none_or(|until| until > now)) {
            let mut members = world.people_in(held.subject);
            if members.is_empty() {
                members.insert(held.subject);
            }
            let mut told = Vec::new();
            for act in &acts {
                let found = self.of(held, &members, *act);
                // What an act that follows another changes by that alone is not told twice.
                if act.follows().is_some() && found == told {
                    continue;
                }
                told.clone_from(&found);
                people.extend(found.iter().map(|(who, _)| *who));
                let found = told_as_one(found, held, members.len());
                touched.count += found.len();
                for (who, changes) in found.into_iter().take(TOUCHED_MOST - touched.touched.len()) {
                    // Who may not see a member hears of the group.
                    let who = if sight.sees_subject(world, who) { who } else { held.subject };
                    let (who, right) = (world.subject_name(who), world.right_name(held.right));
                    touched.touched.push(TouchedView { who, right, act: *act, changes });
                }
            }
        }
        touched.people = people.len();
        let open = world.active().filter(|one| one.is_before_opening() && people.contains(&one.asker));
        touched.open_asks = open.filter(|one| sight.sees(world, *one)).map(|one| one.id.to_string()).collect();
        touched
    }

    /// What would be held against the terms, and what no longer; whoever may ask is still to be looked at.
    fn touched_standing(&self) -> TermsTouched {
        let (world, sight) = (self.world, self.sight);
        let (mut newly_against, mut no_longer_against) = (0, 0);
        if self.changing.iter().any(|rule| rule.settings.standing.is_some()) {
            for held in world.standing.values().filter(|held| sight.sees(world, *held)) {
                let under = |rules: &[&Terms]| held.would_stand_against(world, rules.iter().copied()).is_some();
                match (under(&self.before), under(&self.after)) {
                    (false, true) => newly_against += 1,
                    (true, false) => no_longer_against += 1,
                    (false, false) | (true, true) => {}
                }
            }
        }
        let (touched, open_asks) = (Vec::new(), Vec::new());
        let contradicts = self.contradictions();
        TermsTouched {
            touched,
            count: 0,
            people: 0,
            open_asks,
            contradicts,
            newly_against,
            no_longer_against,
            refused_because: None,
        }
    }

    /// What rules that are about just the same as the new one set otherwise.
    fn contradictions(&self) -> Vec<ContradictionView> {
        let (world, sight) = (self.world, self.sight);
        let of = |(n, new): (usize, &&Terms)| -> Vec<ContradictionView> {
            // Of two new ones it is said once.
            let said: BTreeSet<TermsId> = self.new.iter().take(n + 1).map(|new| new.id).collect();
            let others = self.after.iter().filter(|other| !said.contains(&other.id) && other.is_in_force());
            let others = others.filter(|other| other.is_about_the_same(new, world) && sight.sees(world, **other));
            let set = others.flat_map(|other| {
                let set = new.settings.contradicted_by(&other.settings, world).into_iter();
                set.map(|(setting, theirs, holds)| ContradictionView {
                    of: if new.id == TermsId(0) { String::new() } else { new.id.to_string() },
                    rule: other.id.to_string(),
                    setting: setting.to_owned(),
                    theirs,
                    holds,
                })
            });
            set.collect()
        };
        self.new.iter().enumerate().flat_map(of).collect()
    }

    /// Who would be touched when they answer or administer: for what, and how.
    fn of_step(&self, act: Act, now: Timestamp) -> Vec<(SubjectId, String, Act, Vec<SettingChange>)> {
        let told = |who: SubjectId, at: String, under: &dyn Fn(&[&Terms]) -> Effective| {
            let [before, after] = [&self.before, &self.after].map(|rules| views::effective(self.world, &under(rules)));
            let changes = changes(&before, &after);
            (!changes.is_empty()).then_some((who, at, act, changes))
        };
        let world = self.world;
        if act == Act::Administer {
            let under = |rules: &[&Terms], at, who| effective_at_under(world, rules.iter().copied(), act, at, who);
            let all = self.administering().into_iter();
            return all.filter_map(|(who, at)| told(who, world.path(at), &|rules| under(rules, at, who))).collect();
        }
        let under = |rules: &[&Terms], right, who| effective_under(world, rules.iter().copied(), act, right, who);
        let all = self.answering(now).into_iter();
        all.filter_map(|(who, right)| told(who, world.right_name(right), &|rules| under(rules, right, who))).collect()
    }

    /// Who administers where the rules that change are about: each place below them, or the place that they are at.
    fn administering(&self) -> BTreeSet<(SubjectId, ScopeId)> {
        let world = self.world;
        let place = |duty: &Duty, rule: &Terms| {
            let within = |inner, outer| world.is_within(inner, outer).then_some(inner);
            within(duty.scope, rule.scope).or_else(|| within(rule.scope, duty.scope))
        };
        let duties = world.duties.values().filter(|duty| duty.kind == DutyKind::Administrator);
        let at = duties.flat_map(|duty| self.changing.iter().filter_map(move |rule| Some((duty, place(duty, rule)?))));
        at.flat_map(|(duty, at)| world.people_in(duty.subject).into_iter().map(move |who| (who, at))).collect()
    }

    /// Who answers whoever asks for something that the caller sees.
    fn answering(&self, now: Timestamp) -> BTreeSet<(SubjectId, Right)> {
        let world = self.world;
        let held = world.eligibilities.values().filter(|held| self.sight.sees_scope(world, held.right.scope));
        let asked = held.filter_map(|held| {
            let asker = world.people_in(held.subject).into_iter().next().unwrap_or(held.subject);
            Some((held.right, demand_for(world, asker, held.right, now).ok()?.stages))
        });
        let who = asked.flat_map(|(right, stages)| {
            let asked = stages.into_iter().flat_map(|stage| stage.approvers.into_iter().chain(stage.onward));
            asked.map(move |who| (who, right))
        });
        who.collect()
    }

    /// Which of those who hold an eligibility would be touched, and how.
    fn of(&self, held: &Eligibility, members: &BTreeSet<SubjectId>, act: Act) -> Vec<Touched> {
        let change = |who: &SubjectId| {
            let fits = self.changing.iter().any(|rule| rule.fits(self.world, act, held.right, *who));
            let under = |rules: &[&Terms]| {
                let terms = effective_under(self.world, rules.iter().copied(), act, held.right, *who);
                views::effective(self.world, &terms)
            };
            let changes = if fits { changes(&under(&self.before), &under(&self.after)) } else { Vec::new() };
            (!changes.is_empty()).then_some((*who, changes))
        };
        members.iter().filter_map(change).collect()
    }
}

/// Somebody, and how a change touches them.
type Touched = (SubjectId, Vec<SettingChange>);

/// One line says it of a group whose members are all touched alike.
fn told_as_one(mut touched: Vec<Touched>, held: &Eligibility, members: usize) -> Vec<Touched> {
    let alike = touched.iter().zip(touched.iter().skip(1)).all(|((_, one), (_, next))| one == next);
    if touched.len() == members && alike {
        touched.truncate(1);
        touched.iter_mut().for_each(|(who, _)| *who = held.subject);
    }
    touched
}

fn changes(before: &[EffectiveSetting], after: &[EffectiveSetting]) -> Vec<SettingChange> {
    before
        .iter()
        .zip(after)
        .filter(|(before, after)| before.value != after.value)
        .map(|(before, after)| SettingChange {
            setting: before.setting.clone(),
            before: before.value.clone(),
            after: after.value.clone(),
        })
        .collect()
}
