//! `records`: one record a line. Its first column is its name, the rest its value; the columns are
//! parted by blanks, or by the one character that the dialect names.

use super::format::{Format, texts};
use super::scan::{Lines, backslash, is_blank, trim, value_span};
use super::{Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;

/// The format.
pub(super) struct Records;

impl Format for Records {
    fn plain_dialect(&self) -> Dialect {
        Dialect { inline_comments: texts(&["#"]), quotes: String::new(), ..Dialect::default() }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        Lines {
            kind_of: |text: &[u8], _| Records.kind_of(text, dialect),
            extend: backslash(dialect),
            nested: false,
        }
        .read(source)
    }

    fn split(&self, source: &[u8], _: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        let text = trim(source, span);
        let bytes = text.of(source);
        let column = dialect.column.as_bytes().first().copied();
        let parts_at = |byte: u8| column.map_or(is_blank(byte), |column| byte == column);
        let length = bytes.iter().position(|byte| parts_at(*byte)).unwrap_or(bytes.len()) as u32;
        let name = Span { start: text.start, end: text.start + length };
        if length as usize == bytes.len() {
            let name = value_span(source, text.start, text.end, dialect);
            return (!name.is_empty()).then(|| Parts { name, value: Pieces::default(), end: name.end });
        }
        let from = name.end + u32::from(column.is_some());
        let value = value_span(source, from, text.end, dialect);
        Some(Parts { name, end: value.end, value: Pieces::one(value) })
    }

    /// The kind of a line that begins with `text`.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        if dialect.comment_mark(text).is_some() { Kind::Comment } else { Kind::Setting }
    }

    fn separator<'a>(&self, dialect: &'a Dialect) -> &'a str {
        if dialect.column.is_empty() { " " } else { &dialect.column }
    }
}
