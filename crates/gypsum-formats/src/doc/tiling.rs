//! What the standards share: a parser of its own well-kept crate says where things stand, and the leaves
//! are laid out over the bytes between.

use super::scan::{is_blank, line_end, mark_length};
use super::{Builder, Kind, Tree};

/// Lays leaves over a source, from its beginning to its end.
pub struct LeafBuilder<'a> {
    source: &'a [u8],
    builder: Builder,
    at: usize,
    remark: &'a [&'a str],
}

impl<'a> LeafBuilder<'a> {
    /// A layout of `source`, in which lines that begin with one of `remark` are comments.
    pub fn new(source: &'a [u8], remark: &'a [&'a str]) -> Self {
        let at = mark_length(source);
        let mut builder = Builder::default();
        builder.leaf(Kind::Blank, at);
        Self { source, builder, at, remark }
    }

    /// What is between the last leaf and the statement at `to`; the blanks before that in its line belong
    /// to it.
    pub fn gap(&mut self, to: usize) {
        while self.at < to {
            // Not beyond the statement: its line may be very long.
            let end = self.at + line_end(&self.source[self.at..to], 0);
            let text = self.source[self.at..end].trim_ascii();
            if end == to && text.is_empty() && !self.source[self.at..end].contains(&b'\n') {
                return;
            }
            let kind = match text {
                [] => Kind::Blank,
                text if self.remark.iter().any(|mark| text.starts_with(mark.as_bytes())) => Kind::Comment,
                text if text.iter().all(|byte| is_blank(*byte) || *byte == b',') => Kind::Blank,
                _ => Kind::Opaque,
            };
            self.leaf(kind, end);
        }
    }

    /// A leaf up to byte `end`.
    pub fn leaf(&mut self, kind: Kind, end: usize) {
        let end = end.max(self.at);
        self.builder.leaf(kind, end);
        self.at = end;
    }

    /// An opening statement up to byte `end`.
    pub fn open(&mut self, end: usize) {
        self.at = end.max(self.at);
        self.builder.open(self.at);
    }

    /// A closing mark up to byte `end`.
    pub fn close(&mut self, end: usize) {
        self.at = end.max(self.at);
        self.builder.close(self.at);
    }

    /// The end of a block that has no mark.
    pub fn end(&mut self) {
        self.builder.end();
    }

    /// How far the layout has come.
    pub fn at(&self) -> usize {
        self.at
    }

    /// The tree; what follows the last statement is laid out, too.
    pub fn finish(mut self) -> Tree {
        self.gap(self.source.len());
        self.builder.leaf(Kind::Blank, self.source.len());
        self.builder.finish()
    }
}

/// A source that its parser refuses: the line at `at` is broken, and what is around it cannot be told.
pub fn refused(source: &[u8], at: usize) -> Tree {
    let mut builder = Builder::default();
    // An error at the very end is told of the last line that holds something.
    let at = at.min(source.trim_ascii_end().len().saturating_sub(1));
    let start = memchr::memrchr(b'\n', &source[..at]).map_or(0, |end| end + 1);
    builder.leaf(Kind::Opaque, start);
    builder.leaf(Kind::Broken, line_end(source, at));
    builder.leaf(Kind::Opaque, source.len());
    builder.finish()
}

/// The source as text, behind its byte-order mark; else where it stops being UTF-8.
pub fn text(source: &[u8]) -> Result<(&str, usize), usize> {
    let from = mark_length(source);
    match std::str::from_utf8(&source[from..]) {
        Ok(text) => Ok((text, from)),
        Err(error) => Err(from + error.valid_up_to()),
    }
}
