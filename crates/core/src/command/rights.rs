//! What is done about rights: who may ask for them, under which terms, and what becomes of those that stand.

use jiff::Timestamp;

use crate::{
    AppointmentId, ConversionId, Digest, DriftId, EligibilityId, Right, Said, StandingId, SubjectId, Terms, TermsId,
    Verdict, WavePlan,
};

/// A command about who may ask for what.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum EligibilityCommand {
    /// Makes somebody eligible, or wishes it where the terms demand a yes.
    #[strum(serialize = "give-eligibility")]
    Give {
        /// Whom.
        subject: SubjectId,
        /// For what.
        right: Right,
        /// From when; at once where none.
        from: Option<Timestamp>,
        /// Until when; for good where none.
        until: Option<Timestamp>,
        /// Why.
        reason: Option<Said>,
    },
    /// Asks to be made eligible, or that a group of one's own is, for what terms offer.
    #[strum(serialize = "wish")]
    Wish {
        /// Oneself, or the group.
        subject: SubjectId,
        /// For what.
        right: Right,
        /// Until when.
        until: Timestamp,
        /// Why.
        reason: Option<Said>,
    },
    /// Changes a window in place. Its holder may wish that too.
    #[strum(serialize = "change-eligibility")]
    Change {
        /// Which.
        eligibility: EligibilityId,
        /// From when; as it is where none.
        from: Option<Timestamp>,
        /// Until when; as it is where none, and for good where the inner one is none.
        until: Option<Option<Timestamp>>,
        /// Why.
        reason: Option<Said>,
    },
    /// Suspends one.
    #[strum(serialize = "suspend-eligibility")]
    Suspend {
        /// Which.
        eligibility: EligibilityId,
        /// Why.
        reason: Said,
    },
    /// Resumes one that is suspended.
    #[strum(serialize = "resume-eligibility")]
    Resume {
        /// Which.
        eligibility: EligibilityId,
    },
    /// Ends one.
    #[strum(serialize = "end-eligibility")]
    End {
        /// Which.
        eligibility: EligibilityId,
    },
    /// Has somebody stand in for an absent person, for what that person may ask for.
    #[strum(serialize = "cover")]
    Cover {
        /// Who is away.
        absent: SubjectId,
        /// Who stands in.
        stand_in: SubjectId,
        /// From when; at once where none.
        from: Option<Timestamp>,
        /// Until when.
        until: Timestamp,
        /// Why.
        reason: Option<Said>,
    },
    /// Says yes or no to a wish.
    #[strum(serialize = "answer-appointment")]
    Answer {
        /// The wish.
        appointment: AppointmentId,
        /// Yes or no.
        verdict: Verdict,
        /// Why.
        reason: Option<Said>,
        /// Digest of what was looked at.
        shown: Digest,
    },
    /// Takes a wish back, or ends a cover early.
    #[strum(serialize = "end-appointment")]
    EndAppointment {
        /// Which.
        appointment: AppointmentId,
    },
}

/// A command about rules of terms.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
#[expect(clippy::large_enum_variant, reason = "commands pass through; none is kept in this form")]
pub enum TermsCommand {
    /// A new rule where its id is 0; else in the place of the one that has it.
    #[strum(serialize = "set-terms")]
    Set {
        /// The rule.
        terms: Terms,
    },
    /// Has a rule not count for a while.
    #[strum(serialize = "suspend-terms")]
    Suspend {
        /// Which.
        terms: TermsId,
        /// Why.
        reason: Said,
    },
    /// Has it count again.
    #[strum(serialize = "resume-terms")]
    Resume {
        /// Which.
        terms: TermsId,
    },
    /// Ends a rule.
    #[strum(serialize = "end-terms")]
    End {
        /// Which.
        terms: TermsId,
    },
}

/// A command about what surveys saw that nobody did through us.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
pub enum DriftCommand {
    /// Takes it as it is.
    #[strum(serialize = "adopt-drift")]
    Adopt {
        /// Which.
        drift: DriftId,
    },
    /// Wants to hear nothing of it for a while.
    #[strum(serialize = "ignore-drift")]
    Ignore {
        /// Which.
        drift: DriftId,
        /// Why.
        reason: Said,
        /// Until when.
        until: Timestamp,
    },
    /// Has it put back as it was.
    #[strum(serialize = "put-back-drift")]
    PutBack {
        /// Which.
        drift: DriftId,
    },
}

/// A command about converting standing rights into eligible ones.
#[derive(Debug, Clone, PartialEq, strum::IntoStaticStr)]
#[strum(serialize_all = "kebab-case")]
pub enum ConversionCommand {
    /// Makes holders eligible and takes the standing rights away, wave by wave.
    Convert {
        /// Which rights.
        chosen: Vec<StandingId>,
        /// Digest of the preview that was looked at.
        shown: Digest,
        /// Until when they are eligible; for good where none.
        until: Option<Timestamp>,
        /// In which order.
        plan: WavePlan,
    },
    /// Begins the next wave.
    NextWave {
        /// Of which.
        conversion: ConversionId,
    },
    /// Puts back what was taken.
    #[strum(serialize = "undo-conversion")]
    Undo {
        /// Which.
        conversion: ConversionId,
    },
}
