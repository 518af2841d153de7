//! A file for each setting.

mod approval;
mod assured;
mod closed;
mod debrief;
mod extensions;
mod glass;
mod grace;
mod hours;
mod lapse;
mod longest;
mod offer;
mod only_while;
mod proof;
mod purposes;
mod reason;
mod references;
mod standing;
mod starts;
mod ticket;
mod uses;
mod usual;

pub use approval::{Approval, Approver, NextStage, Onward, StageTerms, WrittenApproval, WrittenOnward, WrittenStage};
pub use assured::Assured;
pub use closed::Closed;
pub use debrief::{DebriefRule, DebriefTerms, WrittenDebrief};
pub use extensions::Extensions;
pub use glass::{Glass, WrittenGlass};
pub use grace::Grace;
pub use hours::{Hours, OpenTime, Week};
pub use lapse::LapseRule;
pub use longest::Longest;
pub use offer::OfferRule;
pub use only_while::OnlyWhile;
pub use proof::ProofMaxAge;
pub use purposes::Purposes;
pub use reason::ReasonRule;
pub use references::{ReferenceRule, References};
pub use standing::StandingRule;
pub use starts::Starts;
pub use ticket::TicketRule;
pub use uses::UsesRule;
pub use usual::Usual;

use super::Act;
use crate::{Refusal, Seconds, TermsRefusal};

/// Refuses a span that can't be meant.
fn check_span(name: &'static str, span: Seconds, act: Act) -> Result<(), Refusal> {
    let most = act.longest_possible();
    if span.0 == 0 || span > most {
        return Err(TermsRefusal::BadSpan { setting: name, most }.into());
    }
    Ok(())
}
