//! Terms as files: what they say, what they would change, and what was put.

use std::collections::BTreeMap;

use jiff::Timestamp;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use tempestas_core::{ClauseKind, Digest};

use crate::{AssuranceBody, NewTerms, PromiseBody, SeparationBody, SettingChange, TermsTouched};

/// A file of terms, in TOML: clauses by kind, each under its name.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields, default)]
#[schemars(title = "A file of terms")]
pub struct TermsFile {
    /// Rules of terms.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub rule: BTreeMap<String, NewTerms>,
    /// How sure one must be of people.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub assurance: BTreeMap<String, AssuranceBody>,
    /// What nobody has together.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub separation: BTreeMap<String, SeparationBody>,
    /// What holds whatever else is said.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub promise: BTreeMap<String, PromiseBody>,
}

/// The JSON Schema (draft 2020-12) of a [`TermsFile`], for editors and for whoever writes files by a program.
#[must_use]
pub fn terms_file_schema() -> serde_json::Value {
    schemars::schema_for!(TermsFile).into()
}

fn everything() -> String {
    "/".to_owned()
}

/// Files that together say everything about a place.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct TermsFiles {
    /// The place: nothing outside of it is changed. Everything where it is left out.
    #[serde(default = "everything")]
    pub within: String,
    /// What stands in each, in TOML, by its name.
    pub files: BTreeMap<String, String>,
}

/// Of which place files are wanted.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct FilesQuery {
    /// The place; everything where it is left out.
    #[serde(default = "everything")]
    pub within: String,
}

/// Files of terms.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct FilesReply {
    /// The lines of each, by its name.
    pub files: BTreeMap<String, Vec<String>>,
}

/// What can't be as a file says it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
pub struct FaultView {
    /// In which file.
    pub file: String,
    /// In which line, from 1.
    pub line: usize,
    /// At which character of it, from 1.
    pub column: usize,
    /// What is wrong.
    pub says: String,
}

/// What files would change: nothing, where anything is wrong with them.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct FilesCompared {
    /// What is wrong with them.
    pub faults: Vec<FaultView>,
    /// What they would change, where nothing is wrong.
    pub plan: Option<FilingPlanView>,
}

/// What would be changed as one.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct FilingPlanView {
    /// Of all of it, which whoever puts it says with `If-Match`.
    pub digest: Digest,
    /// Each clause that would be another.
    pub changes: Vec<ClauseChange>,
    /// How many clauses stand as they are to stand.
    pub same: usize,
    /// Rules of the place that files don't have, and would leave alone.
    pub by_hand: Vec<String>,
    /// Rules of the place that files of another place have, with that, and which these leave alone.
    pub of_other_files: Vec<String>,
    /// Whom its rules would touch, and whether it would be refused.
    pub touched: TermsTouched,
}

/// That a filing is undone, as it was looked at.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct UndoFiling {
    /// The digest of what it would change, as that was shown.
    pub shown: Digest,
}

/// What becomes of a clause.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Becomes {
    /// It is new.
    New,
    /// It says something else.
    Changed,
    /// It ends.
    Ended,
    /// It stays, and files have it from then on, or under another name.
    Filed,
    /// It stays, and files have it no more.
    Unfiled,
}

/// One clause that changes.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct ClauseChange {
    /// Of which kind.
    pub kind: ClauseKind,
    /// Its name in files.
    pub name: String,
    /// What becomes of it.
    pub becomes: Becomes,
    /// Its number, where it is a rule that is there.
    pub rule: Option<String>,
    /// The place that a rule is about.
    pub scope: Option<String>,
    /// What it says otherwise, by setting.
    pub says: Vec<SettingChange>,
    /// Who changed it by hand since files had it, where somebody did.
    pub by_hand: Option<String>,
}

/// What was put from files, or undone.
#[derive(Debug, Clone, Serialize, Deserialize, JsonSchema)]
pub struct FilingView {
    /// Id.
    pub id: String,
    /// The place.
    pub within: String,
    /// Who put it; none where the machine did.
    pub by: Option<String>,
    /// When.
    pub at: Timestamp,
    /// How many clauses were set.
    pub set: usize,
    /// How many ended.
    pub ended: usize,
    /// Their names, with their kinds.
    pub clauses: Vec<String>,
    /// Until when it can be undone.
    pub undo_until: Timestamp,
    /// The filing that it undid, where it did.
    pub undoes: Option<String>,
    /// The filing by which it was undone, where it was.
    pub undone_by: Option<String>,
}
