//! Leaves that tile the source, and the blocks over them.

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
    /// Whole lines of comment. It may hold a dormant setting, which is found lazily.
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

const NONE: u32 = u32::MAX;

/// The most bytes that a source may have: 512 MiB less one.
pub const MOST_BYTES: usize = (1 << 29) - 1;

/// One leaf; it begins where the leaf before it ends, so tiling holds by construction. Where it ends and what it is
/// share four bytes: large files have many leaves.
#[derive(Clone, Copy, Debug)]
struct Leaf(u32);

impl Leaf {
    const KINDS: [Kind; 7] =
        [Kind::Setting, Kind::Open, Kind::Close, Kind::Comment, Kind::Blank, Kind::Opaque, Kind::Broken];

    fn new(end: usize, kind: Kind) -> Self {
        Self((end as u32) << 3 | kind as u32)
    }

    fn end(self) -> u32 {
        self.0 >> 3
    }

    fn kind(self) -> Kind {
        Self::KINDS.get((self.0 & 7) as usize).copied().unwrap_or(Kind::Broken)
    }
}

/// A range of leaves that begins with its opening statement.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Block {
    open: LeafId,
    close: LeafId,
    end: LeafId,
    parent: BlockId,
}

impl Block {
    /// The leaf of its opening statement.
    pub fn open(self) -> LeafId {
        self.open
    }

    /// The leaf of its closing mark; none where the family has none (a group that runs to the next
    /// one) or where it is missing.
    pub fn close(self) -> Option<LeafId> {
        (self.close != NONE).then_some(self.close)
    }

    /// One past the last leaf that belongs to it, its closing mark included.
    pub fn end(self) -> LeafId {
        self.end
    }

    /// The block around it.
    pub fn parent(self) -> Option<BlockId> {
        (self.parent != NONE).then_some(self.parent)
    }
}

/// A leaf on a walk over a tree.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Step {
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
    leaves: Vec<Leaf>,
    blocks: Vec<Block>,
}

impl Tree {
    /// How many leaves there are.
    pub fn len(&self) -> LeafId {
        self.leaves.len() as LeafId
    }

    /// Whether the source was empty.
    pub fn is_empty(&self) -> bool {
        self.leaves.is_empty()
    }

    /// What leaf `id` is.
    pub fn kind(&self, id: LeafId) -> Kind {
        self.leaves[id as usize].kind()
    }

    /// The bytes of leaf `id`.
    pub fn span(&self, id: LeafId) -> Span {
        let start = if id == 0 { 0 } else { self.leaves[id as usize - 1].end() };
        Span { start, end: self.leaves[id as usize].end() }
    }

    /// All leaves in order.
    pub fn leaves(&self) -> impl Iterator<Item = (LeafId, Kind, Span)> + '_ {
        let mut start = 0;
        self.leaves.iter().enumerate().map(move |(id, leaf)| {
            let span = Span { start, end: leaf.end() };
            start = leaf.end();
            (id as LeafId, leaf.kind(), span)
        })
    }

    /// All leaves in order, each with the innermost block that it is in, and the block that it opens: as [`Self::block_of`]
    /// and [`Self::opened_by`] have it, without a search for each.
    pub fn walk(&self) -> impl Iterator<Item = Step> + '_ {
        let mut around: Vec<BlockId> = Vec::new();
        let mut next = 0;
        self.leaves().map(move |(leaf, kind, span)| {
            while around.last().is_some_and(|block| self.block(*block).end() <= leaf) {
                around.pop();
            }
            let inner = around.last().copied();
            let closes = inner.filter(|block| self.block(*block).close() == Some(leaf));
            let block = closes.map_or(inner, |block| self.block(block).parent());
            let opens = self.blocks.get(next).filter(|block| block.open == leaf).map(|_| next as BlockId);
            if let Some(block) = opens {
                next += 1;
                around.push(block);
            }
            Step { leaf, kind, span, block, opens }
        })
    }

    /// The leaf that holds byte `offset`; the last one for an offset at or past the end.
    pub fn leaf_at(&self, offset: u32) -> Option<LeafId> {
        let id = self.leaves.partition_point(|leaf| leaf.end() <= offset);
        let last = self.leaves.len().checked_sub(1)?;
        Some(id.min(last) as LeafId)
    }

    /// Block `id`.
    pub fn block(&self, id: BlockId) -> Block {
        self.blocks[id as usize]
    }

    /// All blocks, in the order in which they open.
    pub fn blocks(&self) -> impl Iterator<Item = (BlockId, Block)> + '_ {
        self.blocks.iter().enumerate().map(|(id, block)| (id as BlockId, *block))
    }

    /// The innermost block that leaf `id` stands in. An opening statement stands in the block
    /// *around* the one it opens, as does a closing mark.
    pub fn block_of(&self, id: LeafId) -> Option<BlockId> {
        let after = self.blocks.partition_point(|block| block.open < id);
        let mut at = after.checked_sub(1).map(|at| at as BlockId);
        while let Some(block) = at.map(|at| self.block(at)) {
            if id < block.end && block.close() != Some(id) {
                return at;
            }
            at = block.parent();
        }
        None
    }

    /// The block that leaf `id` opens.
    pub fn opened_by(&self, id: LeafId) -> Option<BlockId> {
        self.blocks.binary_search_by_key(&id, |block| block.open).ok().map(|at| at as BlockId)
    }

    /// The same tree in which the settings that `is_opaque` are not ours to read.
    pub fn with_opaque(mut self, is_opaque: impl Fn(Span) -> bool) -> Self {
        let mut start = 0;
        for leaf in &mut self.leaves {
            let span = Span { start, end: leaf.end() };
            if leaf.kind() == Kind::Setting && is_opaque(span) {
                *leaf = Leaf::new(span.end as usize, Kind::Opaque);
            }
            start = span.end;
        }
        self
    }

    /// Bytes of memory that the tree takes beside its source.
    pub fn weight(&self) -> usize {
        self.leaves.capacity() * size_of::<Leaf>() + self.blocks.capacity() * size_of::<Block>()
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
        Self { tree: Tree { leaves: Vec::with_capacity(leaves), blocks: Vec::new() }, open: Vec::new() }
    }

    /// The next leaf, up to byte `end`. A leaf without bytes is not made.
    pub fn leaf(&mut self, kind: Kind, end: usize) {
        let start = self.tree.leaves.last().map_or(0, |leaf| leaf.end() as usize);
        if end > start {
            self.tree.leaves.push(Leaf::new(end, kind));
        }
    }

    /// An opening statement up to byte `end`, and the block that it opens.
    pub fn open(&mut self, end: usize) {
        self.leaf(Kind::Open, end);
        let open = self.tree.len().saturating_sub(1);
        let parent = self.open.last().copied().unwrap_or(NONE);
        self.open.push(self.tree.blocks.len() as BlockId);
        self.tree.blocks.push(Block { open, close: NONE, end: NONE, parent });
    }

    /// A closing mark up to byte `end`; without an open block it is a broken leaf.
    pub fn close(&mut self, end: usize) {
        match self.open.pop() {
            None => self.leaf(Kind::Broken, end),
            Some(id) => {
                self.leaf(Kind::Close, end);
                let after = self.tree.len();
                let block = &mut self.tree.blocks[id as usize];
                block.close = after - 1;
                block.end = after;
            }
        }
    }

    /// Ends the innermost block without a mark, as a group ends where the next one begins.
    pub fn end(&mut self) {
        if let Some(id) = self.open.pop() {
            self.tree.blocks[id as usize].end = self.tree.len();
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
