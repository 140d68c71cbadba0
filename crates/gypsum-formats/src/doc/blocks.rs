//! The blocks over the leaves of a tree, in ten bytes each.

use super::{Block, BlockId, LeafId};
use std::collections::BTreeMap;

/// Set in the length of a block whose last leaf is its closing mark.
const CLOSED: u16 = 1 << 15;
/// The length of a block that is still open, or so long that its end is in `long`.
const LONG: u16 = CLOSED - 1;

/// The parent of a block that is in none.
const NONE: u32 = u32::MAX;

/// Blocks in the order in which they open.
#[derive(Clone, Debug, Default)]
pub(super) struct Blocks {
    opens: Vec<LeafId>,
    parents: Vec<BlockId>,
    /// How many leaves each has, and [`CLOSED`].
    lengths: Vec<u16>,
    /// Where those end that have [`LONG`] leaves or more.
    long: BTreeMap<BlockId, LeafId>,
}

impl Blocks {
    pub fn len(&self) -> BlockId {
        self.opens.len() as BlockId
    }

    /// A block that leaf `open` opens; it has no end yet.
    pub fn push(&mut self, open: LeafId, parent: Option<BlockId>) -> BlockId {
        let id = self.len();
        self.opens.push(open);
        self.parents.push(parent.unwrap_or(NONE));
        self.lengths.push(LONG);
        id
    }

    /// Ends block `id` before leaf `end`; the leaf before that is its closing mark if it `is_closed`.
    pub fn end(&mut self, id: BlockId, end: LeafId, is_closed: bool) {
        let length = end - self.opens[id as usize];
        let short = u16::try_from(length).unwrap_or(LONG).min(LONG);
        if short == LONG {
            self.long.insert(id, end);
        }
        self.lengths[id as usize] = short | if is_closed { CLOSED } else { 0 };
    }

    pub fn get(&self, id: BlockId) -> Block {
        let at = id as usize;
        let (open, parent, length) = (self.opens[at], self.parents[at], self.lengths[at]);
        let end = match length & !CLOSED {
            LONG => self.long.get(&id).copied().unwrap_or(LeafId::MAX),
            short => open + u32::from(short),
        };
        Block { open, end, is_closed: length & CLOSED != 0, parent: (parent != NONE).then_some(parent) }
    }

    /// The leaf that opens block `id`; `None` if there is no such block.
    pub fn open(&self, id: BlockId) -> Option<LeafId> {
        self.opens.get(id as usize).copied()
    }

    /// How many blocks open before leaf `id`.
    pub fn opened_before(&self, id: LeafId) -> BlockId {
        self.opens.partition_point(|open| *open < id) as BlockId
    }

    /// Bytes of memory.
    pub fn weight(&self) -> usize {
        (self.opens.capacity() + self.parents.capacity()) * size_of::<u32>()
            + self.lengths.capacity() * size_of::<u16>()
            + self.long.len() * 2 * size_of::<(BlockId, LeafId)>()
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Builder, Kind};

    /// A block is as long as it is, on both sides of the length that is kept elsewhere.
    #[test]
    fn long_blocks_end_where_short_ones_do() {
        for length in [1_u32, 2, 32_764, 32_765, 32_766, 32_767, 32_768, 65_536, 70_000] {
            for has_mark in [false, true] {
                let mut builder = Builder::default();
                builder.open(1);
                for at in 0..length {
                    builder.leaf(Kind::Setting, at as usize + 2);
                }
                if has_mark {
                    builder.close(length as usize + 2);
                } else {
                    builder.end();
                }
                builder.leaf(Kind::Setting, length as usize + 3);
                let tree = builder.finish();
                let block = tree.block(0);
                assert_eq!(block.end(), length + 1 + u32::from(has_mark));
                assert_eq!(block.close(), has_mark.then_some(length + 1));
                assert_eq!(tree.block_of(length), Some(0));
                assert_eq!(tree.block_of(length + 1), None);
            }
        }
    }
}
