//! Clauses written as files: one for the whole house, and one for each place at the top of the estate.

use std::collections::BTreeMap;

use serde::Serialize;
use tempestas_core::{Clause, Dormant, ScopeId, Sight, World};

use crate::{problem::Failure, views};

/// The file of what is about everything.
const OF_THE_HOUSE: &str = "house";

/// What a caller sees of some clauses, as files by name. A rule that is over is left out: it would hold nobody up any more.
///
/// # Errors
/// None that can be helped.
pub(crate) fn written(
    world: &World,
    sight: &Sight,
    clauses: &[(String, Clause)],
) -> Result<BTreeMap<String, String>, Failure> {
    let mut files: BTreeMap<String, String> = BTreeMap::new();
    for (name, clause) in clauses {
        let Some((file, text)) = one(world, sight, name, clause)? else { continue };
        let file = files.entry(format!("{file}.toml")).or_default();
        if !file.is_empty() {
            file.push('\n');
        }
        file.push_str(&text);
    }
    Ok(files)
}

fn one(world: &World, sight: &Sight, name: &str, clause: &Clause) -> Result<Option<(String, String)>, Failure> {
    let house = || OF_THE_HOUSE.to_owned();
    let kind = clause.kind().to_string();
    let said = match clause {
        Clause::Rule(rule) => {
            let seen = sight.see(world, rule).filter(|rule| rule.dormant != Some(Dormant::Over));
            let Some(view) = seen.map(|rule| views::terms(world, rule)) else { return Ok(None) };
            let note = rule.paused.as_ref().map(|_| format!("# {} is suspended, which files don't say.\n", rule.id));
            (top(world, rule.scope), note.unwrap_or_default() + &in_toml(&kind, name, &view.rule)?)
        }
        Clause::Assurance(it) => match sight.see(world, it) {
            Some(it) => (house(), in_toml(&kind, name, &views::assurance_body(world, &it))?),
            None => return Ok(None),
        },
        Clause::Separation(it) => match sight.see(world, it) {
            Some(it) => (house(), in_toml(&kind, name, &views::separation_body(world, &it))?),
            None => return Ok(None),
        },
        Clause::Promise(it) => match sight.see(world, it) {
            Some(it) => (house(), in_toml(&kind, name, &views::promise_body(world, &it))?),
            None => return Ok(None),
        },
    };
    Ok(Some(said))
}

/// The place at the top of the estate that holds another, as a file is called.
fn top(world: &World, scope: ScopeId) -> String {
    let path = world.path(scope);
    let first = path.trim_start_matches('/').split('/').next().unwrap_or_default().to_lowercase();
    let plain = first.replace(|c: char| !c.is_ascii_alphanumeric() && c != '-', "-");
    if plain.trim_matches('-').is_empty() { OF_THE_HOUSE.to_owned() } else { plain }
}

/// `[rule.name]` and what stands in it, without what is left empty.
fn in_toml(kind: &str, name: &str, said: &impl Serialize) -> Result<String, Failure> {
    let failed = |why: toml::ser::Error| Failure::Failed(why.into());
    let mut said = toml::Table::try_from(said).map_err(failed)?;
    said.retain(|name, value| {
        // What is left out is said of holding.
        let is_of_holding = name == "act" && value.as_str() == Some("elevate");
        let is_empty =
            value.as_table().is_some_and(toml::Table::is_empty) || value.as_array().is_some_and(Vec::is_empty);
        !is_of_holding && !is_empty
    });
    let named = toml::Table::from_iter([(name.to_owned(), toml::Value::Table(said))]);
    toml::to_string(&toml::Table::from_iter([(kind.to_owned(), toml::Value::Table(named))])).map_err(failed)
}
