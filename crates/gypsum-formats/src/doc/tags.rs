//! `tags`: `<Name args>` … `</Name>`, `Name args`, a backslash at the end continues a line.

use super::format::{BlockLines, Format, looks_like_a_value, texts};
use super::keyword::Keyword;
use super::scan::{nested, trim};
use super::{Dialect, Document, Kind, Parts, Pieces, Tree};
use crate::text::Span;

/// The format.
pub(super) struct Tags;

impl Format for Tags {
    fn plain_dialect(&self) -> Dialect {
        Dialect {
            continuation: true,
            comments_continue: true,
            ignore_case: true,
            includes: texts(&["Include", "IncludeOptional"]),
            ..Dialect::default()
        }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        nested(source, dialect, |text, dialect| Tags.kind_of(text, dialect))
    }

    fn split(&self, source: &[u8], kind: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        if kind != Kind::Open {
            return Keyword.split(source, Kind::Setting, span, dialect);
        }
        let text = trim(source, span);
        let inner = Span { start: text.start + 1, end: text.end.saturating_sub(1).max(text.start + 1) };
        let inner = trim(source, inner);
        let parts = Keyword.split(source, Kind::Setting, inner, dialect)?;
        let value = match parts.value.hull() {
            Some(hull) => Pieces::one(trim(source, hull)),
            None => Pieces::default(),
        };
        Some(Parts { end: text.end, value, ..parts })
    }

    /// The kind of a line that begins with `text`.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        if dialect.comment_mark(text).is_some() {
            return Kind::Comment;
        }
        let line = memchr::memchr(b'\n', text).map_or(text, |end| &text[..end]).trim_ascii_end();
        let tag = line.first() == Some(&b'<');
        match (line.get(1), line.last()) {
            (Some(b'/'), Some(b'>')) if tag && line.len() > 3 => Kind::Close,
            // A tag that goes on in the next line is closed there.
            (Some(first), Some(b'>' | b'\\')) if tag && first.is_ascii_alphabetic() => Kind::Open,
            _ if tag => Kind::Broken,
            _ => Kind::Setting,
        }
    }

    fn closes_blocks(&self) -> bool {
        true
    }

    fn block_lines(&self, words: &str, _: &Document) -> Option<BlockLines> {
        let name = words.split(' ').next().unwrap_or(words);
        Some((format!("<{words}>"), Some(format!("</{name}>"))))
    }

    fn may_be_value(&self, value: &str) -> bool {
        looks_like_a_value(value)
    }
}
