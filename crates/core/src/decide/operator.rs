//! What is done on the machine: founding, epochs after a restore, recovery.

use super::{
    alarms,
    checked::checked_subject_name,
    deciding::{Deciding, Draft},
};
use crate::{
    AlarmKind, Digest, Duty, DutyId, DutyKind, EstateRefusal, OperatorCommand, Refusal, Row, Said, Scope, ScopeId,
    ScopeKind, Subject, SubjectId, SubjectKind, Target, What,
};

/// How far references skip ahead after a restore, so that none is used twice.
const EPOCH_SKIP: u64 = 10_000;

pub(super) fn decide(deciding: &mut Deciding<'_>, command: &OperatorCommand) -> Result<(), Refusal> {
    let operates = deciding.operates()?;
    let draft = &mut deciding.by(operates);
    match command {
        OperatorCommand::Found { installation, administrator } => found(draft, installation, administrator),
        OperatorCommand::BeginEpoch { restored_size, restored_root } => {
            begin_epoch(draft, *restored_size, *restored_root);
            Ok(())
        }
        OperatorCommand::Recover { subject } => recover(draft, *subject),
    }
}

fn begin_epoch(draft: &mut Draft<'_, '_>, restored_size: u64, restored_root: Digest) {
    let epoch = draft.next_epoch(EPOCH_SKIP);
    let targets = draft.world.targets.values();
    let put = targets.map(|target| Row::Target(Target { to_search: true, ..target.clone() })).collect();
    draft.fact(What::EpochBegun { epoch, restored_size, restored_root }, put);
}

fn found(draft: &mut Draft<'_, '_>, installation: &str, name: &Said) -> Result<(), Refusal> {
    if draft.world.root.is_some() {
        return Err(EstateRefusal::FoundedAlready.into());
    }
    checked_subject_name("person", &name.0)?;
    let (root, person, duty): (ScopeId, SubjectId, DutyId) = (draft.id(), draft.id(), draft.id());
    let about = draft.text(&Said::new("first administrator"));
    let subject = Subject {
        id: person,
        kind: SubjectKind::Person,
        name: draft.text(name),
        about,
        second_of: None,
        suspended: false,
        manager: None,
        manager_set: None,
    };
    draft.fact(
        What::Founded { installation: installation.to_owned() },
        vec![
            Row::Scope(Scope { id: root, parent: None, name: String::new(), kind: ScopeKind::Folder }),
            Row::Subject(subject),
            Row::Duty(Duty { id: duty, subject: person, kind: DutyKind::Administrator, scope: root }),
        ],
    );
    Ok(())
}

fn recover(draft: &mut Draft<'_, '_>, subject: SubjectId) -> Result<(), Refusal> {
    let known = draft
        .world
        .subjects
        .get(&subject)
        .filter(|known| known.kind == SubjectKind::Person)
        .ok_or_else(|| Refusal::unknown("person", subject, "give the name they sign in with"))?;
    let root = draft.world.root.ok_or(EstateRefusal::NotFounded)?;
    let mut put = draft.influences([subject]);
    put.push(Row::Subject(Subject { suspended: false, ..known.clone() }));
    if draft.world.root_administrators().next().is_none() {
        let id = draft.id();
        put.push(Row::Duty(Duty { id, subject, kind: DutyKind::Administrator, scope: root }));
    }
    draft.fact(What::Recovered { subject }, put);
    alarms::raise(draft, AlarmKind::Recovered { person: subject });
    Ok(())
}
