//! The rules of Tempestas. No async, no input or output, no clock, no chance: time, random bytes and
//! the caller come in with each command.
//!
//! A [`Command`] is decided by [`decide`] against the [`World`] and yields [`Fact`]s or a [`Refusal`].
//! [`World::apply`] puts the rows that a fact carries in place and holds no rule of its own, so a rule that
//! changes later can't change history. [`orders`] says what the keepers must do on each target.
//!
//! ```text
//! Command ─▶ decide(&World, …, now) ─▶ Decision { facts, texts } ─▶ World::apply ─▶ orders ─▶ targets
//! ```

mod activity;
mod alarm;
mod alike;
mod appointment;
mod approval;
mod approvers;
mod assurance;
mod brought;
mod calendar;
mod caller;
mod caution;
mod circumstance;
mod command;
mod conversion;
mod days;
mod debrief;
mod decide;
mod delegation;
mod demand;
mod drift;
mod due;
mod elevation;
mod estate;
mod extension;
mod fact;
mod filing;
mod glass;
mod ids;
mod influence;
pub mod ledger;
mod note;
mod offer;
mod opening;
mod orders;
mod promise;
mod refusal;
pub mod rehearsal;
mod seal;
mod separation;
mod sight;
mod source;
mod standing;
mod stop;
mod subject;
mod survey;
mod terms;
mod text;
mod time;
pub mod ways;
mod why;
mod words;
mod world;

pub use activity::{Activity, Trail};
pub use alarm::{Alarm, AlarmKind};
pub use appointment::{Appointment, AppointmentState, rights_to_cover};
pub use approval::{Answer, Less, Round, Stage, StageAsked, Stages, Verdict};
pub use assurance::{Assurance, Lack, Shortfall, Surety};
pub use brought::{Brings, Brought};
pub use calendar::{Calendar, CalendarEntry};
pub use caller::{Actor, Caller, Channel, Context, LookedAt, Proof, ProofLevel, ProofMethod};
pub use caution::{Caution, cautions};
pub use circumstance::{Circumstance, Heard, ensure_circumstances};
pub use command::{
    AnswerInput, Ask, AssuranceCommand, CalendarCommand, CircumstanceCommand, Command, ConversionCommand, DebriefInput,
    DelegationCommand, DriftCommand, ElevationCommand, EligibilityCommand, EstateCommand, Extend, FilingCommand,
    OperatorCommand, PeopleCommand, PromiseCommand, Report, SeparationCommand, SourceCommand, StopCommand,
    TermsCommand,
};
pub use conversion::{Conversion, Item, ItemState, Plan, PlanItem, WavePlan, Waves, plan_conversion};
pub use days::{beginning_of, day_of, most_at_once};
pub use debrief::{Debrief, Finding, SignOff, ensure_may_debrief};
pub use decide::{Administers, FreshProof, decide, not_administrator, refusals_dropped};
pub use delegation::{Away, Delegation, Lent};
pub use demand::{Demand, Demanded, Manner, demand_for, demand_to_hold, own_rights};
pub use drift::{Drift, DriftKind, DriftState};
pub use elevation::{Asked, Elevation, End, Extends, Extension, Grant, LEFT_ALONE, Leftover, Phase, Seen, StartChoice};
pub use estate::{
    Account, Connector, Duty, DutyKind, Eligibility, Lapse, Pause, Right, Role, Scope, ScopeKind, Target, Weight,
    is_said,
};
pub use extension::{ExtensionOffer, end_with_grace, extension_offer, grace_of};
pub use fact::{Export, FACT_VERSION, Fact, Topic, What, row_of_version};
pub use filing::{
    Amendment, Clause, ClauseKind, Fault, FileMark, Filed, Filing, FilingPlan, InFiles, Refiled, faults, filing_plan,
    named_clauses, plan_to_undo,
};
pub use ids::{
    AlarmId, AppointmentId, ConversionId, DelegationId, DriftId, DutyId, ElevationId, EligibilityId, FilingId, GrantId,
    Id, Pair, RoleId, ScopeId, StandingId, StopId, SubjectId, TermsId,
};
pub use note::{CredentialStep, Note};
pub use offer::{OfferTakes, offer_takes};
pub use opening::Opening;
pub use orders::{Order, Task, orders, targets_of};
pub use promise::{BrokenBy, Promise, PromiseBreach, Promised};
pub use refusal::{
    AnswerRefusal, AskRefusal, AssuranceRefusal, CalendarRefusal, CallerRefusal, CircumstanceRefusal, Class,
    ConversionRefusal, DebriefRefusal, DelegationRefusal, EligibilityRefusal, EstateRefusal, ExtendRefusal,
    FilingRefusal, HoldRefusal, PeopleRefusal, PromiseRefusal, Refusal, SeparationRefusal, StopRefusal, TermsRefusal,
    TextRefusal,
};
pub use seal::{Trial, Tried};
pub use separation::{AtOnce, Breach, Counts, Holding, How, Keeps, RightSet, Separation, Toleration};
pub use sight::{InSight, Outline, Sight, Visible};
pub use source::{GroupFound, Imported, Link, Mapping, PersonFound, Source};
pub use standing::{Standing, Tally};
pub use stop::{LIFT_LASTS, Reach, Stop};
pub use subject::{Influence, ManagerSet, Membership, Subject, SubjectKind};
pub use survey::{AccountFound, Marked, PartFound, RightFound, RoleFound, Survey};
pub use terms::{
    Act, Approval, Approver, Assured, Closed, DebriefRule, DebriefTerms, Dormant, Effective, Extensions, Glass, Grace,
    Hours, LapseRule, Longest, NextStage, OfferRule, OnlyWhile, Onward, OpenTime, PRECEDENCE, ProofMaxAge, Purposes,
    ReasonRule, ReferenceRule, References, Setting, Settings, StageTerms, StandingRule, Starts, Terms, TicketRule,
    Trace, UsesRule, Usual, Validity, Week, WrittenApproval, WrittenDebrief, WrittenGlass, WrittenOnward,
    WrittenSettings, WrittenStage, effective_at, effective_at_under, effective_terms, effective_under, label_from,
};
pub use text::{Digest, PrivateText, Said, Words, digests_in, glance, is_deceptive, plainly};
pub(crate) use time::moment;
pub use time::{Seconds, later};
pub use why::{HeldBecause, SentBackBecause};
pub use words::{Part, Sentence};
pub use world::{Counters, KEPT_FOR, Key, Kind, Recall, Row, Table, World};

/// What a command yielded: facts to append, in order, and the private texts they name by digest.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Decision {
    /// Facts, already stamped with time, actor and channel.
    pub facts: Vec<Fact>,
    /// Private texts to keep beside the facts.
    pub texts: Vec<PrivateText>,
}

impl Decision {
    /// Has what another decision yielded follow this one.
    pub fn extend(&mut self, next: Self) {
        self.facts.extend(next.facts);
        self.texts.extend(next.texts);
    }
}
