//! Files read into clauses: each fault with its line and column, as many as there are.

use std::collections::BTreeMap;

use schemars::JsonSchema;
use serde::de::DeserializeOwned;
use serde_json::Value;
use tempestas_api::{AssuranceBody, FaultView, NewTerms, PromiseBody, SeparationBody, ensure_known};
use tempestas_core::{Clause, ClauseKind, Fault, Refusal};

use super::place::Text;
use crate::problem::Failure;

/// A clause as a file says it, with names in place of ids.
pub(crate) enum Written {
    Rule(Box<NewTerms>),
    Assurance(AssuranceBody),
    Separation(SeparationBody),
    Promise(PromiseBody),
}

/// What was read.
pub(crate) struct Reading<'t> {
    texts: Vec<Text<'t>>,
    /// In which of them each clause stands.
    stands: BTreeMap<(ClauseKind, String), usize>,
    /// Each clause under its name.
    pub(crate) clauses: Vec<(String, Clause)>,
    /// What is wrong.
    pub(crate) faults: Vec<FaultView>,
}

impl Reading<'_> {
    /// That what a clause says can't be.
    pub(crate) fn fault(&self, fault: &Fault) -> FaultView {
        let kind = fault.kind.to_string();
        let clause = [kind.as_str(), fault.name.as_str()];
        let Some(text) = self.text_of(fault.kind, &fault.name) else {
            return FaultView { file: String::new(), line: 1, column: 1, says: fault.why.to_string() };
        };
        match (&fault.why, fault.setting) {
            (Refusal::Unknown { name, .. }, _) => text.fault_of_text(&clause, name, fault.why.to_string()),
            (why, Some(setting)) => text.fault(&[clause[0], clause[1], "settings", setting], why.to_string()),
            (why, None) => text.fault(&clause, why.to_string()),
        }
    }

    fn text_of(&self, kind: ClauseKind, name: &str) -> Option<&Text<'_>> {
        self.stands.get(&(kind, name.to_owned())).and_then(|at| self.texts.get(*at))
    }
}

/// Reads files; `resolve` finds whom and what the names in a clause mean.
pub(crate) fn read<'t>(
    files: &'t BTreeMap<String, String>,
    resolve: impl Fn(&str, Written) -> Result<Clause, Failure>,
) -> Reading<'t> {
    let mut reading = Reading { texts: Vec::new(), stands: BTreeMap::new(), clauses: Vec::new(), faults: Vec::new() };
    for (name, text) in files {
        match Text::of(name, text) {
            Ok(text) => {
                clauses(&mut reading, &text, &resolve);
                reading.texts.push(text);
            }
            Err(fault) => reading.faults.push(fault),
        }
    }
    reading
}

fn clauses(reading: &mut Reading<'_>, text: &Text<'_>, resolve: &impl Fn(&str, Written) -> Result<Clause, Failure>) {
    let Value::Object(kinds) = text.value() else { return };
    for (word, named) in kinds {
        let kind = match word.as_str() {
            "rule" => ClauseKind::Rule,
            "assurance" => ClauseKind::Assurance,
            "separation" => ClauseKind::Separation,
            "promise" => ClauseKind::Promise,
            _ => {
                let says = format!(
                    "`{word}` is not known here; a file says `[rule.NAME]`, `[assurance.NAME]`, `[separation.NAME]` and `[promise.NAME]`"
                );
                reading.faults.push(text.fault(&[&word], says));
                continue;
            }
        };
        let Value::Object(named) = named else {
            let says = format!("each {word} has a name: `[{word}.NAME]`");
            reading.faults.push(text.fault(&[&word], says));
            continue;
        };
        for (name, said) in named {
            if let Some(before) = reading.stands.get(&(kind, name.clone())).and_then(|at| reading.texts.get(*at)) {
                let says = format!("the {word} `{name}` stands in {} already", before.name());
                reading.faults.push(text.fault(&[&word, &name], says));
                continue;
            }
            reading.stands.insert((kind, name.clone()), reading.texts.len());
            match clause(text, &word, &name, kind, said, resolve) {
                Ok(clause) => reading.clauses.push((name, clause)),
                Err(fault) => reading.faults.push(fault),
            }
        }
    }
}

fn clause(
    text: &Text<'_>,
    word: &str,
    name: &str,
    kind: ClauseKind,
    said: Value,
    resolve: &impl Fn(&str, Written) -> Result<Clause, Failure>,
) -> Result<Clause, FaultView> {
    let at = |(path, says): (String, String)| {
        let path: Vec<&str> = path.split(['.', '[', ']']).filter(|step| !step.is_empty()).collect();
        text.fault(&[&[word, name], path.as_slice()].concat(), says)
    };
    let written = match kind {
        ClauseKind::Rule => body(said).map(Box::new).map(Written::Rule),
        ClauseKind::Assurance => body(said).map(Written::Assurance),
        ClauseKind::Separation => body(said).map(Written::Separation),
        ClauseKind::Promise => body(said).map(Written::Promise),
    };
    resolve(name, written.map_err(at)?).map_err(|failure| match &failure {
        Failure::Refused(refusal @ Refusal::Unknown { name: unknown, .. }) => {
            text.fault_of_text(&[word, name], unknown, refusal.to_string())
        }
        failure => text.fault(&[word, name], failure.says()),
    })
}

/// A clause's body; where that isn't one, the path of what is wrong in it, and what is.
fn body<T: DeserializeOwned + JsonSchema>(said: Value) -> Result<T, (String, String)> {
    // It names what it doesn't know as `settings.longst`.
    let path = |says: &str| says.split('`').nth(1).unwrap_or_default().to_owned();
    ensure_known::<T>(&said).map_err(|says| (path(&says), says))?;
    serde_path_to_error::deserialize(said).map_err(|why| (why.path().to_string(), in_words(&why.inner().to_string())))
}

/// What is expected of a value, as people write it in a file.
fn in_words(says: &str) -> String {
    let Some((said, expected)) = says.split_once("expected ") else { return says.to_owned() };
    let is_number = expected.len() <= 3 && expected.starts_with(['u', 'i']);
    let expected = match expected {
        _ if is_number => "a whole number",
        "a sequence" => "a list: `[…]`",
        "a map" => "a table: `{ … }`",
        "a boolean" => "true or false",
        other => other.split_once(" struct ").map_or(other, |_| "a table: `{ … }`"),
    };
    format!("{said}expected {expected}")
}
