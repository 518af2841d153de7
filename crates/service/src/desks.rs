//! What other systems say of circumstances: asked while somebody needs to know, remembered for a minute. What could not be asked
//! doesn't hold.

use std::{
    collections::BTreeMap,
    sync::{Mutex, PoisonError},
    time::{Duration, Instant},
};

use secrecy::SecretString;
use tempestas_core::{Caller, Circumstance, Demand, Report, Said};
use tempestas_targets::{Desk, TargetError};
use tokio::task::JoinSet;

use crate::app::App;

/// How long what was heard is gone by without asking again.
const REMEMBERED: Duration = Duration::from_secs(60);
/// How long is gone by that it doesn't hold: whoever sees to it that it does asks again at once, and nobody floods a desk by asking.
const NOT_ASKED_AGAIN: Duration = Duration::from_secs(1);
/// How often it is asked at least while somebody rests on it: twice within that, so that one answer that fails costs nobody anything.
const ASKED_EVERY: Duration = Duration::from_secs(25);
/// How many questions are asked together.
const ASKED_TOGETHER: usize = 16;

/// A circumstance by name, of the reference that it is about.
type Question = (String, Option<String>);

/// What was heard, beside the World.
pub(crate) struct Desks {
    desk: Desk,
    heard: Mutex<BTreeMap<Question, Answer>>,
}

struct Answer {
    /// What the question was: another one's answer says nothing.
    of: Circumstance,
    holds: bool,
    /// When it was asked; no clock that is set moves that.
    at: Instant,
    /// Why it could not be asked since, where it couldn't.
    trouble: Option<String>,
}

impl Desks {
    pub(crate) fn new() -> Result<Self, TargetError> {
        Ok(Self { desk: Desk::new()?, heard: Mutex::default() })
    }

    /// Why a circumstance could not be asked last, where it couldn't.
    pub(crate) fn trouble(&self, circumstance: &str) -> Option<String> {
        let heard = self.heard.lock().unwrap_or_else(PoisonError::into_inner);
        heard.iter().find(|((name, _), answer)| name == circumstance && answer.trouble.is_some())?.1.trouble.clone()
    }

    /// Whether it is known well enough whether a circumstance holds, as the World has it.
    fn knows(&self, question: &Question, of: &Circumstance, holds: bool, now: Instant) -> bool {
        let heard = self.heard.lock().unwrap_or_else(PoisonError::into_inner);
        let remembered = if holds { REMEMBERED } else { NOT_ASKED_AGAIN };
        heard.get(question).is_some_and(|answer| {
            answer.of == *of && answer.holds == holds && now.duration_since(answer.at) < remembered
        })
    }

    /// Keeps an answer, and says whether the circumstance holds by that: what was heard within the minute is gone by where it could
    /// not be asked, and beyond that it doesn't hold. None where a later question was answered before.
    fn keep(
        &self,
        question: Question,
        of: Circumstance,
        asked: Result<bool, TargetError>,
        at: Instant,
    ) -> Option<bool> {
        let mut heard = self.heard.lock().unwrap_or_else(PoisonError::into_inner);
        heard.retain(|_, answer| at.duration_since(answer.at) < REMEMBERED * 10);
        let known = heard.get(&question).filter(|known| known.of == of);
        if known.is_some_and(|known| known.at > at) {
            return None;
        }
        let answer = match asked {
            Ok(holds) => Answer { of, holds, at, trouble: None },
            Err(error) => {
                let known = known.filter(|known| at.duration_since(known.at) < REMEMBERED);
                let (holds, since) = known.map_or((false, at), |known| (known.holds, known.at));
                Answer { of, holds, at: since, trouble: Some(error.to_string()) }
            }
        };
        let holds = answer.holds;
        heard.insert(question, answer);
        Some(holds)
    }
}

/// The owner of a circumstance's token.
pub(crate) fn owner_of(circumstance: &str) -> String {
    format!("circumstance:{circumstance}")
}

/// Its name among what that owner keeps.
pub(crate) const TOKEN: &str = "token";

async fn token_of(app: &App, circumstance: &str) -> anyhow::Result<Option<SecretString>> {
    let sealed = app.store().sealed(Some(&owner_of(circumstance))).await?;
    let Some(sealed) = sealed.iter().find(|sealed| sealed.name == TOKEN) else { return Ok(None) };
    Ok(Some(String::from_utf8(app.keyring().open_sealed(sealed)?.to_vec())?.into()))
}

/// Asks, and has the World know what came of it.
async fn heard(app: App, question: Question) {
    let (name, of) = question.clone();
    let Some(circumstance) = app.world().circumstances.get(name.as_str()).cloned() else { return };
    let asked_at = Instant::now();
    let asked = match token_of(&app, &name).await {
        Ok(token) => app.desks().desk.ask(&circumstance, of.as_deref(), token.as_ref()).await,
        Err(error) => {
            tracing::error!(circumstance = %name, "its token can't be read: {error:#}");
            Err(TargetError::Refused("its token can't be read".to_owned()))
        }
    };
    if let Err(error) = &asked {
        tracing::warn!(circumstance = %name, %error, "a circumstance could not be asked");
    }
    // An answer to what was asked before another that is known already says nothing any more.
    let Some(holds) = app.desks().keep(question, circumstance, asked, asked_at) else { return };
    let report = Report::Heard { circumstance: name, of: of.map(Said), holds };
    if let Err(refusal) = app.submit(Caller::service(), report).await {
        tracing::warn!(%refusal, "what was heard of a circumstance was refused");
    }
}

/// Sees to it that what a demand rests on was heard of within the minute. What could not be asked doesn't hold.
pub(crate) async fn ensure_heard(app: &App, demand: &Demand, brought: impl Fn(&str) -> Option<String>) {
    let (world, now) = (app.world(), Instant::now());
    let mut asked = JoinSet::new();
    for name in &demand.terms.only_while.0 {
        let Some(circumstance) = world.circumstances.get(name.as_str()) else { continue };
        let fits = |reference: &str| brought(reference).filter(|said| demand.terms.takes_reference(reference, said));
        let of = circumstance.of().map(fits);
        // Of what nobody brings, or not in its form, nothing is asked.
        if matches!(of, Some(None)) {
            continue;
        }
        let question = (name.clone(), of.flatten());
        if !app.desks().knows(&question, circumstance, world.holds(name, question.1.as_deref()), now) {
            asked.spawn(heard(app.clone(), question));
        }
    }
    asked.join_all().await;
}

/// Asks about everything that somebody rests on, for as long as the service runs.
pub(crate) async fn run(app: App) {
    let mut stopping = app.stopping();
    // What is held is looked at as often as the systems that it is held on.
    let every = ASKED_EVERY.min(app.config().surveys.read_back.0.unsigned_abs());
    loop {
        let needed = app.world().to_be_heard();
        for some in needed.into_iter().collect::<Vec<_>>().chunks(ASKED_TOGETHER) {
            let asked: JoinSet<()> = some.iter().cloned().map(|question| heard(app.clone(), question)).collect();
            asked.join_all().await;
        }
        tokio::select! {
            () = tokio::time::sleep(every) => {}
            _ = stopping.changed() => return,
        }
    }
}
