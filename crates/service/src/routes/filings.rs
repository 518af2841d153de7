//! Terms as files: taken away, compared, put as one, and undone as one.

use std::collections::BTreeMap;

use jiff::Timestamp;
use tempestas_api::{
    FaultView, FilesCompared, FilesQuery, FilesReply, FilingPlanView, FilingView, TermsFiles, TermsTouched, UndoFiling,
};
use tempestas_core::{
    Clause, ClauseKind, Filed, Filing, FilingCommand, FilingId, FilingPlan, LookedAt, Sight, SubjectId, Terms, TermsId,
    What, World, faults, filing_plan, named_clauses, plan_to_undo,
};
use tempestas_engine::Outcome;

use super::{
    assurances, made, promises, reference, scope, separations,
    terms::rule,
    trials::{Changed, ensure_administers, touched},
};
use crate::{
    callers::{Administrator, Overseer, SignedIn},
    door::{Answer, At, Body, Json, Looked, Query, Tagged, Tagging, Whole},
    files::{self, Reading, Written},
    problem::Failure,
    refused::EdgeRefusal,
    views,
};

/// What the caller sees of a place, as files. A line stands alone, so that a reader may look at each.
pub(super) async fn take_away(Overseer(me): Overseer, Query(query): Query<FilesQuery>) -> Answer<FilesReply> {
    let (world, sight) = (me.app.world(), me.sight());
    let within = scope(&world, me.person, &query.within)?.id;
    let files = files::written(&world, &sight, &named_clauses(&world, within))?;
    let lines = |text: String| text.lines().map(str::to_owned).collect();
    Ok(Json(FilesReply { files: files.into_iter().map(|(name, text)| (name, lines(text))).collect() }))
}

/// Reads files, with what is wrong in them.
fn read<'f>(world: &World, me: SubjectId, files: &'f TermsFiles) -> Result<(Reading<'f>, Filed), Failure> {
    let within = scope(world, me, &files.within)?.id;
    // Who may not put them learns nothing by comparing.
    ensure_administers(world, me, within)?;
    let resolve = |name: &str, written: Written| {
        Ok(match written {
            Written::Rule(new) => Clause::Rule(rule(world, me, TermsId(0), *new)?),
            Written::Assurance(said) => Clause::Assurance(assurances::read(world, name.to_owned(), said)?),
            Written::Separation(said) => Clause::Separation(separations::read(world, me, name.to_owned(), &said)?),
            Written::Promise(said) => Clause::Promise(promises::read(world, me, name.to_owned(), said)?),
        })
    };
    let mut reading = files::read(&files.files, resolve);
    let filed = Filed { within, clauses: std::mem::take(&mut reading.clauses) };
    let found: Vec<FaultView> =
        faults(world, &filed, Timestamp::now()).iter().map(|fault| reading.fault(fault)).collect();
    reading.faults.extend(found);
    reading
        .faults
        .sort_by(|one, other| (&one.file, one.line, one.column).cmp(&(&other.file, other.line, other.column)));
    Ok((reading, filed))
}

/// What files would change; nothing is changed.
pub(super) async fn compare(Administrator(me): Administrator, Body(said): Body<TermsFiles>) -> Answer<FilesCompared> {
    let (world, sight, trying, person) = (me.app.world(), me.sight(), me.trying(), me.person);
    // With many clauses, and over everybody's rights, it takes a while.
    let reckoning = me.app.engine().reckon(move || {
        let (reading, filed) = read(&world, person, &said)?;
        if !reading.faults.is_empty() {
            return Ok(FilesCompared { faults: reading.faults, plan: None });
        }
        let plan = filing_plan(&world, &filed)?;
        let would_be = (!plan.amendments.is_empty()).then_some(FilingCommand::Put { filed });
        let refused_because = would_be.and_then(|command| trying.refused(&world, command));
        let touched = touched_by(&world, &sight, &plan, refused_because);
        Ok(FilesCompared { faults: Vec::new(), plan: Some(views::filing_plan(&world, &plan, touched)) })
    });
    reckoning.await?.map(Json)
}

/// Whom a plan would touch.
fn touched_by(world: &World, sight: &Sight, plan: &FilingPlan, refused_because: Option<String>) -> TermsTouched {
    let changed = changed(plan);
    let mut touched = touched(world, sight, &changed);
    // What is to be made has a name, and no number yet.
    let rules = plan.amendments.iter().filter(|one| one.kind() == ClauseKind::Rule);
    let names: BTreeMap<String, &String> = changed
        .iter()
        .zip(rules)
        .filter_map(|((_, new), one)| Some((new.as_ref()?.id.to_string(), &one.name.as_ref()?.name)))
        .collect();
    let named = |id: &mut String| names.get(id).into_iter().for_each(|name| id.clone_from(name));
    for one in &mut touched.contradicts {
        named(&mut one.of);
        named(&mut one.rule);
    }
    TermsTouched { refused_because, ..touched }
}

/// The rules that a plan changes. What is to be made has a number of its own for as long as it is tried.
fn changed(plan: &FilingPlan) -> Vec<Changed> {
    let rules = plan.rules().zip(0..).map(|((before, after), n)| {
        let id = before.map_or(TermsId(u64::MAX - n), |before| before.id);
        let paused = before.and_then(|before| before.paused);
        let new = after.map(|rule| Terms { id, paused, ..rule.clone() });
        (
            before.map(|before| before.id),
            new.map(|rule| Terms { dormant: rule.valid.dormant(Timestamp::now()), ..rule }),
        )
    });
    rules.collect()
}

/// Puts what was compared.
pub(super) async fn put(
    Administrator(me): Administrator,
    Looked(looked_at): Looked,
    Whole(said): Whole<TermsFiles>,
) -> Answer<FilingView> {
    let (world, person) = (me.app.world(), me.person);
    let reading = me.app.engine().reckon(move || {
        let (reading, filed) = read(&world, person, &said)?;
        match reading.faults.first() {
            None => Ok(filed),
            Some(FaultView { file, line, column, says }) => {
                let first = format!("{file}:{line}:{column}: {says}");
                Err(Failure::from(EdgeRefusal::BadFiles { first, more: reading.faults.len() - 1 }))
            }
        }
    });
    let filed = reading.await??;
    let outcome = me.change(looked_at, FilingCommand::Put { filed }).await;
    was_put(&me, outcome)
}

fn was_put(me: &SignedIn, outcome: Outcome) -> Answer<FilingView> {
    let done = outcome?;
    let id = made(&done, |what| match what {
        What::FilesPut { filing, .. } | What::FilingUndone { filing, .. } => Some(*filing),
        _ => None,
    })?;
    let filing = done.world.filings.get(&id).and_then(|filing| me.sight().see(&done.world, filing));
    let filing = filing.ok_or_else(|| Failure::Failed(anyhow::anyhow!("what was put is gone")))?;
    Ok(Json(views::filing(&done.world, filing)))
}

/// What was put from files, the last one first.
pub(super) async fn list(Overseer(me): Overseer) -> Answer<Vec<FilingView>> {
    let (world, sight) = (me.app.world(), me.sight());
    let seen = world.filings.values().rev().filter_map(|filing| sight.see(&world, filing));
    Ok(Json(seen.map(|filing| views::filing(&world, filing)).collect()))
}

fn known<'w>(world: &'w World, me: &SignedIn, id: &str) -> Result<&'w Filing, Failure> {
    let filing = world.filings.get(&reference::<FilingId>(id)?);
    let theirs = filing.filter(|filing| ensure_administers(world, me.person, filing.within).is_ok());
    theirs.ok_or_else(|| Failure::unknown("filing", id, "`tempestas terms filings` lists them"))
}

/// What an undo would change; nothing is changed.
pub(super) async fn show_undo(Administrator(me): Administrator, At(id): At) -> Tagging<FilingPlanView> {
    let world = me.app.world();
    let filing = known(&world, &me, &id)?;
    let (plan, command) = (plan_to_undo(&world, filing, Timestamp::now())?, FilingCommand::Undo { filing: filing.id });
    let (sight, trying) = (me.sight(), me.trying());
    let reckoning = me.app.engine().reckon(move || {
        let refused_because = trying.refused(&world, command);
        let touched = touched_by(&world, &sight, &plan, refused_because);
        views::filing_plan(&world, &plan, touched)
    });
    let shown = reckoning.await?;
    Ok(Tagged(shown.digest, shown))
}

/// Undoes what was put, as it was looked at.
pub(super) async fn undo(
    Administrator(me): Administrator,
    At(id): At,
    Body(UndoFiling { shown }): Body<UndoFiling>,
) -> Answer<FilingView> {
    let filing = known(&me.app.world(), &me, &id)?.id;
    let outcome = me.change(LookedAt::This(shown), FilingCommand::Undo { filing }).await;
    was_put(&me, outcome)
}
