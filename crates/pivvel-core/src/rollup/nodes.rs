//! The nodes of an axis at one level: members under their parents, and what is known of few of them.

use super::class::Class;
use crate::grouping::PairTable;

/// The nodes of a level. There may be millions, of which few or none are hidden, set apart or made of others.
#[derive(Debug, Clone, Default)]
pub(super) struct Nodes {
    /// The node of a parent and a member.
    pub(super) pairs: PairTable,
    /// Which are computed but not shown; so are all under them.
    pub(super) hidden: Sparse<bool>,
    /// Whether and how they are set apart from members that lines have.
    pub(super) classes: Sparse<Class>,
    /// How they are computed from their siblings.
    pub(super) made: Sparse<Option<Box<Made>>>,
}

impl Nodes {
    pub(super) fn of(pairs: PairTable) -> Nodes {
        Nodes { pairs, ..Nodes::default() }
    }

    pub(super) fn len(&self) -> usize {
        self.pairs.len()
    }

    /// The parent and the member of a node; `None` where there is no such node.
    pub(super) fn pair(&self, node: u32) -> Option<(u32, u32)> {
        self.pairs.pairs().get(node as usize).copied()
    }
}

/// How a node is computed from its siblings.
#[derive(Debug, Clone)]
pub(crate) struct Made {
    /// The item's place in the order in which items are applied.
    pub(crate) item: usize,
    /// The nodes that its formula reads, by the order of its names.
    pub(crate) operands: Vec<Option<u32>>,
}

/// Something that is the same of most nodes, and has room only where it is not.
#[derive(Debug, Clone)]
pub(super) struct Sparse<T>(Vec<T>);

impl<T> Default for Sparse<T> {
    fn default() -> Sparse<T> {
        Sparse(Vec::new())
    }
}

impl<T: Clone + Default> Sparse<T> {
    pub(super) fn set(&mut self, node: u32, what: T) {
        let room = node as usize + 1;
        if self.0.len() < room {
            self.0.resize(room, T::default());
        }
        self.0[node as usize] = what;
    }

    /// What is known of a node; `None` where that is what most have.
    pub(super) fn get(&self, node: u32) -> Option<&T> {
        self.0.get(node as usize)
    }
}

impl<T: Copy + Default> Sparse<T> {
    pub(super) fn of(&self, node: u32) -> T {
        self.get(node).copied().unwrap_or_default()
    }

    /// Whether all nodes have what most have.
    pub(super) fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}
