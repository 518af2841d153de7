//! The Merkle tree of RFC 9162, section 2.1.

use std::collections::BTreeMap;

use crate::text::Digest;

/// Leaves under one stored subtree.
pub const BLOCK: u64 = 256;

/// Hash of a leaf: SHA-256 over 0x00 and the exact bytes.
#[must_use]
pub fn leaf_hash(bytes: &[u8]) -> Digest {
    Digest::of(&[&[0], bytes])
}

fn node_hash(left: Digest, right: Digest) -> Digest {
    Digest::of(&[&[1], &left.0, &right.0])
}

/// A tree that only grows; holds the full subtrees at its right edge, no more.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Tree {
    size: u64,
    /// Roots of full subtrees, largest first, with how many leaves each covers.
    edge: Vec<(u64, Digest)>,
}

impl Tree {
    /// How many leaves it has.
    #[must_use]
    pub const fn size(&self) -> u64 {
        self.size
    }

    /// Adds a leaf's hash. Returns the root of the block of [`BLOCK`] leaves that it completes, if it does.
    pub fn push(&mut self, leaf: Digest) -> Option<Digest> {
        self.push_subtree(1, leaf)
    }

    /// Adds the root of a full block of [`BLOCK`] leaves.
    pub fn push_block(&mut self, root: Digest) {
        self.push_subtree(BLOCK, root);
    }

    fn push_subtree(&mut self, leaves: u64, root: Digest) -> Option<Digest> {
        let (mut leaves, mut root) = (leaves, root);
        self.size += leaves;
        let mut block = None;
        while let Some((_, left)) = self.edge.pop_if(|(covers, _)| *covers == leaves) {
            root = node_hash(left, root);
            leaves *= 2;
            if leaves == BLOCK {
                block = Some(root);
            }
        }
        self.edge.push((leaves, root));
        block
    }

    /// The root hash; that of no leaves is SHA-256 of nothing.
    #[must_use]
    pub fn root(&self) -> Digest {
        let mut edge = self.edge.iter().rev().map(|(_, root)| *root);
        match edge.next() {
            None => Digest::of(&[]),
            Some(last) => edge.fold(last, |right, left| node_hash(left, right)),
        }
    }
}

/// Hashes that a consistency proof is made from: every full block, and the leaves of the blocks it cuts.
#[derive(Debug, Clone, Default)]
pub struct Hashes {
    /// Roots of full blocks, in order.
    pub blocks: Vec<Digest>,
    /// Leaf hashes of single blocks, by number of the block.
    pub leaves: BTreeMap<u64, Vec<Digest>>,
}

impl Hashes {
    fn leaf(&self, at: u64) -> Option<Digest> {
        self.leaves.get(&(at / BLOCK))?.get(usize::try_from(at % BLOCK).ok()?).copied()
    }

    fn range(&self, from: u64, to: u64) -> Option<Digest> {
        let length = to - from;
        if length == BLOCK && from.is_multiple_of(BLOCK) {
            return self.blocks.get(usize::try_from(from / BLOCK).ok()?).copied();
        }
        if length == 1 {
            return self.leaf(from);
        }
        let half = split(length);
        Some(node_hash(self.range(from, from + half)?, self.range(from + half, to)?))
    }
}

/// The largest power of two below `length`.
fn split(length: u64) -> u64 {
    length.next_power_of_two() / 2
}

/// Proof that leaf `at` stands in the tree of `size` leaves (RFC 9162, 2.1.3.1). `None` where hashes are missing.
#[must_use]
pub fn inclusion_proof(hashes: &Hashes, at: u64, size: u64) -> Option<Vec<Digest>> {
    let mut proof = Vec::new();
    let (mut from, mut to) = (0, size);
    if at >= size {
        return None;
    }
    while to - from > 1 {
        let middle = from + split(to - from);
        if at < middle {
            proof.push(hashes.range(middle, to)?);
            to = middle;
        } else {
            proof.push(hashes.range(from, middle)?);
            from = middle;
        }
    }
    proof.reverse();
    Some(proof)
}

/// Proof that the tree of `new` leaves begins with that of `old` (RFC 9162, 2.1.4.1). `None` where hashes are missing.
#[must_use]
pub fn consistency_proof(hashes: &Hashes, old: u64, new: u64) -> Option<Vec<Digest>> {
    if old == 0 || old >= new {
        return (old <= new).then(Vec::new);
    }
    let mut proof = Vec::new();
    let (mut from, mut to, mut size, mut whole) = (0, new, old, true);
    let mut above = Vec::new();
    while size != to - from {
        let half = split(to - from);
        if size <= half {
            above.push(hashes.range(from + half, to)?);
            to = from + half;
        } else {
            above.push(hashes.range(from, from + half)?);
            size -= half;
            from += half;
            whole = false;
        }
    }
    if !whole {
        proof.push(hashes.range(from, to)?);
    }
    proof.extend(above.into_iter().rev());
    Some(proof)
}

/// Checks a proof that a leaf stands at a place (RFC 9162, 2.1.3.2).
#[must_use]
pub fn verify_inclusion(at: u64, size: u64, leaf: Digest, root: Digest, proof: &[Digest]) -> bool {
    if at >= size {
        return false;
    }
    let (mut node, mut last, mut hash) = (at, size - 1, leaf);
    for sibling in proof {
        if last == 0 {
            return false;
        }
        if node & 1 == 1 || node == last {
            hash = node_hash(*sibling, hash);
            while node & 1 == 0 && node != 0 {
                node >>= 1;
                last >>= 1;
            }
        } else {
            hash = node_hash(hash, *sibling);
        }
        node >>= 1;
        last >>= 1;
    }
    last == 0 && hash == root
}

/// Checks such a proof (RFC 9162, 2.1.4.2).
#[must_use]
pub fn verify_consistency(old: u64, old_root: Digest, new: u64, new_root: Digest, proof: &[Digest]) -> bool {
    if old > new || (old == new && (old_root != new_root || !proof.is_empty())) {
        return false;
    }
    if old == new || old == 0 {
        return proof.is_empty();
    }
    let mut path = proof.iter().copied();
    let first = if old.is_power_of_two() { Some(old_root) } else { path.next() };
    let Some(first) = first else { return false };
    let (mut node, mut last) = (old - 1, new - 1);
    while node & 1 == 1 {
        node >>= 1;
        last >>= 1;
    }
    let (mut old_hash, mut new_hash) = (first, first);
    for hash in path {
        if last == 0 {
            return false;
        }
        if node & 1 == 1 || node == last {
            old_hash = node_hash(hash, old_hash);
            new_hash = node_hash(hash, new_hash);
            while node & 1 == 0 && node != 0 {
                node >>= 1;
                last >>= 1;
            }
        } else {
            new_hash = node_hash(new_hash, hash);
        }
        node >>= 1;
        last >>= 1;
    }
    last == 0 && old_hash == old_root && new_hash == new_root
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The same number for slices.
    const LEAVES: usize = 256;

    fn leaves(count: u64) -> Vec<Digest> {
        (0..count).map(|n| leaf_hash(&n.to_be_bytes())).collect()
    }

    fn tree(leaves: &[Digest]) -> (Tree, Hashes) {
        let (mut tree, mut hashes) = (Tree::default(), Hashes::default());
        for (n, leaf) in leaves.iter().enumerate() {
            hashes.blocks.extend(tree.push(*leaf));
            hashes.leaves.entry(n as u64 / BLOCK).or_default().push(*leaf);
        }
        (tree, hashes)
    }

    #[test]
    fn roots_are_those_of_the_published_vectors() {
        // Leaves and roots of the widely used test tree of RFC 6962 implementations; RFC 9162 keeps its hashing.
        let inputs: [&[u8]; 4] = [b"", &[0x00], &[0x10], &[0x20, 0x21]];
        let leaves: Vec<Digest> = inputs.iter().map(|input| leaf_hash(input)).collect();
        let root = |n: usize| tree(&leaves[..n]).0.root().to_string();
        assert_eq!(root(0), "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
        assert_eq!(root(1), "6e340b9cffb37a989ca544e6bb780a2c78901d3fb33738768511a30617afa01d");
        assert_eq!(root(2), "fac54203e7cc696cf0dfcb42c92a1d9dbaf70ad9e621f4bd8d98662f00e3c125");
        assert_eq!(root(3), "aeb6bcfe274b70a14fb067a5e5578264db0fa9b51af5e0ba159158f329e06e77");
        assert_eq!(root(4), "d37ee418976dd95753c1c73862b9398fa2a2cf9b4ff0fdfe8b30cd95209614b7");
    }

    #[test]
    fn every_older_tree_is_proven_to_begin_every_newer_one() {
        let all = leaves(40);
        for new in 1..=all.len() {
            let (grown, hashes) = tree(&all[..new]);
            for old in 1..=new {
                let before = tree(&all[..old]).0;
                let proof = consistency_proof(&hashes, old as u64, new as u64).unwrap();
                let holds =
                    |root, proof: &[Digest]| verify_consistency(old as u64, root, new as u64, grown.root(), proof);
                assert!(holds(before.root(), &proof), "{old} in {new}");
                assert!(!holds(leaf_hash(b"another"), &proof), "a false root of {old} passes in {new}");
            }
        }
    }

    #[test]
    fn every_leaf_is_proven_to_stand_in_every_tree_and_no_other_leaf_is() {
        let all = leaves(40);
        for size in 1..=all.len() {
            let (grown, hashes) = tree(&all[..size]);
            for (at, leaf) in all[..size].iter().enumerate() {
                let proof = inclusion_proof(&hashes, at as u64, size as u64).unwrap();
                assert!(verify_inclusion(at as u64, size as u64, *leaf, grown.root(), &proof), "{at} of {size}");
                assert!(!verify_inclusion(at as u64, size as u64, leaf_hash(b"another"), grown.root(), &proof));
            }
            assert_eq!(inclusion_proof(&hashes, size as u64, size as u64), None);
        }
    }

    #[test]
    fn proofs_across_stored_blocks_need_only_the_blocks_they_cut() {
        let all = leaves(3 * BLOCK + 17);
        let (grown, mut hashes) = tree(&all);
        hashes.leaves.retain(|block, _| [1, 3].contains(block));
        let old = LEAVES + 5;
        let before = tree(&all[..old]).0;
        let proof = consistency_proof(&hashes, old as u64, grown.size()).unwrap();
        assert!(verify_consistency(old as u64, before.root(), grown.size(), grown.root(), &proof));
    }

    #[test]
    fn a_tree_resumed_from_blocks_has_the_same_root() {
        let all = leaves(2 * BLOCK + 3);
        let (grown, hashes) = tree(&all);
        let mut resumed = Tree::default();
        hashes.blocks.iter().for_each(|block| resumed.push_block(*block));
        all[2 * LEAVES..].iter().for_each(|leaf| {
            resumed.push(*leaf);
        });
        assert_eq!(resumed, grown);
    }
}
