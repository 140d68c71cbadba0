//! `equals`: `key = value`; a value may go on in indented lines, with comments between.

use super::format::{Format, texts};
use super::scan::{Lines, backslash, further_lines, indented, is_blank, line_end, trim, value_span};
use super::{Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;

/// The format.
pub(super) struct Equals;

impl Format for Equals {
    fn plain_dialect(&self) -> Dialect {
        Dialect {
            inline_comments: texts(&["#"]),
            quotes: "'\"".into(),
            indent_continues: true,
            includes: texts(&["include", "include_if_exists"]),
            ..Dialect::default()
        }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        let plain = backslash(dialect);
        let extend = |source: &[u8], start, end, kind| match kind {
            Kind::Setting if dialect.indent_continues => indented(source, end, dialect),
            kind => plain(source, start, end, kind),
        };
        Lines { kind_of: |text: &[u8], _| Equals.kind_of(text, dialect), extend, nested: false }.read(source)
    }

    fn split(&self, source: &[u8], _: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        let first_end = line_end(source, trim(source, span).start as usize).min(span.end as usize);
        let start = trim(source, span).start;
        // An empty value is in its line, and not behind it.
        let line = trim(source, Span { start, end: first_end as u32 });
        let bytes = line.of(source);
        let name_length =
            bytes.iter().position(|byte| is_blank(*byte) || *byte == b'=').unwrap_or(bytes.len());
        if name_length == 0 {
            return None;
        }
        let name = Span { start, end: start + name_length as u32 };
        let gap = bytes[name_length..].iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
        let equals = bytes.get(name_length + gap) == Some(&b'=');
        let from = name.end + gap as u32 + u32::from(equals);
        let first = value_span(source, from, line.end, dialect);
        let mut value = if first.is_empty() && !equals { Pieces::default() } else { Pieces::one(first) };
        let mut end = first.end.max(from);
        end = further_lines(source, first_end, span.end, dialect, &mut value).unwrap_or(end);
        Some(Parts { name, value, end })
    }

    /// The kind of a line that begins with `text`.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        match text.first() {
            _ if dialect.comment_mark(text).is_some() => Kind::Comment,
            Some(b'=') => Kind::Broken,
            _ => Kind::Setting,
        }
    }

    fn separator<'a>(&self, dialect: &'a Dialect) -> &'a str {
        if dialect.tight { "=" } else { " = " }
    }

    fn may_be_value(&self, value: &str) -> bool {
        !value.contains(' ')
    }
}
