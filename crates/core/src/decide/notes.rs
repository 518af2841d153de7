//! Noting what changes no row: who may say it follows from what it is.

use super::{Draft, house::machine};
use crate::{Actor, Context, CredentialStep, Decision, Hand, Note, Refusal, Row, Seconds, SubjectId, What, World};

/// Longer than any enrolment secret is good.
const ISSUED_WITHIN: Seconds = Seconds::hours(24 * 8);

pub(super) fn note(draft: &mut Draft<'_>, note: &Note) -> Result<(), Refusal> {
    // Refusals are noted of the suspended as well, so they are no bar here.
    let about_themselves = draft
        .context
        .caller
        .subject()
        .ok_or_else(|| Refusal::not_allowed("this is noted of somebody who signed in, and by them alone"));
    let what = match note {
        Note::SignedIn => What::SignedIn { subject: about_themselves? },
        Note::Proved => What::Proved { subject: about_themselves? },
        Note::ProofFailed => What::ProofFailed { subject: about_themselves? },
        Note::SignInEnded => What::SignInEnded { subject: about_themselves? },
        Note::PasskeyDropped => What::PasskeyDropped { subject: about_themselves? },
        Note::DeviceLetIn { program } => {
            What::DeviceLetIn { subject: about_themselves?, program: draft.words(program) }
        }
        Note::DeviceRefused => What::DeviceRefused { subject: about_themselves? },
        Note::Exported(export) => {
            about_themselves?;
            What::Exported { export: *export }
        }
        Note::Refused { command, code, elevation } => {
            about_themselves?;
            What::Refused { command: command.clone(), code: code.clone(), elevation: *elevation }
        }
        Note::SurveyAsked(target) => {
            draft.administrator(*target)?;
            What::SurveyAsked { target: *target }
        }
        Note::AuthoritiesChanged { step } => {
            draft.root_administrator()?;
            What::AuthoritiesChanged { step: step.clone() }
        }
        Note::SignInFailed(subject) => {
            stranger(draft)?;
            What::SignInFailed { subject: *subject }
        }
        Note::NameUnknown => {
            stranger(draft)?;
            What::NameUnknown {}
        }
        Note::KeyRotated { key } => {
            machine(draft)?;
            What::KeyRotated { key: key.clone() }
        }
    };
    draft.fact(what, Vec::new());
    Ok(())
}

fn stranger(draft: &Draft<'_>) -> Result<(), Refusal> {
    match draft.context.caller.actor {
        Actor::Nobody => Ok(()),
        _ => Err(Refusal::not_allowed("a failed sign-in is noted of somebody who proved nothing")),
    }
}

/// Notes that refusals of somebody were counted and not written down one by one. No command: whoever counts them says it.
///
/// It carries no address of its own, since the refusals that were kept do.
#[must_use]
pub fn refusals_dropped(context: &Context, subject: SubjectId, count: u32) -> Decision {
    let world = World::default();
    let mut context = context.clone();
    context.caller.from = None;
    let mut draft = Draft::new(&world, &context);
    draft.fact(What::RefusalsDropped { subject, count }, Vec::new());
    draft.finish()
}

/// Somebody's credentials are others from now on, or can be.
pub(super) fn credentials(draft: &mut Draft<'_>, subject: SubjectId, step: CredentialStep) -> Result<(), Refusal> {
    let own = draft.context.caller.subject() == Some(subject);
    match step {
        CredentialStep::Issued if own => {
            return Err(Refusal::not_allowed(
                "you can't reset your own sign-in; another administrator can, or `tempestasd recover` on the machine",
            ));
        }
        CredentialStep::Issued => drop(draft.root_administrator()?),
        CredentialStep::Enrolled | CredentialStep::PasskeyAdded if own => {}
        CredentialStep::Enrolled | CredentialStep::PasskeyAdded => {
            return Err(Refusal::not_allowed("everybody sets their own password and passkeys"));
        }
    }
    let mut hands = draft.hands([subject]);
    if own {
        // A secret may have been kept and used by whoever issued it: their day begins again with its use.
        let now = draft.now();
        let recent = draft
            .world
            .hands
            .values()
            .filter(|hand| hand.touched == subject && crate::later(hand.at, ISSUED_WITHIN) > now);
        hands.extend(recent.map(|hand| Row::Hand(Hand { at: now, ..hand.clone() })));
    }
    let what = match step {
        CredentialStep::Issued => What::EnrolmentIssued { subject },
        CredentialStep::Enrolled => What::CredentialsSet { subject },
        CredentialStep::PasskeyAdded => What::PasskeyAdded { subject },
    };
    draft.fact(what, hands);
    Ok(())
}
