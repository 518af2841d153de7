//! The ledger's proof: a Merkle tree over the exact bytes of the facts (RFC 9162, SHA-256), checkpoints
//! signed with Ed25519 in the signed-note form, and exported files that a stranger can verify.

mod checkpoint;
mod export;
mod tree;

pub use checkpoint::{Checkpoint, SignedCheckpoint, Signer, Verifier};
pub use export::{EXPORT_FORM, Export, FactLine, Fault, HeadLine, LEAVES_A_LINE, LeavesLine, LineRead, Verdict};
pub use tree::{
    BLOCK, Hashes, Tree, consistency_proof, inclusion_proof, leaf_hash, verify_consistency, verify_inclusion,
};
