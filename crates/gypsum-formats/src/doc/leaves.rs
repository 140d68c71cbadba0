//! Where the leaves of a tree end and what they are, in little more than two bytes each: large files have many leaves.

use super::{Kind, LeafId};

const KINDS: [Kind; 7] =
    [Kind::Setting, Kind::Open, Kind::Close, Kind::Comment, Kind::Blank, Kind::Opaque, Kind::Broken];

/// So many leaves share one place to count from.
const GROUP: usize = 32;
/// The bits of an entry that say what the leaf is.
const KIND_BITS: u32 = 3;
/// The farthest that a leaf of a usual group ends from where the group begins, in bytes.
const FARTHEST: u32 = (1 << (16 - KIND_BITS)) - 1;
/// Set in the base of a group that is longer than that: the rest of the base is its row in `long`.
const LONG: u32 = 1 << 31;

/// The ends and kinds of leaves, in order.
#[derive(Clone, Debug, Default)]
pub(super) struct Leaves {
    /// Where each group begins, in bytes of the source; or the row of a [`LONG`] one.
    bases: Vec<u32>,
    /// Of each leaf: how far from its base it ends, and its kind. Unused in a long group.
    entries: Vec<u16>,
    /// Of each leaf of a long group: where it ends in the source, and its kind.
    long: Vec<[u32; GROUP]>,
    /// Where the last leaf ends.
    reached: u32,
}

impl Leaves {
    pub fn with_capacity(leaves: usize) -> Self {
        Self {
            bases: Vec::with_capacity(leaves.div_ceil(GROUP)),
            entries: Vec::with_capacity(leaves),
            ..Self::default()
        }
    }

    pub fn len(&self) -> LeafId {
        self.entries.len() as LeafId
    }

    /// The next leaf, up to byte `end`; one without bytes is not made.
    pub fn push(&mut self, kind: Kind, end: u32) {
        if end <= self.reached {
            return;
        }
        let id = self.entries.len();
        if id.is_multiple_of(GROUP) {
            self.bases.push(self.reached);
        }
        let group = id / GROUP;
        let base = self.bases[group];
        if base & LONG == 0 && end - base > FARTHEST {
            self.lengthen(group);
        }
        self.entries.push(0);
        self.reached = end;
        self.put(id, kind, end);
    }

    /// Turns a group into one of any length.
    fn lengthen(&mut self, group: usize) {
        let mut row = [0; GROUP];
        for (at, id) in (group * GROUP..self.entries.len()).enumerate() {
            let (kind, end) = self.get(id);
            row[at] = end << KIND_BITS | kind as u32;
        }
        self.bases[group] = LONG | self.long.len() as u32;
        self.long.push(row);
    }

    fn put(&mut self, id: usize, kind: Kind, end: u32) {
        let base = self.bases[id / GROUP];
        if base & LONG == 0 {
            self.entries[id] = ((end - base) << KIND_BITS | kind as u32) as u16;
        } else {
            self.long[(base & !LONG) as usize][id % GROUP] = end << KIND_BITS | kind as u32;
        }
    }

    fn get(&self, id: usize) -> (Kind, u32) {
        let base = self.bases[id / GROUP];
        let (from, entry) = match base & LONG {
            0 => (base, u32::from(self.entries[id])),
            _ => (0, self.long[(base & !LONG) as usize][id % GROUP]),
        };
        let kind = KINDS.get((entry & ((1 << KIND_BITS) - 1)) as usize).copied().unwrap_or(Kind::Broken);
        (kind, from + (entry >> KIND_BITS))
    }

    /// What leaf `id` is.
    pub fn kind(&self, id: LeafId) -> Kind {
        self.get(id as usize).0
    }

    /// One past the last byte of leaf `id`.
    pub fn end(&self, id: LeafId) -> u32 {
        self.get(id as usize).1
    }

    pub fn set_kind(&mut self, id: LeafId, kind: Kind) {
        self.put(id as usize, kind, self.end(id));
    }

    /// The kind and the end of each.
    pub fn iter(&self) -> impl Iterator<Item = (Kind, u32)> + '_ {
        (0..self.entries.len()).map(|id| self.get(id))
    }

    /// The first leaf that ends beyond byte `offset`; one past the last where none does.
    pub fn first_beyond(&self, offset: u32) -> LeafId {
        let (mut low, mut high) = (0, self.len());
        while low < high {
            let middle = low + (high - low) / 2;
            if self.end(middle) <= offset {
                low = middle + 1;
            } else {
                high = middle;
            }
        }
        low
    }

    /// Bytes of memory.
    pub fn weight(&self) -> usize {
        self.bases.capacity() * size_of::<u32>()
            + self.entries.capacity() * size_of::<u16>()
            + self.long.capacity() * size_of::<[u32; GROUP]>()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Whatever the lengths of the leaves, short, long and without bytes, each is found where a plain list has it.
        #[test]
        fn each_leaf_ends_where_it_was_put(
            lengths in prop::collection::vec((0_usize..7, prop_oneof![8 => 0_u32..40, 1 => 0_u32..9_000, 1 => 8_180_u32..8_200]), 0..80),
            changed in any::<prop::sample::Index>(),
        ) {
            let (mut leaves, mut plain, mut end) = (Leaves::default(), Vec::new(), 0);
            for (kind, length) in lengths {
                end += length;
                leaves.push(KINDS[kind], end);
                if length > 0 {
                    plain.push((KINDS[kind], end));
                }
            }
            if !plain.is_empty() {
                let id = changed.index(plain.len());
                plain[id].0 = Kind::Opaque;
                leaves.set_kind(id as LeafId, Kind::Opaque);
            }
            prop_assert_eq!(leaves.iter().collect::<Vec<_>>(), plain.clone());
            prop_assert_eq!(leaves.len() as usize, plain.len());
            for offset in (0..=end).step_by(97).chain(plain.iter().flat_map(|(_, end)| [end - 1, *end])) {
                let expected = plain.iter().take_while(|(_, end)| *end <= offset).count();
                prop_assert_eq!(leaves.first_beyond(offset) as usize, expected);
            }
        }
    }
}
