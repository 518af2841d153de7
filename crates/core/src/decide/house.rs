//! The house itself: founding, epochs, sign-in events, alarms, recovery.

use super::Draft;
use crate::{
    Actor, Alarm, AlarmId, AlarmKind, Command, Counters, Duty, DutyId, DutyKind, Refusal, Row, Scope, ScopeId,
    ScopeKind, Subject, SubjectId, SubjectKind, What,
};

/// How far references skip ahead after a restore, so that none is used twice.
const EPOCH_SKIP: u64 = 10_000;

pub(super) fn decide(draft: &mut Draft<'_>, command: &Command) -> Result<(), Refusal> {
    match command {
        Command::Found { installation, administrator } => {
            machine(draft)?;
            found(draft, installation, administrator)
        }
        Command::BeginEpoch { restored_size, restored_root } => {
            machine(draft)?;
            let counters = &draft.counters;
            let epoch = counters.epoch + 1;
            draft.counters = Counters {
                next: counters.next + EPOCH_SKIP,
                next_elevation: counters.next_elevation + EPOCH_SKIP,
                epoch,
            };
            let put = draft
                .world
                .targets
                .values()
                .map(|target| Row::Target(crate::Target { to_search: true, ..target.clone() }))
                .collect();
            draft.fact(What::EpochBegun { epoch, restored_size: *restored_size, restored_root: *restored_root }, put);
            Ok(())
        }
        Command::RaiseAlarm(about) => {
            let own = about.target(draft.world) == draft.context.caller.keeps;
            match draft.context.caller.actor {
                Actor::Keeper if own => {}
                Actor::Keeper => return Err(Refusal::not_allowed("a keeper raises alarms of its own target alone")),
                _ => return Err(Refusal::not_allowed("alarms are raised by the service itself")),
            }
            raise(draft, about.clone());
            Ok(())
        }
        Command::SettleAlarm { alarm } => settle(draft, *alarm),
        Command::Recover { subject } => {
            machine(draft)?;
            recover(draft, *subject)
        }
        _ => Ok(()),
    }
}

pub(super) fn machine(draft: &Draft<'_>) -> Result<(), Refusal> {
    match draft.context.caller.actor {
        Actor::Machine => Ok(()),
        _ => Err(Refusal::not_allowed("this is done only on the machine that the service runs on")),
    }
}

fn found(draft: &mut Draft<'_>, installation: &str, name: &crate::Said) -> Result<(), Refusal> {
    if draft.world.root.is_some() {
        return Err(Refusal::conflict("this installation is founded already"));
    }
    super::checked_subject_name("person", &name.0)?;
    let (root, person, duty): (ScopeId, SubjectId, DutyId) = (draft.id(), draft.id(), draft.id());
    let about = draft.text(&crate::Said::new("first administrator"));
    let subject = Subject {
        id: person,
        kind: SubjectKind::Person,
        name: draft.text(name),
        about,
        second_of: None,
        suspended: false,
        members: Vec::new(),
        manager: None,
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

/// Raises an alarm unless the same one is up already.
pub(super) fn raise(draft: &mut Draft<'_>, about: AlarmKind) {
    if draft.world.open_alarm(|known| same_cause(known, &about)).is_some() {
        return;
    }
    let id: AlarmId = draft.id();
    let alarm = Alarm { id, about: about.clone(), since: draft.now(), settled: None };
    draft.fact(What::AlarmRaised { alarm: id, about }, vec![Row::Alarm(alarm)]);
}

/// Two alarms of one cause, whatever the figures in them.
fn same_cause(known: &AlarmKind, about: &AlarmKind) -> bool {
    match (known, about) {
        (AlarmKind::Skew { target: a, .. }, AlarmKind::Skew { target: b, .. })
        | (AlarmKind::LogUnread { target: a, .. }, AlarmKind::LogUnread { target: b, .. }) => a == b,
        (AlarmKind::ClockStep { .. }, AlarmKind::ClockStep { .. })
        | (AlarmKind::LedgerDiffers { .. }, AlarmKind::LedgerDiffers { .. }) => true,
        (known, about) => known == about,
    }
}

/// Settles every alarm that `fits`, because its cause is gone.
pub(super) fn settle_where(draft: &mut Draft<'_>, fits: impl Fn(&AlarmKind) -> bool) {
    let open: Vec<Alarm> =
        draft.world.alarms.values().filter(|alarm| alarm.settled.is_none() && fits(&alarm.about)).cloned().collect();
    for alarm in open {
        let settled = Alarm { settled: Some(draft.now()), ..alarm };
        draft.fact(What::AlarmSettled { alarm: settled.id }, vec![Row::Alarm(settled)]);
    }
}

fn settle(draft: &mut Draft<'_>, id: AlarmId) -> Result<(), Refusal> {
    let alarm = draft
        .world
        .alarms
        .get(&id)
        .filter(|alarm| alarm.settled.is_none())
        .ok_or_else(|| Refusal::unknown("open alarm", id, "`tempestas alarms` lists them"))?;
    match (&alarm.about, alarm.about.settled_at(draft.world)) {
        (about, Some(scope)) => {
            draft.administrator(scope)?;
            if draft.context.caller.subject().is_some_and(|me| about.is_about(draft.world, me)) {
                return Err(Refusal::not_allowed("this is about you; another administrator settles it"));
            }
        }
        (AlarmKind::Skew { target, .. }, None) if draft.reporting(*target).is_ok() => {}
        (about, None) => {
            return Err(Refusal::conflict(format!(
                "this alarm settles by itself once its cause is gone: {}",
                about.sentence(draft.world)
            )));
        }
    }
    let settled = Alarm { settled: Some(draft.now()), ..alarm.clone() };
    draft.fact(What::AlarmSettled { alarm: id }, vec![Row::Alarm(settled)]);
    Ok(())
}

fn recover(draft: &mut Draft<'_>, subject: SubjectId) -> Result<(), Refusal> {
    let known = draft
        .world
        .subjects
        .get(&subject)
        .filter(|known| known.kind == SubjectKind::Person)
        .ok_or_else(|| Refusal::unknown("person", subject, "give the name they sign in with"))?;
    let root = draft.world.root.ok_or_else(|| Refusal::conflict("nothing was founded here yet"))?;
    let mut put = draft.hands([subject]);
    put.push(Row::Subject(Subject { suspended: false, ..known.clone() }));
    if draft.world.root_administrators().next().is_none() {
        let id = draft.id();
        put.push(Row::Duty(Duty { id, subject, kind: DutyKind::Administrator, scope: root }));
    }
    draft.fact(What::Recovered { subject }, put);
    raise(draft, AlarmKind::Recovered { person: subject });
    Ok(())
}
