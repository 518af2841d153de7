//! Refusing what nobody would read: a key that is misspelt, at whatever depth, must not be dropped in silence. The same for
//! the service's bodies and for files that the client sends.

use schemars::{JsonSchema, SchemaGenerator, generate::SchemaSettings};
use serde_json::{Map, Value};

/// Deepest that values may nest.
const DEPTH_MOST: usize = 32;

/// Whether each key in `said` is one that `T` has at that place, and no list stands for named values.
///
/// # Errors
/// Says which key, where, and which are known there.
pub fn ensure_known<T: JsonSchema>(said: &Value) -> Result<(), String> {
    walk::<T>(SchemaSettings::draft2020_12(), said)
}

/// Whether `said` also names each key that `T` has when it is written, at whatever depth: whoever puts something in the place
/// of what stands there takes nothing away by leaving it out.
///
/// # Errors
/// Says which key is missing, or what [`ensure_known`] says.
pub fn ensure_whole<T: JsonSchema>(said: &Value) -> Result<(), String> {
    walk::<T>(SchemaSettings::draft2020_12().for_serialize(), said)
}

fn walk<T: JsonSchema>(settings: SchemaSettings, said: &Value) -> Result<(), String> {
    let settings = settings.with(|settings| settings.meta_schema = None);
    let root: Value = SchemaGenerator::new(settings).into_root_schema_for::<T>().into();
    Walk { root: &root }.value(&root, said, "", DEPTH_MOST)
}

struct Walk<'s> {
    root: &'s Value,
}

/// What a schema says of an object's keys.
#[derive(Default)]
struct Keys<'s> {
    known: Vec<(&'s str, &'s Value)>,
    /// Keys that must be there.
    needed: Vec<&'s str>,
    /// What any other key's value must be; none where there may be no other.
    others: Option<&'s Value>,
    /// Whether it says anything of keys at all.
    says: bool,
}

impl<'s> Walk<'s> {
    fn value(&self, schema: &'s Value, said: &Value, at: &str, depth: usize) -> Result<(), String> {
        let Some(depth) = depth.checked_sub(1) else {
            return Err(format!("`{at}` nests deeper than {DEPTH_MOST}"));
        };
        match said {
            Value::Object(named) => {
                let mut keys = Keys::default();
                self.keys(schema, named, &mut keys);
                let below = |key: &str| if at.is_empty() { key.to_owned() } else { format!("{at}.{key}") };
                named.iter().filter(|_| keys.says).try_for_each(|(key, said)| {
                    let at = below(key);
                    match keys.known.iter().find(|(known, _)| known == key).map(|(_, schema)| *schema).or(keys.others) {
                        Some(schema) => self.value(schema, said, &at, depth),
                        None => Err(format!("`{at}` is not known here; {}", and_these(&keys))),
                    }
                })?;
                match keys.needed.iter().find(|key| !named.contains_key(**key)) {
                    Some(key) => Err(format!("`{}` is missing", below(key))),
                    None => Ok(()),
                }
            }
            Value::Array(listed) => {
                let Some(items) = self.items(schema) else {
                    return match self.is_only_named(schema) {
                        true => Err(format!("{} is a list where named values belong", quoted(at))),
                        false => Ok(()),
                    };
                };
                listed
                    .iter()
                    .enumerate()
                    .try_for_each(|(n, said)| self.value(items, said, &format!("{at}[{n}]"), depth))
            }
            _ => Ok(()),
        }
    }

    /// What a schema, and all that it is made of, says of these keys.
    fn keys(&self, schema: &'s Value, said: &Map<String, Value>, keys: &mut Keys<'s>) {
        if let Some(target) = self.target(schema) {
            self.keys(target, said, keys);
        }
        if let Some(properties) = schema.get("properties").and_then(Value::as_object) {
            keys.says = true;
            keys.known.extend(properties.iter().map(|(name, schema)| (name.as_str(), schema)));
        }
        let needed = schema.get("required").and_then(Value::as_array);
        keys.needed.extend(needed.into_iter().flatten().filter_map(Value::as_str));
        match schema.get("additionalProperties") {
            Some(Value::Bool(false)) => keys.says = true,
            Some(others) => (keys.says, keys.others) = (true, Some(others)),
            None => {}
        }
        for part in schema.get("allOf").and_then(Value::as_array).into_iter().flatten() {
            self.keys(part, said, keys);
        }
        for choice in ["oneOf", "anyOf"] {
            let branches: Vec<&Value> = schema.get(choice).and_then(Value::as_array).into_iter().flatten().collect();
            let fitting = branches.iter().filter(|branch| self.fits(branch, said));
            fitting.for_each(|branch| self.keys(branch, said, keys));
        }
    }

    /// Whether a branch is the one that the words in its tag mean, or has every key that it needs.
    fn fits(&self, branch: &'s Value, said: &Map<String, Value>) -> bool {
        let branch = self.target(branch).unwrap_or(branch);
        let needed = branch.get("required").and_then(Value::as_array);
        let is_there = |name: &Value| name.as_str().is_some_and(|name| said.contains_key(name));
        let tag_fits = |(name, schema): (&String, &Value)| {
            schema.get("const").is_none_or(|tag| said.get(name).is_none_or(|said| said == tag))
        };
        branch.get("type").is_none_or(|kind| kind == "object")
            && needed.is_none_or(|needed| needed.iter().all(is_there))
            && branch.get("properties").and_then(Value::as_object).is_none_or(|all| all.iter().all(tag_fits))
    }

    fn items(&self, schema: &'s Value) -> Option<&'s Value> {
        let parts = ["oneOf", "anyOf", "allOf"].into_iter().filter_map(|parts| schema.get(parts)?.as_array()).flatten();
        schema
            .get("items")
            .or_else(|| self.items(self.target(schema)?))
            .or_else(|| parts.into_iter().find_map(|part| self.items(part)))
    }

    /// Whether only named values may stand here.
    fn is_only_named(&self, schema: &'s Value) -> bool {
        let own = match schema.get("type") {
            Some(Value::String(kind)) => kind == "object",
            Some(Value::Array(kinds)) => !kinds.iter().any(|kind| kind == "array"),
            _ => false,
        };
        own || self.target(schema).is_some_and(|target| self.is_only_named(target))
            || ["oneOf", "anyOf"].into_iter().filter_map(|parts| schema.get(parts)?.as_array()).any(|parts| {
                parts
                    .iter()
                    .all(|part| self.is_only_named(part) || part.get("type").is_some_and(|kind| kind != "array"))
            })
    }

    /// What a reference means.
    fn target(&self, schema: &'s Value) -> Option<&'s Value> {
        self.root.pointer(schema.get("$ref")?.as_str()?.strip_prefix('#')?)
    }
}

fn quoted(at: &str) -> String {
    if at.is_empty() { "the whole".to_owned() } else { format!("`{at}`") }
}

fn and_these(keys: &Keys<'_>) -> String {
    let mut names: Vec<&str> = keys.known.iter().map(|(name, _)| *name).collect();
    names.sort_unstable();
    names.dedup();
    if names.is_empty() { "nothing is".to_owned() } else { format!("known are {}", names.join(", ")) }
}

#[cfg(test)]
mod tests {
    use serde_json::json;

    use super::{ensure_known, ensure_whole};
    use crate::{AskRequest, NewTarget, NewTerms};

    fn complaint(said: &serde_json::Value) -> String {
        ensure_known::<NewTerms>(said).err().unwrap_or_default()
    }

    #[test]
    fn a_misspelt_key_is_refused_at_every_depth_and_named() {
        let good = json!({
            "scope": "/harbour",
            "labels": { "stage": "production" },
            "settings": {
                "longest": 3600,
                "ticket": { "is": "required", "pattern": "CHG-[0-9]+" },
                "starts": { "at_yes": true, "begin_within": 60 },
                "approval": { "is": "stage", "approvers": ["oda"], "yes": 1, "no": 1, "within": 60 },
            },
        });
        assert_eq!(complaint(&good), "");
        for (place, key, said) in [
            ("", "scop", "`scop` is not known here; known are"),
            ("/settings", "longst", "`settings.longst` is not known here"),
            ("/settings/ticket", "patern", "`settings.ticket.patern` is not known here; known are is, pattern"),
            ("/settings/starts", "at_no", "`settings.starts.at_no`"),
            ("/settings/approval", "approver", "`settings.approval.approver`"),
        ] {
            let mut wrong = good.clone();
            wrong.pointer_mut(place).unwrap().as_object_mut().unwrap().insert(key.to_owned(), json!(1));
            assert!(complaint(&wrong).starts_with(said), "{place}/{key}: {}", complaint(&wrong));
        }
        for (place, said) in
            [("/settings", "`settings` is a list"), ("/settings/ticket", "`settings.ticket` is a list")]
        {
            let mut wrong = good.clone();
            *wrong.pointer_mut(place).unwrap() = json!([]);
            assert!(complaint(&wrong).starts_with(said), "{place}: {}", complaint(&wrong));
        }
        assert!(complaint(&json!([])).contains("is a list"));
    }

    #[test]
    fn what_takes_the_place_of_a_rule_names_all_of_it_at_every_depth() {
        let brief = json!({ "scope": "/harbour", "settings": { "ticket": { "is": "optional" } } });
        let rule: NewTerms = serde_json::from_value(brief.clone()).unwrap();
        let whole = serde_json::to_value(&rule).unwrap();
        ensure_whole::<NewTerms>(&whole).unwrap();
        assert!(ensure_whole::<NewTerms>(&brief).is_err());
        let mut left_out = 0;
        for place in ["", "/settings"] {
            for key in whole.pointer(place).unwrap().as_object().unwrap().keys() {
                let mut partial = whole.clone();
                partial.pointer_mut(place).unwrap().as_object_mut().unwrap().remove(key);
                let said = ensure_whole::<NewTerms>(&partial).unwrap_err();
                let at = format!("{place}/{key}").trim_start_matches('/').replace('/', ".");
                assert_eq!(said, format!("`{at}` is missing"));
                left_out += 1;
            }
        }
        assert!(left_out > 15, "{left_out} keys of a rule and its settings");
    }

    #[test]
    fn each_form_of_a_choice_has_its_own_keys_and_maps_take_any() {
        let target = |connector: serde_json::Value| {
            ensure_known::<NewTarget>(&json!({ "parent": "/", "name": "x", "secret": "s", "connector": connector }))
        };
        let known = json!({ "kind": "brightwater", "url": "http://localhost:1" });
        target(known).unwrap();
        let refused = target(json!({ "kind": "brightwater", "url": "http://localhost:1", "sweep": 3 })).unwrap_err();
        assert!(refused.starts_with("`connector.sweep` is not known here"), "{refused}");
        ensure_known::<AskRequest>(
            &json!({ "right": "r@/x", "shown": "", "start": { "start": "at", "time": "2026-01-01T00:00:00Z" } }),
        )
        .unwrap();
        let refused = ensure_known::<AskRequest>(
            &json!({ "right": "r@/x", "shown": "", "start": { "start": "at-yes", "tim": 1 } }),
        )
        .unwrap_err();
        assert!(refused.starts_with("`start.tim`"), "{refused}");
    }
}
