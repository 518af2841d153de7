//! Where in a file something stands.

use std::ops::Range;

use tempestas_api::FaultView;
use toml::{
    Spanned,
    de::{DeTable, DeValue},
};

/// A file as it was read, with where each of its values stands.
pub(crate) struct Text<'t> {
    name: &'t str,
    text: &'t str,
    table: Spanned<DeTable<'t>>,
}

impl<'t> Text<'t> {
    /// Reads TOML.
    ///
    /// # Errors
    /// Says where it is none.
    pub(crate) fn of(name: &'t str, text: &'t str) -> Result<Self, FaultView> {
        let wrong = |why: toml::de::Error| fault(name, text, why.span().unwrap_or_default(), why.message().to_owned());
        DeTable::parse(text).map(|table| Self { name, text, table }).map_err(wrong)
    }

    pub(crate) const fn name(&self) -> &'t str {
        self.name
    }

    /// As JSON has it: a moment is a text there, as everywhere else on the wire.
    pub(crate) fn value(&self) -> serde_json::Value {
        of_table(self.table.get_ref())
    }

    /// That something is wrong with what stands at a path, or nearest to it where nothing does.
    pub(crate) fn fault(&self, path: &[&str], says: String) -> FaultView {
        let (mut at, mut here) = (self.table.span(), None);
        for step in path {
            let table = match here {
                None => self.table.get_ref(),
                Some(value) => match DeValue::as_table(value) {
                    Some(table) => table,
                    None => break,
                },
            };
            let Some((key, value)) = table.iter().find(|(key, _)| key.get_ref() == step) else { break };
            (at, here) = (key.span(), Some(value.get_ref()));
        }
        fault(self.name, self.text, at, says)
    }

    /// That something is wrong with a text that stands within a clause; with the clause where it doesn't.
    pub(crate) fn fault_of_text(&self, clause: &[&str], text: &str, says: String) -> FaultView {
        let within = clause.iter().try_fold(None, |here: Option<&DeValue<'_>>, step| {
            let table = here.map_or(Some(self.table.get_ref()), DeValue::as_table)?;
            table.iter().find(|(key, _)| key.get_ref() == step).map(|(_, value)| Some(value.get_ref()))
        });
        match within.flatten().and_then(|value| span_of(value, text)) {
            Some(at) => fault(self.name, self.text, at, says),
            None => self.fault(clause, says),
        }
    }
}

/// Where a text stands in a value, which it may be a part of: a right names a place, and a role.
fn span_of(value: &DeValue<'_>, text: &str) -> Option<Range<usize>> {
    let within = |one: &Spanned<DeValue<'_>>| match one.get_ref() {
        DeValue::String(said) if said.contains(text) => Some(one.span()),
        other => span_of(other, text),
    };
    match value {
        DeValue::Array(all) => all.iter().find_map(within),
        DeValue::Table(all) => all.values().find_map(within),
        _ => None,
    }
}

fn fault(file: &str, text: &str, at: Range<usize>, says: String) -> FaultView {
    let before = text.get(..at.start).unwrap_or(text);
    let (lines, last) =
        before.rsplit_once('\n').map_or((0, before), |(above, last)| (above.matches('\n').count() + 1, last));
    FaultView { file: file.to_owned(), line: lines + 1, column: last.chars().count() + 1, says }
}

fn of_table(table: &DeTable<'_>) -> serde_json::Value {
    table.iter().map(|(key, value)| (key.get_ref().to_string(), of_value(value.get_ref()))).collect()
}

fn of_value(value: &DeValue<'_>) -> serde_json::Value {
    match value {
        DeValue::String(text) => text.as_ref().into(),
        DeValue::Integer(number) => {
            i64::from_str_radix(number.as_str(), number.radix()).map_or_else(|_| number.as_str().into(), Into::into)
        }
        DeValue::Float(number) => number.as_str().parse::<f64>().map_or_else(|_| number.as_str().into(), Into::into),
        DeValue::Boolean(is) => (*is).into(),
        DeValue::Datetime(moment) => moment.to_string().into(),
        DeValue::Array(all) => all.iter().map(|one| of_value(one.get_ref())).collect(),
        DeValue::Table(table) => of_table(table),
    }
}
