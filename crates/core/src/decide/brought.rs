//! What an asker brings beside a proof of themselves, held against what the terms want.

use super::checked::{checked_line, checked_text, letters, shortened};
use crate::{AskRefusal, Brings, Brought, Effective, Purposes, ReasonRule, ReferenceRule, Refusal, Said, World};

/// Most letters of a ticket or another reference.
const REFERENCE_MOST: usize = 100;

/// Refuses what an asker brings where the terms don't want it, or not so, and where it lacks what they want.
pub(super) fn checked(terms: &Effective, brings: &Brings) -> Result<(), Refusal> {
    if terms.purposes.0.is_empty() && given(brings.purpose.as_ref()).is_some() {
        return Err(AskRefusal::PurposeUnwanted.into());
    }
    if terms.reason == ReasonRule::Hidden && given(brings.reason.as_ref()).is_some() {
        return Err(AskRefusal::ReasonUnwanted.into());
    }
    if terms.ticket.0 == ReferenceRule::Off && given(brings.ticket.as_ref()).is_some() {
        return Err(AskRefusal::TicketUnwanted.into());
    }
    if let Some(name) = brings.references.keys().find(|name| !terms.references.0.contains_key(*name)) {
        return Err(AskRefusal::ReferenceUnwanted { name: shortened(name) }.into());
    }
    ensure_not_lacking(terms, brings)
}

/// Refuses what was brought for the terms that held then, where those that hold now want more of it. What they don't want any
/// more does no harm.
pub(super) fn still_enough(
    world: &World,
    (then, now): (&Effective, &Effective),
    brought: &Brought,
) -> Result<(), Refusal> {
    let wants =
        |terms: &Effective| (terms.purposes.clone(), terms.reason, terms.ticket.clone(), terms.references.clone());
    // What is opened as it is asked for says what the World has not heard of yet.
    if wants(then) == wants(now) {
        return Ok(());
    }
    let said = |text: &Option<_>| text.map(|text| Said::new(world.text(text)));
    let references = brought.references.iter().map(|(name, text)| (name.clone(), Said::new(world.text(*text))));
    let (purpose, reason, ticket) = (said(&brought.purpose), said(&brought.reason), said(&brought.ticket));
    ensure_not_lacking(now, &Brings { purpose, reason, ticket, references: references.collect() })
}

fn ensure_not_lacking(terms: &Effective, brings: &Brings) -> Result<(), Refusal> {
    checked_purpose(&terms.purposes, given(brings.purpose.as_ref()))?;
    checked_reason(terms.reason, given(brings.reason.as_ref()))?;
    checked_reference(
        "ticket",
        (&terms.ticket.0, given(brings.ticket.as_ref())),
        |form| AskRefusal::NoTicket { form },
        |ticket, form| AskRefusal::TicketForm { ticket, form },
    )?;
    for (name, rule) in &terms.references.0 {
        checked_reference(
            name,
            (rule, given(brings.references.get(name))),
            |form| AskRefusal::NoReference { name: name.clone(), form },
            |reference, form| AskRefusal::ReferenceForm { name: name.clone(), reference, form },
        )?;
    }
    Ok(())
}

/// A text, where there is any.
fn given(said: Option<&Said>) -> Option<&Said> {
    said.filter(|said| !said.0.is_empty())
}

fn checked_purpose(purposes: &Purposes, purpose: Option<&Said>) -> Result<(), Refusal> {
    match purpose {
        _ if purposes.0.is_empty() => Ok(()),
        None => Err(AskRefusal::NoPurpose { purposes: purposes.in_words() }.into()),
        Some(said) if purposes.0.contains(&said.0) => Ok(()),
        Some(said) => {
            let (purpose, purposes) = (shortened(&said.0), purposes.in_words());
            Err(AskRefusal::PurposeUnlisted { purpose, purposes }.into())
        }
    }
}

fn checked_reason(rule: ReasonRule, reason: Option<&Said>) -> Result<(), Refusal> {
    if let Some(text) = reason {
        checked_text("reason", text, 2000)?;
    }
    match rule {
        ReasonRule::Required { at_least } => {
            let letters = reason.map_or(0, |text| letters(&text.0));
            if letters < usize::from(at_least.max(1)) {
                return Err(AskRefusal::ReasonTooShort { letters, at_least: at_least.max(1) }.into());
            }
            Ok(())
        }
        ReasonRule::Hidden | ReasonRule::Optional => Ok(()),
    }
}

/// Refuses a reference that is missing, or has another form, each as it is told.
fn checked_reference(
    name: &str,
    (rule, reference): (&ReferenceRule, Option<&Said>),
    missing: impl FnOnce(Option<String>) -> AskRefusal,
    misfit: impl FnOnce(String, String) -> AskRefusal,
) -> Result<(), Refusal> {
    let form = rule.pattern().map(str::to_owned);
    match reference {
        None if rule.is_required() => Err(missing(form).into()),
        None => Ok(()),
        Some(text) => {
            checked_line(name, text, REFERENCE_MOST)?;
            if rule.fits(&text.0) { Ok(()) } else { Err(misfit(shortened(&text.0), form.unwrap_or_default()).into()) }
        }
    }
}
