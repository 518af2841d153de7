//! Facts as earlier versions wrote them, replayed. The file is only ever added to, never edited.

use tempestas_core::{
    Fact, World,
    ledger::{FactLine, leaf_hash},
};

#[test]
fn facts_of_every_version_are_read_as_they_were_written_and_make_a_world() {
    let mut world = World::default();
    for line in include_str!("facts-v1.jsonl").lines() {
        let line: FactLine = serde_json::from_str(line).expect("a line of an export");
        assert_eq!(leaf_hash(line.fact.as_bytes()), line.leaf, "fact {} was edited", line.n);
        let fact = Fact::from_bytes(line.fact.as_bytes()).unwrap_or_else(|why| panic!("fact {}: {why}", line.n));
        let again = fact.to_bytes().expect("a fact can be written");
        assert_eq!(String::from_utf8_lossy(&again), line.fact, "fact {} is written otherwise now", line.n);
        assert!(world.last_at.is_none_or(|last| last <= fact.at), "time runs backwards at fact {}", line.n);
        world.apply(&fact);
    }
    assert_eq!(world.subjects.len(), 26);
    assert_eq!(world.targets.len(), 2);
    assert!(world.standing.len() > 60);
    assert_eq!(world.elevations.len(), 2);
    assert!(world.active.is_empty());
}

#[test]
fn a_fact_of_a_newer_program_is_not_guessed_at() {
    let refused = Fact::from_bytes(br#"{"v":2,"whatever":true}"#).unwrap_err();
    assert_eq!(refused, "fact of version 2; this program reads up to 1");
}
