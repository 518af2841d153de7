//! Credentials: made anew by whoever they are, or by an administrator.

use super::{deciding::Deciding, proofs::Permitted};
use crate::{CredentialStep, Influence, PeopleRefusal, Refusal, Row, Seconds, SubjectId, What};

/// Longer than any enrolment secret is good.
const ISSUED_WITHIN: Seconds = Seconds::hours(24 * 8);

/// Somebody's credentials are others from now on, or can be.
pub(super) fn set(deciding: &mut Deciding<'_>, subject: SubjectId, step: CredentialStep) -> Result<(), Refusal> {
    let own = deciding.context.caller.subject() == Some(subject);
    let permitted = match step {
        CredentialStep::Issued if own => {
            return Err(PeopleRefusal::OwnReset.into());
        }
        CredentialStep::Issued => Permitted::by(deciding.administers_all()?),
        CredentialStep::Enrolled | CredentialStep::PasskeyAdded if own => Permitted::by(deciding.whoever()?),
        CredentialStep::Enrolled | CredentialStep::PasskeyAdded => {
            return Err(PeopleRefusal::AnothersPassword.into());
        }
    };
    let mut influences = deciding.influences([subject]);
    if own {
        // A secret may have been kept and used by whoever issued it: their day begins again with its use.
        let now = deciding.now();
        let recent = deciding
            .world
            .influences
            .values()
            .filter(|hand| hand.touched == subject && crate::later(hand.at, ISSUED_WITHIN) > now);
        influences.extend(recent.map(|hand| Row::Influence(Influence { at: now, ..hand.clone() })));
    }
    let what = match step {
        CredentialStep::Issued => What::EnrolmentIssued { subject },
        CredentialStep::Enrolled => What::CredentialsSet { subject },
        CredentialStep::PasskeyAdded => What::PasskeyAdded { subject },
    };
    deciding.by(permitted).fact(what, influences);
    Ok(())
}
