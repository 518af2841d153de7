//! Exported ledgers: one JSON line for the head with its checkpoint, then one for each fact.
//!
//! Every line is written in one form only, so that a byte changed anywhere is found.

use serde::{Deserialize, Serialize};
use thiserror::Error;

use super::{Checkpoint, SignedCheckpoint, Tree, Verifier, leaf_hash};
use crate::text::Digest;

/// The first line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct HeadLine {
    /// Version of this form; 1.
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
    /// Facts and leaf hashes were changed together.
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
    seen: Option<&'v SignedCheckpoint>,
    head: Option<SignedCheckpoint>,
    tree: Tree,
    lines: u64,
}

impl<'v> Export<'v> {
    /// Begins to verify with a public key, and a checkpoint seen earlier where there is one.
    #[must_use]
    pub fn new(verifier: &'v Verifier, seen: Option<&'v SignedCheckpoint>) -> Self {
        Self { verifier, seen, head: None, tree: Tree::default(), lines: 0 }
    }

    /// Takes the next line.
    ///
    /// # Errors
    /// Names the line or fact that is wrong.
    pub fn take(&mut self, line: LineRead) -> Result<(), Fault> {
        self.lines += 1;
        let line = match line {
            LineRead::Head(head) if self.head.is_none() => {
                if head.ledger != 1 {
                    let what = format!("form {} of the file; this program reads 1", head.ledger);
                    return Err(damaged(self.lines, &what));
                }
                self.head = Some(self.verifier.open(&head.checkpoint).map_err(Fault::Checkpoint)?);
                return Ok(());
            }
            LineRead::Fact(line) if self.head.is_some() => line,
            LineRead::Head(_) | LineRead::Fact(_) => {
                return Err(damaged(self.lines, "the head stands first, and once"));
            }
        };
        if line.n != self.tree.size() {
            let what = format!("fact {} stands where fact {} belongs", line.n, self.tree.size());
            return Err(damaged(self.lines, &what));
        }
        self.tree.push(line.leaf);
        if let Some(seen) = self.seen
            && seen.checkpoint.size == self.tree.size()
            && seen.checkpoint.root != self.tree.root()
        {
            return Err(Fault::Rewritten { size: self.tree.size() });
        }
        Ok(())
    }

    /// All lines were taken.
    ///
    /// # Errors
    /// Says what the whole of the file fails.
    pub fn finish(self) -> Result<Verdict, Fault> {
        let Some(head) = self.head else {
            return Err(Fault::Line { line: 1, what: "the file is empty".to_owned() });
        };
        let (have, checkpoint) = (self.tree.size(), head.checkpoint);
        if have < checkpoint.size {
            return Err(Fault::Cut { have, covers: checkpoint.size });
        }
        if have > checkpoint.size || self.tree.root() != checkpoint.root {
            return Err(Fault::Root { have: self.tree.root(), signed: checkpoint.root });
        }
        if let Some(seen) = self.seen
            && seen.checkpoint.size > have
        {
            return Err(Fault::OlderThanSeen { have, seen: seen.checkpoint.size });
        }
        Ok(Verdict { checkpoint, against_seen: self.seen.map(|seen| seen.checkpoint.clone()) })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ledger::Signer;

    fn signer() -> Signer {
        Signer::new("quillhaven.example/tempestas", &[7; 32]).unwrap()
    }

    fn exported(facts: u64) -> (String, SignedCheckpoint) {
        let mut tree = Tree::default();
        let lines: Vec<String> = (0..facts)
            .map(|n| {
                let fact = format!("{{\"fact\":\"number {n}\"}}");
                let leaf = leaf_hash(fact.as_bytes());
                tree.push(leaf);
                serde_json::to_string(&FactLine { n, leaf, fact }).unwrap()
            })
            .collect();
        let signed = signer().sign(tree.size(), tree.root(), 1);
        let head = serde_json::to_string(&HeadLine { ledger: 1, checkpoint: signed.note.clone() }).unwrap();
        (format!("{head}\n{}\n", lines.join("\n")), signed)
    }

    fn verify(file: &[u8], seen: Option<&SignedCheckpoint>) -> Result<Verdict, Fault> {
        let verifier = signer().verifier();
        let mut export = Export::new(&verifier, seen);
        let text = std::str::from_utf8(file).map_err(|_| Fault::Line { line: 0, what: "not UTF-8".to_owned() })?;
        let body = text.strip_suffix('\n').ok_or(Fault::Line { line: 0, what: "no end".to_owned() })?;
        body.split('\n').zip(1..).try_for_each(|(line, number)| export.take(LineRead::new(line, number)?))?;
        export.finish()
    }

    #[test]
    fn a_byte_changed_anywhere_is_found() {
        let (file, _) = exported(3);
        assert!(verify(file.as_bytes(), None).is_ok());
        for at in 0..file.len() {
            for flip in [0x01, 0x20] {
                let mut changed = file.clone().into_bytes();
                changed[at] ^= flip;
                assert!(verify(&changed, None).is_err(), "byte {at} changed by {flip:#x} passes");
            }
        }
    }

    #[test]
    fn a_cut_tail_is_found_in_the_file_and_against_a_checkpoint_seen_earlier() {
        let (longer, seen) = exported(5);
        let cut: String = longer.split_inclusive('\n').take(4).collect();
        assert_eq!(verify(cut.as_bytes(), None), Err(Fault::Cut { have: 3, covers: 5 }));
        let (shorter, _) = exported(3);
        assert!(verify(shorter.as_bytes(), None).is_ok());
        assert_eq!(verify(shorter.as_bytes(), Some(&seen)), Err(Fault::OlderThanSeen { have: 3, seen: 5 }));
    }

    #[test]
    fn history_rewritten_before_a_checkpoint_seen_earlier_is_found() {
        let (file, _) = exported(4);
        let seen = signer().sign(2, leaf_hash(b"another history"), 1);
        assert_eq!(verify(file.as_bytes(), Some(&seen)), Err(Fault::Rewritten { size: 2 }));
    }

    #[test]
    fn another_keys_signature_is_not_accepted() {
        let (file, _) = exported(2);
        let other = Signer::new("quillhaven.example/tempestas", &[8; 32]).unwrap().verifier();
        let head = file.lines().next().unwrap();
        let fault = Export::new(&other, None).take(LineRead::new(head, 1).unwrap()).unwrap_err();
        assert_eq!(fault, Fault::Checkpoint("the checkpoint was signed with another key".to_owned()));
        assert_eq!(Verifier::from_line(&other.to_line()), Ok(other));
    }
}
