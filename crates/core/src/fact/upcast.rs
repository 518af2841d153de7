//! How facts and rows of earlier versions read today. Their bytes are never edited; what they say is put into today's form.

use serde_json::{Map, Value, json};

use super::FACT_VERSION;

/// Puts a fact of an earlier version into today's form.
///
/// # Errors
/// Says where a newer program wrote it.
pub(super) fn fact(mut fact: Map<String, Value>) -> Result<Value, String> {
    let version = fact.get("v").and_then(Value::as_u64).unwrap_or_default();
    // Version 2 said of much that there was none of it, which is left out now, and read as none.
    if !(1..u64::from(FACT_VERSION)).contains(&version) {
        return Err(format!("fact of version {version}; this program reads up to {FACT_VERSION}"));
    }
    if version == 1
        && let Some(Value::Array(put)) = fact.get_mut("put")
    {
        // A group was put with all its members: whoever isn't among them has left it.
        let groups =
            put.iter().filter_map(|row| row.get("subject")).filter(|one| one.get("kind") == Some(&json!("group")));
        let emptied = |group: &Value| Some(json!({ "kind": "member", "id": format!("{}-*", group.get("id")?) }));
        let emptied: Vec<Value> = groups.filter_map(emptied).collect();
        *put = put.drain(..).flat_map(row_of_version_1).collect();
        if let Value::Array(cut) = fact.entry("cut").or_insert_with(|| json!([])) {
            cut.extend(emptied);
        }
    }
    fact.insert("v".to_owned(), json!(FACT_VERSION));
    Ok(Value::Object(fact))
}

/// Puts a row as an earlier version wrote it into today's form, in which what was within it may be rows of their own.
pub fn row_of_version(version: u32, row: Value) -> Vec<Value> {
    if version < 2 { row_of_version_1(row) } else { vec![row] }
}

fn row_of_version_1(mut row: Value) -> Vec<Value> {
    let inner = row.as_object_mut().and_then(|row| row.iter_mut().next());
    let apart = match inner {
        Some((kind, Value::Object(inner))) if kind == "elevation" => elevation(inner),
        Some((kind, Value::Object(inner))) if kind == "conversion" => conversion(inner),
        Some((kind, Value::Object(inner))) if kind == "subject" => group(inner),
        _ => Vec::new(),
    };
    let mut rows = vec![row];
    rows.extend(apart);
    rows
}

/// Its demand stood in it, its rounds had one stage each, and it had one grant at most, held by whoever asked.
fn elevation(row: &mut Map<String, Value>) -> Vec<Value> {
    if let Some(asker) = row.get("asker").cloned() {
        row.insert("holder".to_owned(), asker);
    }
    if let Some(Value::Array(stages)) = row.remove("stages") {
        let rounds = stages.into_iter().map(|stage| json!({ "stages": [stage] })).collect();
        row.insert("rounds".to_owned(), rounds);
    }
    if let Some(grant) = row.remove("grant").filter(|grant| !grant.is_null()) {
        row.insert("grants".to_owned(), json!([grant]));
    }
    let Some(demand) = row.remove("demand") else { return Vec::new() };
    row.insert("eligibility".to_owned(), demand.get("eligibility").cloned().unwrap_or_default());
    vec![json!({ "demand": { "elevation": row.get("id"), "demand": demand } })]
}

/// Its members stood in it.
fn group(row: &mut Map<String, Value>) -> Vec<Value> {
    let Some(Value::Array(members)) = row.remove("members") else { return Vec::new() };
    members.into_iter().map(|member| json!({ "member": { "group": row.get("id"), "member": member } })).collect()
}

/// Its rights stood in it.
fn conversion(row: &mut Map<String, Value>) -> Vec<Value> {
    let Some(Value::Array(items)) = row.remove("items") else { return Vec::new() };
    let id = row.get("id").cloned().unwrap_or_default();
    let of_it = |item: Value| {
        let Value::Object(mut item) = item else { return item };
        item.insert("conversion".to_owned(), id.clone());
        json!({ "item": item })
    };
    items.into_iter().map(of_it).collect()
}
