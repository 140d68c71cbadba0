//! What is found out of a whole document once, when somebody asks more than a few times: where its lines
//! begin, how its blocks are called, and which statements share a name.

use super::{BlockId, Document, Kind, LeafId};
use crate::text::Span;
use std::collections::HashMap;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::sync::OnceLock;
use std::sync::atomic::{AtomicU32, Ordering};

/// So many questions are answered by looking through the document; then an index is worth its time.
const FEW: u32 = 8;

/// Longer lines are not shown whole, in bytes.
const LONGEST: usize = 4_000;
/// So much around a place is shown of such a line, in bytes.
const AROUND: u32 = 80;

/// The indexes of one document, made when they are needed.
#[derive(Debug, Default)]
pub(super) struct Indexes {
    utf8: OnceLock<bool>,
    lines: OnceLock<Vec<u32>>,
    blocks: OnceLock<Blocks>,
    twins: OnceLock<Twins>,
    asked: AtomicU32,
}

impl Clone for Indexes {
    /// A copy finds out for itself: most are made to be changed.
    fn clone(&self) -> Self {
        Self::default()
    }
}

/// How blocks are called, and which of those called the same each one is.
#[derive(Debug, Default)]
struct Blocks {
    titles: Vec<Box<str>>,
    /// From 1, among those beside it with the same title.
    of_title: Vec<u32>,
    /// From 1, among those beside it whose title begins with the same word.
    of_name: Vec<u32>,
    /// How many beside it have the same title.
    same: Vec<u32>,
}

type Twins = HashMap<u64, Vec<LeafId>>;

impl Document {
    /// Whether all of it is UTF-8.
    pub fn is_utf8(&self) -> bool {
        *self.indexes().utf8.get_or_init(|| std::str::from_utf8(self.source()).is_ok())
    }

    /// The line of byte `offset`, from 1.
    pub fn line_at(&self, offset: usize) -> u32 {
        self.line_ends().partition_point(|end| (*end as usize) < offset) as u32 + 1
    }

    /// The byte at which line `line`, from 1, begins; the end of the document where it has fewer lines.
    pub fn line_start(&self, line: u32) -> usize {
        match line.checked_sub(2) {
            None => 0,
            Some(before) => {
                self.line_ends().get(before as usize).map_or(self.source().len(), |end| *end as usize + 1)
            }
        }
    }

    fn line_ends(&self) -> &[u32] {
        self.indexes()
            .lines
            .get_or_init(|| memchr::memchr_iter(b'\n', self.source()).map(|at| at as u32).collect())
    }

    /// The whole line around byte `offset`, without its ending.
    pub fn line_around(&self, offset: usize) -> Span {
        let offset = offset.min(self.source().len());
        let ends = self.line_ends();
        let n = ends.partition_point(|end| (*end as usize) < offset);
        let start = n.checked_sub(1).map_or(0, |before| ends[before] as usize + 1);
        let mut end = ends.get(n).map_or(self.source().len(), |end| *end as usize);
        if end > start && self.source()[end - 1] == b'\r' {
            end -= 1;
        }
        Span::new(start, end)
    }

    /// The line around byte `offset` as far as it is shown: of one without end, what is around the byte.
    pub fn shown_around(&self, offset: usize) -> Span {
        let line = self.line_around(offset);
        excerpt(line, Span::at(offset.clamp(line.start as usize, line.end as usize)))
    }

    /// The line at which leaf `id` has its text, from 1.
    pub fn line_of(&self, id: LeafId) -> u32 {
        let start = self.parts(id).map_or(self.tree().span(id).start, |parts| parts.name.start);
        self.line_at(start as usize)
    }

    /// The words of a block's opening statement, as a step of an address: the name, and the words
    /// after it.
    pub fn title(&self, block: BlockId) -> &str {
        self.block_index().titles.get(block as usize).map_or("", |title| title)
    }

    /// Which one `block` is, from 1, of the blocks beside it with the same title, or with the same first word.
    pub fn ordinal(&self, block: BlockId, whole: bool) -> u32 {
        let index = self.block_index();
        let of = if whole { &index.of_title } else { &index.of_name };
        of.get(block as usize).copied().unwrap_or(1)
    }

    /// How many blocks beside `block`, itself among them, have its title.
    pub fn twins_of_block(&self, block: BlockId) -> u32 {
        self.block_index().same.get(block as usize).copied().unwrap_or(1)
    }

    fn block_index(&self) -> &Blocks {
        self.indexes().blocks.get_or_init(|| {
            let mut index = Blocks::default();
            let mut titles: HashMap<(Option<BlockId>, u64), u32> = HashMap::new();
            let mut names: HashMap<(Option<BlockId>, u64), u32> = HashMap::new();
            let mut keys = Vec::new();
            for (id, block) in self.tree().blocks() {
                let title = self.spelled_title(id);
                let name = title.split(' ').next().unwrap_or_default();
                let key = (block.parent(), hash_of(&title));
                let of_title = titles.entry(key).or_default();
                *of_title += 1;
                let of_name = names.entry((block.parent(), hash_of(name))).or_default();
                *of_name += 1;
                index.of_title.push(*of_title);
                index.of_name.push(*of_name);
                index.titles.push(title.into());
                keys.push(key);
            }
            index.same = keys.iter().map(|key| titles.get(key).copied().unwrap_or(1)).collect();
            index
        })
    }

    /// How many settings of the same name are before leaf `id` in its block, and how many in all.
    pub fn twins(&self, id: LeafId, name: &[u8]) -> (u32, u32) {
        let block = self.tree().block_of(id);
        if self.indexes().asked.fetch_add(1, Ordering::Relaxed) < FEW {
            return self.twins_by_search(id, block, name);
        }
        let twins = self.indexes().twins.get_or_init(|| {
            let mut twins = Twins::new();
            for (leaf, _, parts) in self.statements().filter(|(_, kind, _)| *kind == Kind::Setting) {
                let name = self.dialect().folded(parts.name.of(self.source()));
                twins.entry(hash_of(&(self.tree().block_of(leaf), name))).or_default().push(leaf);
            }
            twins
        });
        let all = twins.get(&hash_of(&(block, self.dialect().folded(name)))).map_or(&[][..], Vec::as_slice);
        (all.partition_point(|leaf| *leaf < id) as u32, all.len() as u32)
    }

    fn twins_by_search(&self, id: LeafId, block: Option<BlockId>, name: &[u8]) -> (u32, u32) {
        let spelled = String::from_utf8_lossy(name);
        let (mut before, mut all) = (0, 0);
        for (other, kind, parts) in self.statements_called(&spelled) {
            let same = self.dialect().same(parts.name.of(self.source()), name);
            if kind == Kind::Setting && same && self.tree().block_of(other) == block {
                before += u32::from(other < id);
                all += 1;
            }
        }
        (before, all)
    }
}

/// What is shown of whole lines, in which something is at `at`: of a line without end what is around that says enough.
pub fn excerpt(lines: Span, at: Span) -> Span {
    if lines.len() <= LONGEST || at.len() >= LONGEST {
        return lines;
    }
    Span {
        start: lines.start.max(at.start.saturating_sub(AROUND)),
        end: lines.end.min(at.end.saturating_add(AROUND)),
    }
}

fn hash_of<T: Hash + ?Sized>(value: &T) -> u64 {
    let mut hasher = DefaultHasher::new();
    value.hash(&mut hasher);
    hasher.finish()
}
