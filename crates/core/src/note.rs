//! What is noted: it changes no row, and says what somebody did, tried or was shown.

use crate::{ElevationId, Export, ScopeId, SubjectId};

/// What is noted. Where it is about whoever gives it, that is whom it says it is about: nobody notes anything of another.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Note {
    /// They signed in.
    SignedIn,
    /// They proved themselves anew.
    Proved,
    /// They gave a wrong code when they were to prove themselves.
    ProofFailed,
    /// They ended a sign-in, or all of them.
    SignInEnded,
    /// They let go of a passkey.
    PasskeyDropped,
    /// They let a program in.
    DeviceLetIn {
        /// As it calls itself.
        program: String,
    },
    /// They refused to let a program in.
    DeviceRefused,
    /// They took something from the record.
    Exported(Export),
    /// They were refused.
    Refused {
        /// What they wanted, as a word.
        command: String,
        /// Why, as a word.
        code: String,
        /// The elevation that it was about.
        elevation: Option<ElevationId>,
    },
    /// They had a target surveyed, which they administer.
    SurveyAsked(ScopeId),
    /// They took the authorities a step further, as administrators of everything.
    AuthoritiesChanged {
        /// The step, as a word.
        step: String,
    },
    /// Somebody who proved nothing failed to sign in as this person.
    SignInFailed(SubjectId),
    /// Somebody who proved nothing tried to sign in by a name that is nobody's.
    NameUnknown,
    /// The secrets were moved to another master key, on the machine.
    KeyRotated {
        /// The new one's id.
        key: String,
    },
}

/// What became of somebody's credentials.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CredentialStep {
    /// A one-time secret was issued to them.
    Issued,
    /// They set a password and a TOTP secret.
    Enrolled,
    /// They added a passkey.
    PasskeyAdded,
}
