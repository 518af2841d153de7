//! Noting what changes no row: who may say it follows from what it is.

use super::{
    deciding::Deciding,
    proofs::{Permitted, Person},
};
use crate::{Context, Decision, Note, Refusal, SubjectId, What, World};

pub(super) fn note(deciding: &mut Deciding<'_>, note: &Note) -> Result<(), Refusal> {
    let of_themselves = |what: fn(SubjectId) -> What, person: Person| (Permitted::by(person), what(person.id()));
    let (permitted, what) = match note {
        Note::SignedIn => of_themselves(|subject| What::SignedIn { subject }, deciding.whoever()?),
        Note::Proved => of_themselves(|subject| What::Proved { subject }, deciding.whoever()?),
        Note::ProofFailed => of_themselves(|subject| What::ProofFailed { subject }, deciding.whoever()?),
        Note::SignInEnded => of_themselves(|subject| What::SignInEnded { subject }, deciding.whoever()?),
        Note::PasskeyDropped => of_themselves(|subject| What::PasskeyDropped { subject }, deciding.whoever()?),
        Note::DeviceRefused => of_themselves(|subject| What::DeviceRefused { subject }, deciding.whoever()?),
        Note::DeviceLetIn { program } => {
            let person = deciding.whoever()?;
            let what = What::DeviceLetIn { subject: person.id(), program: deciding.words(program) };
            (Permitted::by(person), what)
        }
        Note::Exported(export) => (Permitted::by(deciding.whoever()?), What::Exported { export: *export }),
        Note::Refused { command, code, elevation } => {
            let what = What::Refused { command: command.clone(), code: code.clone(), elevation: *elevation };
            (Permitted::by(deciding.whoever()?), what)
        }
        Note::SurveyAsked(target) => {
            (Permitted::by(deciding.administers(*target)?), What::SurveyAsked { target: *target })
        }
        Note::AuthoritiesChanged { step } => {
            (Permitted::by(deciding.administers_all()?), What::AuthoritiesChanged { step: step.clone() })
        }
        Note::SignInFailed(subject) => (Permitted::by(deciding.stranger()?), What::SignInFailed { subject: *subject }),
        Note::NameUnknown => (Permitted::by(deciding.stranger()?), What::NameUnknown {}),
        Note::KeyRotated { key } => (Permitted::by(deciding.operates()?), What::KeyRotated { key: key.clone() }),
    };
    deciding.by(permitted).fact(what, Vec::new());
    Ok(())
}

/// Notes that refusals of somebody were counted and not written down one by one. No command: whoever counts them says it.
///
/// It carries no address of its own, since the refusals that were kept do.
#[must_use]
pub fn refusals_dropped(context: &Context, subject: SubjectId, count: u32) -> Decision {
    let world = World::default();
    let mut context = context.clone();
    context.caller.from = None;
    let mut deciding = Deciding::new(&world, &context);
    if let Ok(person) = deciding.whoever() {
        deciding.by(person).fact(What::RefusalsDropped { subject, count }, Vec::new());
    }
    deciding.finish()
}
