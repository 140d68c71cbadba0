//! `keyword`: `Name value …` a line, and conditional groups that run to the next one or the end.

use super::format::{BlockLines, Format, looks_like_a_value, texts};
use super::scan::{Lines, backslash, is_blank, trim, value_span};
use super::{Dialect, Document, Kind, Parts, Pieces, Tree};
use crate::text::Span;

/// The format.
pub(super) struct Keyword;

impl Format for Keyword {
    fn plain_dialect(&self) -> Dialect {
        Dialect {
            inline_comments: texts(&["#"]),
            quotes: "\"'".into(),
            includes: texts(&["include", "Include"]),
            ..Dialect::default()
        }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        Lines {
            kind_of: |text: &[u8], _| Keyword.kind_of(text, dialect),
            extend: backslash(dialect),
            nested: false,
        }
        .read(source)
    }

    fn split(&self, source: &[u8], _: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        let text = trim(source, span);
        let bytes = text.of(source);
        let name_length = bytes
            .iter()
            .position(|byte| is_blank(*byte) || (dialect.equals && *byte == b'='))
            .unwrap_or(bytes.len());
        if name_length == 0 {
            return None;
        }
        let name = Span { start: text.start, end: text.start + name_length as u32 };
        let rest = &bytes[name_length..];
        let mut gap = rest.iter().take_while(|byte| is_blank(**byte)).count();
        let mut equals = false;
        if dialect.equals && rest.get(gap) == Some(&b'=') {
            equals = true;
            gap += 1 + rest[gap + 1..].iter().take_while(|byte| is_blank(**byte)).count();
        }
        let value = value_span(source, name.end + gap as u32, text.end, dialect);
        let (value, end) = match value.is_empty() {
            // `name =` has an empty value, which is not the same as a bare name.
            true if equals => (Pieces::one(value), value.end),
            true => (Pieces::default(), name.end),
            false => (Pieces::one(value), value.end),
        };
        Some(Parts { name, value, end })
    }

    /// The kind of a line that begins with `text`, which has no blanks before it.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        if dialect.comment_mark(text).is_some() {
            Kind::Comment
        } else if opens_group(text, dialect) {
            Kind::Open
        } else {
            Kind::Setting
        }
    }

    fn block_lines(&self, words: &str, _: &Document) -> Option<BlockLines> {
        Some((words.to_owned(), None))
    }

    fn may_be_value(&self, value: &str) -> bool {
        looks_like_a_value(value)
    }
}

fn opens_group(text: &[u8], dialect: &Dialect) -> bool {
    dialect.groups.iter().any(|group| {
        let (name, rest) = text.split_at(group.len().min(text.len()));
        dialect.same(name, group.as_bytes()) && rest.first().is_none_or(|byte| is_blank(*byte))
    })
}
