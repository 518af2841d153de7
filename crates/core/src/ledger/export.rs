//! Exported ledgers: one JSON line for the head with its checkpoint, one for each fact, then all leaf hashes once more.
//!
//! Every line is written in one form only, so that a byte changed anywhere is found. The second copy of the leaf hashes proves
//! itself by the signed root: by it a changed fact is named, though its own leaf hash was changed with it.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::{Checkpoint, SignedCheckpoint, Tree, Verifier, leaf_hash};
use crate::text::Digest;

/// The first line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct HeadLine {
    /// Version of this form: 2, or 1 for one without the second copy of the leaf hashes.
    pub ledger: u16,
    /// The signed checkpoint that covers the file, as a note.
    pub checkpoint: String,
}

/// A line for one fact.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct FactLine {
    /// Its number, from 0.
    pub n: u64,
    /// Its leaf hash.
    pub leaf: Digest,
    /// Its exact bytes.
    pub fact: String,
}

/// A line of leaf hashes, for the second time.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct LeavesLine {
    /// Number of the first one's fact.
    pub leaves_from: u64,
    /// Those of [`LEAVES_A_LINE`] facts; of fewer in the last line.
    pub leaves: Vec<Digest>,
}

/// The version that is written.
pub const EXPORT_FORM: u16 = 2;
/// How many leaf hashes stand in one line.
pub const LEAVES_A_LINE: usize = 256;

/// What is wrong with an exported ledger.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum Fault {
    /// A line has not the form.
    #[error("line {line} is damaged: {what}")]
    Line {
        /// Number of the line, from 1.
        line: u64,
        /// What is wrong.
        what: String,
    },
    /// A fact's bytes and leaf hash disagree.
    #[error("fact {n} was changed: its bytes do not give its leaf hash")]
    Fact {
        /// The fact.
        n: u64,
    },
    /// A fact and its leaf hash were changed together.
    #[error("fact {n} was changed, and its leaf hash with it: the signed checkpoint covers another")]
    Signed {
        /// The first such fact.
        n: u64,
    },
    /// The checkpoint isn't genuine.
    #[error("{0}")]
    Checkpoint(String),
    /// Facts are missing at the end.
    #[error("the tail was cut: the file holds {have} facts, its checkpoint covers {covers}")]
    Cut {
        /// Facts in the file.
        have: u64,
        /// Facts under its checkpoint.
        covers: u64,
    },
    /// Facts and all copies of leaf hashes were changed together.
    #[error(
        "the facts in this file are not those that were signed: their tree has the root {have}, the checkpoint says {signed}"
    )]
    Root {
        /// Root of the facts.
        have: Digest,
        /// Root in the checkpoint.
        signed: Digest,
    },
    /// An earlier checkpoint covers more.
    #[error("the tail was cut: a checkpoint seen earlier covers {seen} facts, this ledger has {have}")]
    OlderThanSeen {
        /// Facts in the file.
        have: u64,
        /// Facts under the checkpoint seen earlier.
        seen: u64,
    },
    /// An earlier checkpoint has another root for the same facts.
    #[error("history was rewritten: the first {size} facts are not those under the checkpoint seen earlier")]
    Rewritten {
        /// Facts under the checkpoint seen earlier.
        size: u64,
    },
}

/// A line whose form was read, and whose bytes give their leaf hash; where it stands was not looked at yet.
#[derive(Debug)]
pub enum LineRead {
    /// The first.
    Head(HeadLine),
    /// One fact.
    Fact(FactLine),
    /// Leaf hashes, for the second time.
    Leaves(LeavesLine),
}

impl LineRead {
    /// Reads a line, without its line feed; `number` counts from 1. It needs nothing of the lines before, so that
    /// lines can be read and hashed on several processors.
    ///
    /// # Errors
    /// Names the line, or the fact that was changed.
    pub fn new(line: &str, number: u64) -> Result<Self, Fault> {
        if number == 1 {
            return read(line, number).map(Self::Head);
        }
        if line.starts_with("{\"leaves_from\"") {
            return read(line, number).map(Self::Leaves);
        }
        let line: FactLine = read(line, number)?;
        if leaf_hash(line.fact.as_bytes()) != line.leaf {
            return Err(Fault::Fact { n: line.n });
        }
        Ok(Self::Fact(line))
    }
}

fn read<T: Serialize + for<'de> Deserialize<'de>>(line: &str, number: u64) -> Result<T, Fault> {
    let value: T = serde_json::from_str(line).map_err(|error| damaged(number, &error.to_string()))?;
    match serde_json::to_string(&value) {
        Ok(again) if again == line => Ok(value),
        _ => Err(damaged(number, "it is not written as this program writes it")),
    }
}

fn damaged(number: u64, what: &str) -> Fault {
    Fault::Line { line: number, what: what.to_owned() }
}

/// What a verified file proves.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Verdict {
    /// Its checkpoint.
    pub checkpoint: Checkpoint,
    /// Whether it was held against a checkpoint seen earlier.
    pub against_seen: Option<Checkpoint>,
}

/// Reads an exported ledger line by line and verifies it.
pub struct Export<'v> {
    verifier: &'v Verifier,
    seen: &'v [SignedCheckpoint],
    head: Option<(HeadLine, Checkpoint)>,
    tree: Tree,
    /// Of the facts, as they came.
    leaves: Vec<Digest>,
    /// The second copy.
    told: Vec<Digest>,
    /// The first checkpoint seen earlier that has another root for the same facts.
    rewritten: Option<u64>,
    lines: u64,
}

impl<'v> Export<'v> {
    /// Begins to verify with a public key, and with checkpoints seen earlier where there are any.
    #[must_use]
    pub fn new(verifier: &'v Verifier, seen: &'v [SignedCheckpoint]) -> Self {
        let (tree, leaves, told) = (Tree::default(), Vec::new(), Vec::new());
        Self { verifier, seen, head: None, tree, leaves, told, rewritten: None, lines: 0 }
    }

    /// Takes the next line.
    ///
    /// # Errors
    /// Names the line or fact that is wrong.
    pub fn take(&mut self, line: LineRead) -> Result<(), Fault> {
        self.lines += 1;
        let line = match line {
            LineRead::Head(head) if self.head.is_none() => {
                if !(1..=EXPORT_FORM).contains(&head.ledger) {
                    let what = format!("form {} of the file; this program reads 1 and {EXPORT_FORM}", head.ledger);
                    return Err(damaged(self.lines, &what));
                }
                let signed = self.verifier.open(&head.checkpoint).map_err(Fault::Checkpoint)?;
                self.head = Some((head, signed.checkpoint));
                return Ok(());
            }
            LineRead::Fact(line) if self.head.is_some() && self.told.is_empty() => line,
            LineRead::Leaves(line) if self.head.is_some() => return self.take_leaves(line),
            LineRead::Head(_) | LineRead::Fact(_) | LineRead::Leaves(_) => {
                return Err(damaged(self.lines, "the head stands first, and once, then facts, then leaf hashes"));
            }
        };
        if line.n != self.tree.size() {
            let what = format!("fact {} stands where fact {} belongs", line.n, self.tree.size());
            return Err(damaged(self.lines, &what));
        }
        self.tree.push(line.leaf);
        self.leaves.push(line.leaf);
        let size = self.tree.size();
        let differs =
            |seen: &SignedCheckpoint| seen.checkpoint.size == size && seen.checkpoint.root != self.tree.root();
        if self.rewritten.is_none() && self.seen.iter().any(differs) {
            self.rewritten = Some(size);
        }
        Ok(())
    }

    fn take_leaves(&mut self, line: LeavesLine) -> Result<(), Fault> {
        let begun = self.told.len();
        let wanted = self.leaves.len().saturating_sub(begun).min(LEAVES_A_LINE);
        let is_second = self.head.as_ref().is_some_and(|(head, _)| head.ledger == EXPORT_FORM);
        if !is_second || wanted == 0 || line.leaves_from != begun as u64 || line.leaves.len() != wanted {
            return Err(damaged(self.lines, "these leaf hashes don't belong here"));
        }
        self.told.extend(line.leaves);
        Ok(())
    }

    /// The first fact that another one stood in the place of when this was signed, where the second copy can tell.
    fn exchanged(&self, signed: Digest) -> Option<u64> {
        let mut tree = Tree::default();
        self.told.iter().for_each(|leaf| {
            tree.push(*leaf);
        });
        let pairs = || self.leaves.iter().zip(&self.told).zip(0..);
        (tree.root() == signed).then(|| pairs().find(|((have, told), _)| have != told).map(|(_, n)| n))?
    }

    /// All lines were taken.
    ///
    /// # Errors
    /// Says what the whole of the file fails.
    pub fn finish(self) -> Result<Verdict, Fault> {
        let Some((head, checkpoint)) = &self.head else {
            return Err(Fault::Line { line: 1, what: "the file is empty".to_owned() });
        };
        let have = self.tree.size();
        if have < checkpoint.size {
            return Err(Fault::Cut { have, covers: checkpoint.size });
        }
        if have > checkpoint.size || self.tree.root() != checkpoint.root {
            let root = Fault::Root { have: self.tree.root(), signed: checkpoint.root };
            return Err(self.exchanged(checkpoint.root).map_or(root, |n| Fault::Signed { n }));
        }
        if let Some(size) = self.rewritten {
            return Err(Fault::Rewritten { size });
        }
        let last = self.seen.iter().map(|seen| &seen.checkpoint).max_by_key(|seen| seen.size);
        if let Some(seen) = last.filter(|seen| seen.size > have) {
            return Err(Fault::OlderThanSeen { have, seen: seen.size });
        }
        if head.ledger == EXPORT_FORM && self.told != self.leaves {
            return Err(damaged(self.lines, "the second copy of the leaf hashes is not whole, or was changed"));
        }
        Ok(Verdict { checkpoint: checkpoint.clone(), against_seen: last.cloned() })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ledger::Signer;

    fn signer() -> Signer {
        Signer::new("quillhaven.example/tempestas", &[7; 32]).unwrap()
    }

    /// An export of so many facts, its lines, and its checkpoint.
    fn exported(form: u16, facts: u64) -> (Vec<String>, SignedCheckpoint) {
        let mut tree = Tree::default();
        let mut lines = vec![String::new()];
        let mut leaves = Vec::new();
        for n in 0..facts {
            let fact = format!("{{\"fact\":\"number {n}\"}}");
            let leaf = leaf_hash(fact.as_bytes());
            tree.push(leaf);
            leaves.push(leaf);
            lines.push(json(&FactLine { n, leaf, fact }));
        }
        let again = leaves.chunks(LEAVES_A_LINE).zip((0..).step_by(LEAVES_A_LINE));
        if form == EXPORT_FORM {
            lines.extend(again.map(|(leaves, leaves_from)| json(&LeavesLine { leaves_from, leaves: leaves.to_vec() })));
        }
        let signed = signer().sign(tree.size(), tree.root(), 1);
        lines[0] = json(&HeadLine { ledger: form, checkpoint: signed.note.clone() });
        (lines, signed)
    }

    fn json<T: Serialize>(line: &T) -> String {
        serde_json::to_string(line).unwrap()
    }

    fn file(lines: &[String]) -> Vec<u8> {
        format!("{}\n", lines.join("\n")).into_bytes()
    }

    fn verify(file: &[u8], seen: &[SignedCheckpoint]) -> Result<Verdict, Fault> {
        let verifier = signer().verifier();
        let mut export = Export::new(&verifier, seen);
        let text = std::str::from_utf8(file).map_err(|_| Fault::Line { line: 0, what: "not UTF-8".to_owned() })?;
        let body = text.strip_suffix('\n').ok_or(Fault::Line { line: 0, what: "no end".to_owned() })?;
        body.split('\n').zip(1..).try_for_each(|(line, number)| export.take(LineRead::new(line, number)?))?;
        export.finish()
    }

    #[test]
    fn a_byte_changed_anywhere_is_found() {
        for form in [1, EXPORT_FORM] {
            let whole = file(&exported(form, 3).0);
            assert!(verify(&whole, &[]).is_ok());
            for at in 0..whole.len() {
                for flip in [0x01, 0x20] {
                    let mut changed = whole.clone();
                    changed[at] ^= flip;
                    assert!(verify(&changed, &[]).is_err(), "byte {at} changed by {flip:#x} passes");
                }
            }
        }
    }

    #[test]
    fn a_line_left_out_or_put_elsewhere_is_found() {
        let (lines, _) = exported(EXPORT_FORM, 600);
        assert!(verify(&file(&lines), &[]).is_ok());
        for at in [0, 1, 300, 600, 601, 602, 603] {
            let mut without = lines.clone();
            let line = without.remove(at);
            assert!(verify(&file(&without), &[]).is_err(), "without line {at}");
            without.push(line);
            if at < 603 {
                assert!(verify(&file(&without), &[]).is_err(), "line {at} at the end");
            }
        }
    }

    #[test]
    fn a_fact_changed_with_its_leaf_hash_is_named_and_what_changed_all_is_found() {
        let (lines, seen) = exported(EXPORT_FORM, 600);
        let fact = r#"{"fact":"another"}"#.to_owned();
        let leaf = leaf_hash(fact.as_bytes());
        let mut changed = lines.clone();
        changed[301] = json(&FactLine { n: 300, leaf, fact });
        for earlier in [&[][..], &[seen]] {
            assert_eq!(verify(&file(&changed), earlier), Err(Fault::Signed { n: 300 }));
        }
        // With the second copy changed as well the file doesn't tell which, but that one is.
        let mut told: LeavesLine = serde_json::from_str(&changed[602]).unwrap();
        told.leaves[300 - LEAVES_A_LINE] = leaf;
        changed[602] = json(&told);
        assert!(matches!(verify(&file(&changed), &[]), Err(Fault::Root { .. })));
    }

    #[test]
    fn a_cut_tail_is_found_in_the_file_and_against_a_checkpoint_seen_earlier() {
        let (longer, seen) = exported(1, 5);
        assert_eq!(verify(&file(&longer[..4]), &[]), Err(Fault::Cut { have: 3, covers: 5 }));
        let (shorter, first) = exported(1, 3);
        assert!(verify(&file(&shorter), &[]).is_ok());
        assert_eq!(verify(&file(&shorter), &[first, seen]), Err(Fault::OlderThanSeen { have: 3, seen: 5 }));
    }

    #[test]
    fn history_rewritten_before_any_checkpoint_seen_earlier_is_found() {
        let (lines, last) = exported(EXPORT_FORM, 4);
        let (_, first) = exported(EXPORT_FORM, 1);
        let seen = signer().sign(2, leaf_hash(b"another history"), 1);
        assert_eq!(verify(&file(&lines), &[first.clone(), seen, last.clone()]), Err(Fault::Rewritten { size: 2 }));
        let verdict = verify(&file(&lines), &[first, last]).unwrap();
        assert_eq!(verdict.against_seen.map(|seen| seen.size), Some(4));
    }

    #[test]
    fn another_keys_signature_is_not_accepted() {
        let (lines, _) = exported(EXPORT_FORM, 2);
        let other = Signer::new("quillhaven.example/tempestas", &[8; 32]).unwrap().verifier();
        let fault = Export::new(&other, &[]).take(LineRead::new(&lines[0], 1).unwrap()).unwrap_err();
        assert_eq!(fault, Fault::Checkpoint("the checkpoint was signed with another key".to_owned()));
        assert_eq!(Verifier::from_line(&other.to_line()), Ok(other));
    }
}
