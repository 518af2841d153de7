//! The file in which an administrator describes a kind of system: what is called, and how to read what comes back.

use std::collections::BTreeMap;

use serde::Deserialize;
use serde_json::Value;
use tempestas_core::Weight;
use thiserror::Error;

use crate::local;

/// Most letters of a description.
const LONGEST: usize = 16 * 1024;
/// What can stand between braces, filled in at each call.
const PLACEHOLDERS: [&str; 9] = ["account", "attempt", "grant", "handle", "mark", "name", "role", "secret", "until"];

/// Why a description can't be used; says where and what to do.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("the description can't be used: {0}")]
pub struct FormError(String);

/// A described kind of system.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Form {
    /// Base address of calls by HTTP.
    pub(super) address: Option<String>,
    /// Headers of calls by HTTP; the only place for `{secret}`.
    #[serde(default)]
    pub(super) headers: BTreeMap<String, String>,
    /// How a PostgreSQL database is reached for calls by SQL, without its password.
    pub(super) database: Option<String>,
    /// What can be held there.
    pub(super) roles: BTreeMap<String, RoleSaid>,
    /// Where it tells its time; ours is taken where it doesn't.
    pub(super) clock: Option<Clock>,
    pub(super) survey: Listing,
    pub(super) give: Step,
    pub(super) take: Step,
    /// How the end of what was given is moved to `{until}`; none where it can't be.
    pub(super) prolong: Option<Step>,
    pub(super) holds: Holds,
    pub(super) take_standing: Option<Step>,
    pub(super) restore_standing: Option<Step>,
}

/// A role, as its administrator knows it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RoleSaid {
    pub(super) says: String,
    pub(super) weight: Weight,
    /// Within how many seconds the system itself ends what was given with an end; it ends by us otherwise.
    pub(super) within: Option<u32>,
}

/// One call. Exactly one of the first six is set.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Step {
    pub(super) get: Option<String>,
    pub(super) put: Option<String>,
    pub(super) post: Option<String>,
    pub(super) delete: Option<String>,
    /// A program with its arguments, each filled in whole: no shell reads them.
    pub(super) run: Option<Vec<String>>,
    /// A statement; values are bound to `$1` and so on, never written into it.
    pub(super) sql: Option<String>,
    /// The values that are bound.
    #[serde(default)]
    pub(super) with: Vec<String>,
    /// What is sent along, by HTTP.
    pub(super) body: Option<Value>,
    /// Statuses, or exit codes, that are as good as done.
    #[serde(default)]
    pub(super) fine: Vec<i32>,
    /// Statuses, or exit codes, by which it says that this grant ended before.
    #[serde(default)]
    pub(super) late: Vec<i32>,
}

/// Where the time is.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Clock {
    pub(super) call: Step,
    pub(super) time: String,
}

/// Who holds what, as a list. Each field is a JSON pointer (RFC 6901) from an item of it.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Listing {
    pub(super) call: Step,
    /// Where the list is in the reply.
    #[serde(default)]
    pub(super) list: String,
    /// How many there should be, where the reply says.
    pub(super) count: Option<String>,
    pub(super) account: String,
    pub(super) role: String,
    /// The system's own name for it.
    pub(super) handle: String,
    /// Its end; what has one is not held all the time.
    pub(super) until: Option<String>,
    /// Where our mark is kept.
    pub(super) mark: Option<String>,
    /// Since when.
    pub(super) since: Option<String>,
}

/// Whether a grant is there.
#[derive(Debug, Clone, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct Holds {
    pub(super) call: Step,
    /// Statuses, or exit codes, by which it says that there is none.
    #[serde(default)]
    pub(super) absent: Vec<i32>,
    /// What must stand where, by pointer.
    pub(super) there: BTreeMap<String, String>,
}

impl Form {
    /// Reads a description, and finds what would only fail later.
    ///
    /// # Errors
    /// Where and what is wrong.
    pub fn read(text: &str) -> Result<Self, FormError> {
        if text.len() > LONGEST {
            return Err(FormError(format!("it is longer than {LONGEST} letters")));
        }
        let form: Self = toml::from_str(text).map_err(|error| FormError(error.message().to_owned()))?;
        if form.roles.is_empty() {
            return Err(FormError("it names no role; say at least one under `[roles.NAME]`".to_owned()));
        }
        let clock = form.clock.as_ref().map(|clock| ("clock", &clock.call));
        let optional = [
            ("prolong", &form.prolong),
            ("take_standing", &form.take_standing),
            ("restore_standing", &form.restore_standing),
        ];
        let steps =
            [("survey", &form.survey.call), ("give", &form.give), ("take", &form.take), ("holds", &form.holds.call)]
                .into_iter()
                .chain(clock)
                .chain(optional.into_iter().filter_map(|(name, step)| Some((name, step.as_ref()?))));
        for (name, step) in steps {
            form.check(name, step)?;
        }
        if form.address.as_ref().is_some_and(|address| address.parse::<reqwest::Url>().is_err()) {
            return Err(FormError("`address` is none of the form http://HOST:PORT or https://HOST".to_owned()));
        }
        if form.database.as_ref().is_some_and(|database| database.parse::<tokio_postgres::Config>().is_err()) {
            return Err(FormError("`database` is none of the form `host=… port=… user=… dbname=…`".to_owned()));
        }
        for (header, value) in &form.headers {
            known(&format!("the header `{header}`"), value, true)?;
        }
        Ok(form)
    }

    /// Whether all that it calls without TLS is this machine.
    ///
    /// # Errors
    /// Says which isn't, or can't be told.
    pub fn ensure_local(&self) -> Result<(), FormError> {
        if let Some(address) = &self.address {
            local::ensure_url(address, &["http"]).map_err(FormError)?;
        }
        self.database.as_deref().map_or(Ok(()), |database| local::ensure_database(database).map_err(FormError))
    }

    fn check(&self, name: &str, step: &Step) -> Result<(), FormError> {
        let wrong = |says: &str| Err(FormError(format!("`[{name}]` {says}")));
        let http = [&step.get, &step.put, &step.post, &step.delete];
        let ways = http.iter().filter(|way| way.is_some()).count()
            + usize::from(step.run.is_some())
            + usize::from(step.sql.is_some());
        if ways != 1 {
            return wrong("wants exactly one of get, put, post, delete, run and sql");
        }
        if let Some(path) = http.into_iter().flatten().next() {
            if self.address.is_none() {
                return wrong("is a call by HTTP, and there is no `address`");
            }
            if !path.starts_with('/') || path.contains(['?', '#']) {
                return wrong("wants a path that begins with `/` and has no `?` or `#`");
            }
            known(name, path, false)?;
        }
        if step.sql.is_some() && self.database.is_none() {
            return wrong("is a call by SQL, and there is no `database`");
        }
        if step.sql.as_ref().is_some_and(|sql| sql.contains('{')) {
            return wrong("has a brace in its SQL; bind values with `with = [\"{account}\"]` and `$1`");
        }
        if step.run.as_ref().is_some_and(|run| !run.first().is_some_and(|program| program.starts_with('/'))) {
            return wrong("wants the whole path of the program first in `run`");
        }
        for text in step.run.iter().flatten().chain(&step.with) {
            known(name, text, false)?;
        }
        step.body.iter().try_for_each(|body| known_in(name, body))
    }
}

fn known_in(name: &str, value: &Value) -> Result<(), FormError> {
    match value {
        Value::String(text) => known(name, text, false),
        Value::Array(all) => all.iter().try_for_each(|one| known_in(name, one)),
        Value::Object(all) => all.values().try_for_each(|one| known_in(name, one)),
        _ => Ok(()),
    }
}

/// Whether every placeholder of a text is one that is filled in.
fn known(name: &str, text: &str, secret: bool) -> Result<(), FormError> {
    for part in text.split('{').skip(1) {
        let word = part.split_once('}').map_or(part, |(word, _)| word);
        if !PLACEHOLDERS.contains(&word) {
            let known = PLACEHOLDERS.join(", ");
            return Err(FormError(format!("{name}: `{{{word}}}` is filled in by nothing; there are {known}")));
        }
        if word == "secret" && !secret {
            return Err(FormError(format!("{name}: `{{secret}}` belongs into a header, where no log keeps it")));
        }
    }
    Ok(())
}

/// What is filled in.
pub(crate) type Values<'v> = [(&'v str, &'v str)];

/// A text with its placeholders filled in. What is filled in is not looked at again.
pub(super) fn filled(text: &str, values: &Values<'_>) -> String {
    let mut whole = String::new();
    for (n, part) in text.split('{').enumerate() {
        match part.split_once('}') {
            Some((word, rest)) if n > 0 => {
                whole.push_str(values.iter().find(|(name, _)| *name == word).map_or("", |(_, value)| value));
                whole.push_str(rest);
            }
            _ => whole.push_str(part),
        }
    }
    whole
}

/// A value, filled in text by text: what is filled in can't become anything but text.
pub(super) fn filled_value(value: &Value, values: &Values<'_>) -> Value {
    match value {
        Value::String(text) => Value::String(filled(text, values)),
        Value::Array(all) => all.iter().map(|one| filled_value(one, values)).collect(),
        Value::Object(all) => all.iter().map(|(key, one)| (key.clone(), filled_value(one, values))).collect(),
        other => other.clone(),
    }
}
