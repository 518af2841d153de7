//! What is done about people, and where they come from.

use crate::{CredentialStep, Digest, DutyId, DutyKind, Imported, Mapping, Said, ScopeId, SubjectId, SubjectKind};

/// A command about people, groups and programs.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum PeopleCommand {
    /// Takes in a person, a group or a program.
    AddSubject {
        /// Which of them.
        kind: SubjectKind,
        /// What they sign in with and are called.
        name: Said,
        /// Their full name, or what it is for.
        about: Said,
        /// The person whose second sign-in it is.
        second_of: Option<SubjectId>,
    },
    /// Puts somebody into a group.
    AddMember {
        /// The group.
        group: SubjectId,
        /// Who.
        member: SubjectId,
    },
    /// Takes somebody out of a group.
    RemoveMember {
        /// The group.
        group: SubjectId,
        /// Who.
        member: SubjectId,
    },
    /// Suspends somebody, which ends what they hold.
    Suspend {
        /// Whom.
        subject: SubjectId,
    },
    /// Lets somebody back in.
    Resume {
        /// Whom.
        subject: SubjectId,
    },
    /// Says which account of a target is whose.
    SetAccount {
        /// Whose.
        subject: SubjectId,
        /// The target.
        target: ScopeId,
        /// The account's name there.
        account: Said,
    },
    /// Says who somebody's manager is.
    SetManager {
        /// Whose.
        subject: SubjectId,
        /// Who; nobody where none.
        manager: Option<SubjectId>,
    },
    /// Gives a duty.
    GiveDuty {
        /// To whom.
        subject: SubjectId,
        /// Which.
        kind: DutyKind,
        /// Where.
        scope: ScopeId,
    },
    /// Ends a duty.
    EndDuty {
        /// Which.
        duty: DutyId,
    },
    /// Credentials were made anew: by the person themselves or an administrator.
    SetCredentials {
        /// Whose.
        subject: SubjectId,
        /// What became of them.
        step: CredentialStep,
    },
}

/// A command about where people come from.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum SourceCommand {
    /// Has people and groups come from a directory.
    #[strum(serialize = "set-source")]
    Set {
        /// The directory.
        target: ScopeId,
        /// What in it is what.
        mapping: Mapping,
    },
    /// Has nobody come from it any more.
    #[strum(serialize = "end-source")]
    End {
        /// The directory.
        target: ScopeId,
    },
    /// Takes in a reading that was held, after somebody looked at it.
    #[strum(serialize = "record-import")]
    Accept {
        /// The directory.
        target: ScopeId,
        /// The reading's digest.
        digest: Digest,
        /// The reading.
        imported: Box<Imported>,
    },
}
