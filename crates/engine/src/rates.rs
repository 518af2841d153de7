//! How often what somebody does becomes a fact: refusals within a rate, the rest of them counted.

use std::collections::HashMap;

use jiff::Timestamp;
use tempestas_core::{
    CallerRefusal, Command, Context, Decision, Note, Refusal, SubjectId, World, decide, refusals_dropped,
};

/// Refusals of one caller that become facts within a minute; the rest is counted.
const REFUSALS_MOST: u32 = 30;
/// Most times that one person takes from the record within a minute.
const EXPORTS_MOST: u32 = 30;

/// What was counted of each caller.
#[derive(Default)]
pub(crate) struct Rates {
    refusals: HashMap<SubjectId, Minute>,
    exports: HashMap<SubjectId, Minute>,
}

/// What was counted of one caller within the present minute.
struct Minute {
    since: Timestamp,
    count: u32,
}

/// How many there are within the present minute, and were in the last one where this is the first.
struct Counted {
    count: u32,
    before: u32,
}

fn counted(minutes: &mut HashMap<SubjectId, Minute>, person: SubjectId, now: Timestamp) -> Counted {
    let minute = minutes.entry(person).or_insert(Minute { since: now, count: 0 });
    let mut before = 0;
    if now.duration_since(minute.since).as_secs() >= 60 {
        before = minute.count;
        *minute = Minute { since: now, count: 0 };
    }
    minute.count = minute.count.saturating_add(1);
    Counted { count: minute.count, before }
}

impl Rates {
    /// Whether a command that notes a refusal or a failed sign-in still fits into the rate of the person it is about;
    /// everything else does. What is taken away is noted each time, so it is refused beyond the rate.
    pub(crate) fn admit(&mut self, command: &Command, context: &Context) -> Result<Option<Decision>, Refusal> {
        let admitted = match (command, context.caller.subject()) {
            (Command::Note(Note::Refused { .. }), Some(person)) => self.within_rate(person, context),
            (Command::Note(Note::SignInFailed(subject)), None) => self.within_rate(*subject, context),
            (Command::Note(Note::ProofFailed), Some(person)) => self.within_rate(person, context),
            // Nobody in particular, so all of them together.
            (Command::Note(Note::NameUnknown), None) => self.within_rate(SubjectId(0), context),
            (Command::Note(Note::Exported(_)), Some(person)) => {
                if counted(&mut self.exports, person, context.now).count > EXPORTS_MOST {
                    return Err(CallerRefusal::TookTooOften { most: EXPORTS_MOST }.into());
                }
                Some(Decision::default())
            }
            _ => Some(Decision::default()),
        };
        Ok(admitted)
    }

    /// A fact for a refusal to a known caller, within a rate.
    pub(crate) fn note_refusal(
        &mut self,
        world: &World,
        command: &Command,
        context: &Context,
        refusal: &Refusal,
    ) -> Decision {
        let Some(person) = context.caller.subject() else { return Decision::default() };
        let Some(mut decision) = self.within_rate(person, context) else { return Decision::default() };
        let note = Note::Refused {
            command: command.word().to_owned(),
            code: refusal.code().to_owned(),
            elevation: command.elevation(),
        };
        if let Ok(noted) = decide(world, &Command::Note(note), context) {
            decision.extend(noted);
        }
        decision
    }

    /// None where the caller's refusals of this minute are enough; else, at the start of a new minute, a fact
    /// about those that were dropped before.
    fn within_rate(&mut self, person: SubjectId, context: &Context) -> Option<Decision> {
        let Counted { count, before } = counted(&mut self.refusals, person, context.now);
        let dropped = before.saturating_sub(REFUSALS_MOST);
        if count > REFUSALS_MOST {
            return None;
        }
        Some(if dropped > 0 { refusals_dropped(context, person, dropped) } else { Decision::default() })
    }
}
