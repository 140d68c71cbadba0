//! One source with its tree, and the questions one asks of both.

use super::index::Indexes;
use super::tree::MOST_BYTES;
use super::{BlockId, Dialect, Family, Kind, LeafId, Parts, Tree};
use crate::text::{Bytes, Place, Span, place_of};
use std::borrow::Cow;
use std::sync::Arc;

/// A source that is larger than what is read: 512 MiB.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the file has {} MiB, and files of up to 512 MiB are read", .0 >> 20)]
pub struct TooLarge(
    /// Its size in bytes.
    pub usize,
);

/// One configuration file, read.
#[derive(Clone, Debug)]
pub struct Document {
    source: Bytes,
    tree: Arc<Tree>,
    family: Family,
    dialect: Dialect,
    indexes: Indexes,
}

impl Document {
    /// Reads `source`. Only its size can be refused, never its content.
    pub fn read(source: Vec<u8>, family: Family, dialect: Dialect) -> Result<Self, TooLarge> {
        Self::of(source.into(), family, dialect)
    }

    /// Reads `source`, which others hold, too.
    pub fn of(source: Bytes, family: Family, dialect: Dialect) -> Result<Self, TooLarge> {
        if source.len() > MOST_BYTES {
            return Err(TooLarge(source.len()));
        }
        let tree = family.read(&source, &dialect).into();
        Ok(Self { source, tree, family, dialect, indexes: Indexes::default() })
    }

    /// The bytes that were read.
    pub fn source(&self) -> &[u8] {
        &self.source
    }

    /// The bytes that were read, to be held by others, too.
    pub fn bytes(&self) -> Bytes {
        self.source.clone()
    }

    /// The leaves and blocks.
    pub fn tree(&self) -> &Tree {
        &self.tree
    }

    /// The family it was read as.
    pub fn family(&self) -> Family {
        self.family
    }

    /// The dialect it was read in.
    pub fn dialect(&self) -> &Dialect {
        &self.dialect
    }

    /// The parts of the statement in leaf `id`; `None` for leaves that hold none.
    pub fn parts(&self, id: LeafId) -> Option<Parts> {
        let kind = self.tree.kind(id);
        matches!(kind, Kind::Setting | Kind::Open)
            .then(|| self.family.split(&self.source, kind, self.tree.span(id), &self.dialect))?
    }

    /// All statements (settings and opening ones) with their parts, in order.
    pub fn statements(&self) -> impl Iterator<Item = (LeafId, Kind, Parts)> + '_ {
        self.tree.leaves().filter_map(|(id, kind, span)| {
            matches!(kind, Kind::Setting | Kind::Open)
                .then(|| self.family.split(&self.source, kind, span, &self.dialect))?
                .map(|parts| (id, kind, parts))
        })
    }

    /// The statements that may be called `name`, with their parts, in order. Where names are spelled in one way
    /// only, the text is searched for it, and no other statement is split.
    pub fn statements_called<'a>(
        &'a self,
        name: &'a str,
    ) -> Box<dyn Iterator<Item = (LeafId, Kind, Parts)> + 'a> {
        if name.is_empty() || self.dialect.ignore_case || self.dialect.dash_is_underscore {
            return Box::new(self.statements());
        }
        let search = memchr::memmem::Finder::new(name).into_owned();
        let mut from = 0;
        // Each leaf once; a name may begin inside of where one was found before.
        let leaves = std::iter::from_fn(move || {
            let at = from + search.find(self.source.get(from..)?)?;
            let leaf = self.tree.leaf_at(at as u32)?;
            from = self.tree.span(leaf).end as usize;
            // What goes on over the end of the leaf is no name in it.
            Some(leaf)
        });
        Box::new(leaves.filter_map(|leaf| Some((leaf, self.tree.kind(leaf), self.parts(leaf)?))))
    }

    /// The text in `span`; bytes that are not UTF-8 are shown as replacement characters.
    pub fn text(&self, span: Span) -> Cow<'_, str> {
        String::from_utf8_lossy(span.of(&self.source))
    }

    /// The name in `parts`.
    pub fn name(&self, parts: &Parts) -> String {
        self.text(parts.name).into_owned()
    }

    /// The value in `parts` as the daemon understands it: quotes around the whole of it taken off.
    pub fn value(&self, parts: &Parts) -> String {
        let raw = parts.value.raw(&self.source);
        String::from_utf8_lossy(&self.family.meaning(&raw, &self.dialect)).into_owned()
    }

    /// The line and column at which leaf `id` has its text.
    pub fn place(&self, id: LeafId) -> Place {
        let span = self.tree.span(id);
        let start = self.parts(id).map_or(span.start, |parts| parts.name.start);
        self.place_at(start as usize)
    }

    /// The line and column of byte `offset`.
    pub fn place_at(&self, offset: usize) -> Place {
        let offset = offset.min(self.source.len());
        let line = self.line_around(offset);
        let column = place_of(&self.source[line.start as usize..], offset - line.start as usize).column;
        Place { line: self.line_at(offset), column }
    }

    pub(super) fn indexes(&self) -> &Indexes {
        &self.indexes
    }

    /// The title of a block, put together.
    pub(super) fn spelled_title(&self, block: BlockId) -> String {
        let Some(parts) = self.parts(self.tree.block(block).open()) else {
            return String::new();
        };
        let mut title = self.text(parts.name).into_owned();
        let words = parts.value.raw(&self.source);
        for word in String::from_utf8_lossy(&words).split_whitespace() {
            title.push(' ');
            title.push_str(word);
        }
        if let (true, Some(name)) = (words.is_empty(), self.identity(block, &parts)) {
            title.push(' ');
            title.push_str(&name);
        }
        title
    }

    /// What tells a block apart whose own line does not: the first word of the setting that the dialect
    /// names.
    fn identity(&self, block: BlockId, parts: &Parts) -> Option<String> {
        let by = self.dialect.identified_by.get(&*self.text(parts.name))?;
        let range = self.tree.block(block);
        let inside = (range.open() + 1)..range.end();
        inside.filter(|leaf| self.tree.block_of(*leaf) == Some(block)).find_map(|leaf| {
            let parts = self.parts(leaf)?;
            let same = self.dialect.same(parts.name.of(&self.source), by.as_bytes());
            same.then(|| self.value(&parts).split_whitespace().next().map(str::to_owned))?
        })
    }

    /// The blocks around leaf `id`, outermost first.
    pub fn path(&self, id: LeafId) -> Vec<BlockId> {
        let mut path = Vec::new();
        let mut at = self.tree.block_of(id);
        while let Some(block) = at {
            path.push(block);
            at = self.tree.block(block).parent();
        }
        path.reverse();
        path
    }

    /// The statements at whose place files are read, with the files or patterns of files that they name.
    pub fn includes(&self) -> Vec<(LeafId, String)> {
        let dialect = &self.dialect;
        // Nearly all files include nothing, and most of those do not even mention it.
        let mentioned = |name: &String| match dialect.ignore_case {
            true => true,
            false => memchr::memmem::find(&self.source, name.as_bytes()).is_some(),
        };
        if !dialect.includes.iter().chain(dialect.include_folders.keys()).any(mentioned) {
            return Vec::new();
        }
        let settings = self.statements().filter(|(_, kind, _)| *kind == Kind::Setting);
        let mut found = Vec::new();
        for (leaf, _, parts) in settings {
            let name = parts.name.of(&self.source);
            let same = |known: &String| dialect.same(known.as_bytes(), name);
            let value = || self.value(&parts);
            if dialect.includes.iter().any(same) {
                // Some read several at once.
                match self.family {
                    Family::Keyword | Family::Tags => found.extend(
                        value().split_whitespace().map(|one| (leaf, one.trim_matches('"').to_owned())),
                    ),
                    _ => found.push((leaf, value())),
                }
            } else if let Some((_, pattern)) = dialect.include_folders.iter().find(|(known, _)| same(known)) {
                for folder in value().split_whitespace() {
                    found.push((
                        leaf,
                        format!("{}/{pattern}", folder.trim_matches(['\'', '"']).trim_end_matches('/')),
                    ));
                }
            }
        }
        found
    }

    /// The mark with which this file comments a line out: the one that it uses, else the dialect's first.
    pub fn comment_mark(&self) -> &str {
        let paired = |mark: &&str| !matches!(*mark, "/*" | "<!--");
        let comments = self.tree.leaves().filter(|(_, kind, _)| *kind == Kind::Comment);
        let marks = comments.map(|(.., span)| span.of(&self.source).trim_ascii_start());
        let used = marks.filter_map(|text| self.dialect.comment_mark(text)).find(paired);
        used.unwrap_or_else(|| self.dialect.own_mark())
    }

    /// Whether another version of the file has the same statements in the same order; comments and blanks do
    /// not count.
    pub fn says_the_same(&self, other: &Self) -> bool {
        let (mut ours, mut theirs) = (self.speaking(), other.speaking());
        loop {
            match (ours.next(), theirs.next()) {
                (None, None) => return true,
                // Nearly all are the same to the byte.
                (Some((a, kind, span)), Some((b, also, other_span)))
                    if kind == also
                        && (span.of(&self.source) == other_span.of(&other.source)
                            || self.spoken(a, kind, span) == other.spoken(b, also, other_span)) => {}
                _ => return false,
            }
        }
    }

    /// The leaves that say something.
    fn speaking(&self) -> impl Iterator<Item = (LeafId, Kind, Span)> + '_ {
        self.tree.leaves().filter(|(_, kind, _)| !matches!(kind, Kind::Comment | Kind::Blank))
    }

    /// What a leaf says, without the comment behind it.
    fn spoken(&self, leaf: LeafId, kind: Kind, span: Span) -> (Cow<'_, [u8]>, Vec<u8>) {
        let parts = matches!(kind, Kind::Setting | Kind::Open).then(|| self.parts(leaf)).flatten();
        match parts {
            Some(parts) => {
                let value = parts.value.raw(&self.source);
                (Cow::Borrowed(parts.name.of(&self.source)), value)
            }
            None => (Cow::Borrowed(span.of(&self.source).trim_ascii()), Vec::new()),
        }
    }

    /// The mark that closes the whole file, in a format that has one.
    pub fn root_end(&self) -> Option<LeafId> {
        let closes = |(id, kind, span): (LeafId, Kind, Span)| {
            let text = span.of(&self.source).trim_ascii();
            let mark = match self.family {
                Family::Json => matches!(text.first(), Some(b'}' | b']')),
                Family::Xml => text.starts_with(b"</"),
                _ => false,
            };
            (mark && matches!(kind, Kind::Opaque | Kind::Close) && self.tree.block_of(id).is_none())
                .then_some(id)
        };
        matches!(self.family, Family::Json | Family::Xml)
            .then(|| self.tree.leaves().filter_map(closes).last())?
    }

    /// Whether a block has this title.
    pub fn has_block(&self, title: &str) -> bool {
        self.tree.blocks().any(|(block, _)| self.title(block) == title)
    }

    /// Whether `block` is a conditional group: what is in it holds only at times.
    pub fn is_conditional(&self, block: BlockId) -> bool {
        self.family == Family::Keyword
            && self.parts(self.tree.block(block).open()).is_some_and(|parts| {
                let name = parts.name.of(&self.source);
                self.dialect.groups.iter().any(|group| self.dialect.same(name, group.as_bytes()))
            })
    }
}
