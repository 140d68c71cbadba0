//! Leaves that tile the source, and the blocks over them.

use super::blocks::Blocks;
use super::leaves::Leaves;
use crate::text::Span;

/// What one leaf is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[repr(u8)]
pub enum Kind {
    /// A statement that gives a name a value, or a bare name.
    Setting,
    /// The statement that opens a block: a section header, a conditional group.
    Open,
    /// The mark that closes a block, in families that have one.
    Close,
    /// Whole lines of comment. It may hold a commented-out setting, which is found lazily.
    Comment,
    /// White space, empty lines, a byte-order mark.
    Blank,
    /// Valid, and not ours to read or to touch.
    Opaque,
    /// What the family cannot read. Editing elsewhere is possible while it stays as it is.
    Broken,
}

/// A leaf by its place in the tree, from 0.
pub type LeafId = u32;
/// A block by its place in the tree, from 0.
pub type BlockId = u32;

/// The most bytes that a source may have: 512 MiB less one.
pub const MOST_BYTES: usize = (1 << 29) - 1;

/// A range of leaves that begins with its opening statement.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Block {
    pub(super) open: LeafId,
    pub(super) end: LeafId,
    pub(super) is_closed: bool,
    pub(super) parent: Option<BlockId>,
}

impl Block {
    /// The leaf of its opening statement.
    pub fn open(self) -> LeafId {
        self.open
    }

    /// The leaf of its closing mark; `None` if the family has none (a group that runs to the next
    /// one) or if it is missing.
    pub fn close(self) -> Option<LeafId> {
        self.is_closed.then(|| self.end - 1)
    }

    /// One past the last leaf that belongs to it, its closing mark included.
    pub fn end(self) -> LeafId {
        self.end
    }

    /// The block around it.
    pub fn parent(self) -> Option<BlockId> {
        self.parent
    }
}

/// A leaf on a walk over a tree.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct WalkStep {
    /// The leaf.
    pub leaf: LeafId,
    /// What it is.
    pub kind: Kind,
    /// Its bytes.
    pub span: Span,
    /// The innermost block that it is in.
    pub block: Option<BlockId>,
    /// The block that it opens.
    pub opens: Option<BlockId>,
}

/// The leaves and blocks of one source.
#[derive(Clone, Debug, Default)]
pub struct Tree {
    leaves: Leaves,
    blocks: Blocks,
}

impl Tree {
    /// How many leaves there are.
    pub fn len(&self) -> LeafId {
        self.leaves.len()
    }

    /// Whether the source was empty.
    pub fn is_empty(&self) -> bool {
        self.leaves.len() == 0
    }

    /// What leaf `id` is.
    pub fn kind(&self, id: LeafId) -> Kind {
        self.leaves.kind(id)
    }

    /// The bytes of leaf `id`.
    pub fn span(&self, id: LeafId) -> Span {
        let start = if id == 0 { 0 } else { self.leaves.end(id - 1) };
        Span { start, end: self.leaves.end(id) }
    }

    /// All leaves in order.
    pub fn leaves(&self) -> impl Iterator<Item = (LeafId, Kind, Span)> + '_ {
        let mut start = 0;
        self.leaves.iter().enumerate().map(move |(id, (kind, end))| {
            let span = Span { start, end };
            start = end;
            (id as LeafId, kind, span)
        })
    }

    /// The leaves that cannot be read as their format, in order.
    pub fn broken(&self) -> impl Iterator<Item = LeafId> + '_ {
        self.leaves().filter(|(_, kind, _)| *kind == Kind::Broken).map(|(id, ..)| id)
    }

    /// All leaves in order, each with the innermost block that it is in, and the block that it opens: as [`Self::block_of`]
    /// and [`Self::opened_by`] have it, without a search for each.
    pub fn walk(&self) -> impl Iterator<Item = WalkStep> + '_ {
        let mut around: Vec<BlockId> = Vec::new();
        let mut next = 0;
        self.leaves().map(move |(leaf, kind, span)| {
            while around.last().is_some_and(|block| self.block(*block).end() <= leaf) {
                around.pop();
            }
            let inner = around.last().copied();
            let closes = inner.filter(|block| self.block(*block).close() == Some(leaf));
            let block = closes.map_or(inner, |block| self.block(block).parent());
            let opens = self.blocks.open(next).filter(|open| *open == leaf).map(|_| next);
            if let Some(block) = opens {
                next += 1;
                around.push(block);
            }
            WalkStep { leaf, kind, span, block, opens }
        })
    }

    /// The leaf that holds byte `offset`; the last one for an offset at or past the end.
    pub fn leaf_at(&self, offset: u32) -> Option<LeafId> {
        let last = self.leaves.len().checked_sub(1)?;
        Some(self.leaves.first_beyond(offset).min(last))
    }

    /// Block `id`.
    pub fn block(&self, id: BlockId) -> Block {
        self.blocks.get(id)
    }

    /// All blocks, in the order in which they open.
    pub fn blocks(&self) -> impl Iterator<Item = (BlockId, Block)> + '_ {
        (0..self.blocks.len()).map(|id| (id, self.block(id)))
    }

    /// The innermost block that leaf `id` is in. An opening statement is in the block
    /// *around* the one it opens, as does a closing mark.
    pub fn block_of(&self, id: LeafId) -> Option<BlockId> {
        let after = self.blocks.opened_before(id);
        let mut at = after.checked_sub(1);
        while let Some(block) = at.map(|at| self.block(at)) {
            if id < block.end() && block.close() != Some(id) {
                return at;
            }
            at = block.parent();
        }
        None
    }

    /// The block that leaf `id` opens.
    pub fn opened_by(&self, id: LeafId) -> Option<BlockId> {
        let block = self.blocks.opened_before(id);
        self.blocks.open(block).filter(|open| *open == id).map(|_| block)
    }

    /// The same tree in which the settings that `is_opaque` are not ours to read.
    pub fn with_opaque(mut self, is_opaque: impl Fn(Span) -> bool) -> Self {
        for id in 0..self.len() {
            if self.kind(id) == Kind::Setting && is_opaque(self.span(id)) {
                self.leaves.set_kind(id, Kind::Opaque);
            }
        }
        self
    }

    /// Bytes of memory that the tree takes beside its source.
    pub fn weight(&self) -> usize {
        self.leaves.weight() + self.blocks.weight()
    }
}

/// Builds a [`Tree`] leaf by leaf. Families may hand it anything; it keeps the law of tiling.
#[derive(Debug, Default)]
pub struct Builder {
    tree: Tree,
    open: Vec<BlockId>,
}

impl Builder {
    /// A builder that expects about `leaves` leaves.
    pub fn with_capacity(leaves: usize) -> Self {
        Self {
            tree: Tree { leaves: Leaves::with_capacity(leaves), blocks: Blocks::default() },
            open: Vec::new(),
        }
    }

    /// The next leaf, up to byte `end`. A leaf without bytes is not made.
    pub fn leaf(&mut self, kind: Kind, end: usize) {
        self.tree.leaves.push(kind, end as u32);
    }

    /// An opening statement up to byte `end`, and the block that it opens.
    pub fn open(&mut self, end: usize) {
        self.leaf(Kind::Open, end);
        let open = self.tree.len().saturating_sub(1);
        let block = self.tree.blocks.push(open, self.open.last().copied());
        self.open.push(block);
    }

    /// A closing mark up to byte `end`; without an open block it is a broken leaf.
    pub fn close(&mut self, end: usize) {
        match self.open.pop() {
            None => self.leaf(Kind::Broken, end),
            Some(id) => {
                self.leaf(Kind::Close, end);
                self.tree.blocks.end(id, self.tree.len(), true);
            }
        }
    }

    /// Ends the innermost block without a mark, as a group ends where the next one begins.
    pub fn end(&mut self) {
        if let Some(id) = self.open.pop() {
            self.tree.blocks.end(id, self.tree.len(), false);
        }
    }

    /// How many blocks are open.
    pub fn depth(&self) -> usize {
        self.open.len()
    }

    /// The tree; blocks that are still open end with the source.
    pub fn finish(mut self) -> Tree {
        while !self.open.is_empty() {
            self.end();
        }
        self.tree
    }
}
