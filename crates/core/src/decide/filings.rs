//! Terms as files say them: put in place as one, and undone as one. Each clause is decided as if it were set or ended alone, on what
//! those before it made; rules all at once.

use super::{
    assurances,
    checked::checked_name,
    deciding::{Deciding, count},
    promises, separations,
    terms::{self, Wanted},
};
use crate::{
    Amendment, AssuranceCommand, Clause, ClauseKind, FileMark, Filed, Filing, FilingCommand, FilingId, FilingPlan,
    FilingRefusal, Key, Kind, PromiseCommand, Refiled, Refusal, Row, SeparationCommand, TermsId, What, World,
    filing_plan, plan_to_undo,
};

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &FilingCommand) -> Result<(), Refusal> {
    match command {
        FilingCommand::Put { filed } => put(deciding, filed),
        FilingCommand::Undo { filing } => undo(deciding, *filing),
    }
}

fn put(deciding: &mut Deciding<'_>, filed: &Filed) -> Result<(), Refusal> {
    deciding.administers(filed.within)?;
    filed.clauses.iter().try_for_each(|(name, clause)| checked_name(&clause.kind().to_string(), name))?;
    let plan = filing_plan(deciding.world, filed)?;
    carry_out(deciding, &plan)
}

fn undo(deciding: &mut Deciding<'_>, id: FilingId) -> Result<(), Refusal> {
    let unknown = || Refusal::unknown("filing", id, "`tempestas terms filings` lists them");
    let filing = deciding.world.filings.get(&id).ok_or_else(unknown)?;
    deciding.administers(filing.within)?;
    let plan = plan_to_undo(deciding.world, filing, deciding.now())?;
    carry_out(deciding, &plan)
}

fn carry_out(deciding: &mut Deciding<'_>, plan: &FilingPlan) -> Result<(), Refusal> {
    deciding.ensure_as_looked_at(&"what the files would change", Some(plan.digest()))?;
    if plan.amendments.is_empty() {
        return Err(FilingRefusal::NothingToPut.into());
    }
    let id: FilingId = deciding.id();
    // What rules and promises want is there before them, and goes after them.
    each(deciding, (plan, ClauseKind::Assurance, true), set)?;
    let rules = rules(deciding, plan)?;
    for kind in [ClauseKind::Promise, ClauseKind::Separation] {
        each(deciding, (plan, kind, false), end)?;
        each(deciding, (plan, kind, true), set)?;
    }
    each(deciding, (plan, ClauseKind::Assurance, false), end)?;
    record(deciding, plan, id, rules)
}

/// Goes through what is set, or ended, of a kind; not through what changes by its name in files alone.
fn each(
    deciding: &mut Deciding<'_>,
    (plan, kind, is_set): (&FilingPlan, ClauseKind, bool),
    decide: impl Fn(&mut Deciding<'_>, &Clause) -> Result<(), Refusal>,
) -> Result<(), Refusal> {
    let of_kind = plan.amendments.iter().filter(|one| one.kind() == kind && one.after.is_some() == is_set);
    let changing: Vec<&Clause> = of_kind
        .filter(|one| !one.is_of_name_alone(deciding.world))
        .filter_map(|one| one.after.as_ref().or(one.before.as_ref()))
        .collect();
    changing.into_iter().try_for_each(|clause| deciding.going_on(|deciding| decide(deciding, clause)))
}

fn set(deciding: &mut Deciding<'_>, clause: &Clause) -> Result<(), Refusal> {
    match clause.clone() {
        // Rules are set all at once.
        Clause::Rule(_) => Ok(()),
        Clause::Assurance(assurance) => assurances::decide(deciding, &AssuranceCommand::Set { assurance }),
        Clause::Separation(separation) => separations::decide(deciding, &SeparationCommand::Set { separation }),
        Clause::Promise(promise) => promises::decide(deciding, &PromiseCommand::Set { promise }),
    }
}

fn end(deciding: &mut Deciding<'_>, clause: &Clause) -> Result<(), Refusal> {
    match clause {
        Clause::Rule(_) => Ok(()),
        Clause::Assurance(it) => assurances::decide(deciding, &AssuranceCommand::End { name: it.name.clone() }),
        Clause::Separation(it) => separations::decide(deciding, &SeparationCommand::End { name: it.name.clone() }),
        Clause::Promise(it) => promises::decide(deciding, &PromiseCommand::End { name: it.name.clone() }),
    }
}

/// Sets and ends the rules; says, in order, which one became of each.
fn rules(deciding: &mut Deciding<'_>, plan: &FilingPlan) -> Result<Vec<TermsId>, Refusal> {
    let world = deciding.world;
    let wanted = |one: &Amendment| match (&one.before, &one.after) {
        (_, Some(Clause::Rule(rule))) => Some(Wanted::Set(Box::new(rule.clone()))),
        (Some(Clause::Rule(rule)), None) => Some(Wanted::Ended(rule.id)),
        _ => None,
    };
    let wanted: Vec<Wanted> = changing_rules(plan, world).filter_map(wanted).collect();
    if wanted.is_empty() {
        return Ok(Vec::new());
    }
    deciding.going_on(|deciding| terms::amend(deciding, plan.within, &wanted))
}

fn changing_rules<'p>(plan: &'p FilingPlan, world: &'p World) -> impl Iterator<Item = &'p Amendment> {
    let rules = plan.amendments.iter().filter(|one| one.kind() == ClauseKind::Rule);
    rules.filter(|one| !one.is_of_name_alone(world))
}

/// Says what was put, names each clause as the files do, and keeps for a while what would undo it.
fn record(deciding: &mut Deciding<'_>, plan: &FilingPlan, id: FilingId, rules: Vec<TermsId>) -> Result<(), Refusal> {
    let administers = deciding.administers(plan.within)?;
    let (world, now, after) = (deciding.world, deciding.now(), deciding.after());
    let mut rules = rules.into_iter();
    let mut changes = Vec::new();
    for one in &plan.amendments {
        let made = if one.kind() == ClauseKind::Rule && !one.is_of_name_alone(world) { rules.next() } else { None };
        let key = made.map(|id| Key { kind: Kind::Terms, id: id.0.to_string() }).or_else(|| one.key.clone());
        let key = key.or_else(|| one.after.as_ref().map(Clause::key));
        let Some(key) = key else { continue };
        let (name, known_as, before) = (one.name.clone(), one.known_as.clone(), one.before.clone());
        let after = Clause::at(&after, &key).map(|clause| clause.digest());
        changes.push(Refiled { key, name, known_as, before, after });
    }
    let is_set = |change: &&Refiled| change.after.is_some();
    let set = changes.iter().filter(is_set).count();
    let (set, ended) = (count(set), count(changes.len() - set));
    let mark = |change: &Refiled| {
        change
            .name
            .clone()
            .map(|known_as| Row::FileMark(FileMark { of: change.key.clone(), known_as, filing: id, at: now }))
    };
    let mut put: Vec<Row> = changes.iter().filter_map(mark).collect();
    let unnamed = |mark: &&FileMark| {
        Clause::at(&after, &mark.of).is_none() || changes.iter().any(|one| one.key == mark.of && one.name.is_none())
    };
    let mut cut: Vec<Key> =
        world.file_marks.values().filter(unnamed).map(|mark| Row::FileMark(mark.clone()).key()).collect();
    let undone = plan.undoes.and_then(|undone| world.filings.get(&undone)).cloned();
    put.extend(undone.map(|undone| Row::Filing(Filing { undone_by: Some(id), ..undone })));
    let too_old = world.filings.values().filter(|filing| filing.undo_until() < now);
    cut.extend(too_old.map(|filing| Key { kind: Kind::Filing, id: filing.id.0.to_string() }));
    let by = deciding.context.caller.subject();
    put.push(Row::Filing(Filing {
        id,
        within: plan.within,
        by,
        at: now,
        undoes: plan.undoes,
        undone_by: None,
        changes,
    }));
    let what = match plan.undoes {
        Some(undone) => What::FilingUndone { filing: id, undone, scope: plan.within },
        None => What::FilesPut { filing: id, scope: plan.within, set, ended },
    };
    deciding.by(administers).fact_cutting(what, put, cut);
    Ok(())
}
