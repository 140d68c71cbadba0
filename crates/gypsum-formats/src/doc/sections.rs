//! `sections`: `[name]` headers with `key = value` under them; keys may stand bare or repeat.

use super::format::{BlockLines, Format, texts};
use super::scan::{Lines, backslash, trim, value_span};
use super::{Dialect, Document, Kind, Parts, Pieces, Tree};
use crate::text::Span;

/// The format.
pub(super) struct Sections;

impl Format for Sections {
    fn plain_dialect(&self) -> Dialect {
        // Where nothing is known of the daemon, a line that ends in a backslash may go on in the next one.
        Dialect { comments: texts(&["#", ";"]), continuation: true, ..Dialect::default() }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        Lines {
            kind_of: |text: &[u8], _| Sections.kind_of(text, dialect),
            extend: backslash(dialect),
            nested: false,
        }
        .read(source)
    }

    fn split(&self, source: &[u8], kind: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        let text = trim(source, span);
        let bytes = text.of(source);
        if kind == Kind::Open {
            let close = memchr::memchr(b']', bytes)?;
            let inner = Span { start: text.start + 1, end: text.start + close as u32 };
            let end = text.start + close as u32 + 1;
            return Some(Parts { name: trim(source, inner), value: Pieces::default(), end });
        }
        let Some(equals) = memchr::memchr(b'=', bytes) else {
            let name = value_span(source, text.start, text.end, dialect);
            return (!name.is_empty()).then(|| Parts { name, value: Pieces::default(), end: name.end });
        };
        let after = text.start + equals as u32;
        let name = trim(source, Span { start: text.start, end: after });
        if name.is_empty() {
            return None;
        }
        if let Some(value) = around_comments(source, Span { start: after + 1, end: text.end }, dialect) {
            return Some(Parts { name, value, end: text.end });
        }
        let value = value_span(source, after + 1, text.end, dialect);
        // `key =` has an empty value, which is not the same as a bare `key`.
        Some(Parts { name, end: value.end.max(after + 1), value: Pieces::one(value) })
    }

    /// The kind of a line that begins with `text`, which has no blanks before it.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        match text.first() {
            _ if dialect.comment_mark(text).is_some() => Kind::Comment,
            Some(b'[') => {
                let line = memchr::memchr(b'\n', text).map_or(text, |end| &text[..end]);
                let named = memchr::memchr(b']', line).is_some_and(|end| end > 1);
                if named { Kind::Open } else { Kind::Broken }
            }
            Some(b'=') => Kind::Broken,
            // A directive to the reader, such as the include of another file.
            Some(b'!') => Kind::Opaque,
            _ => Kind::Setting,
        }
    }

    fn separator<'a>(&self, dialect: &'a Dialect) -> &'a str {
        if dialect.tight { "=" } else { " = " }
    }

    fn block_lines(&self, words: &str, _: &Document) -> Option<BlockLines> {
        Some((format!("[{words}]"), None))
    }

    fn may_be_value(&self, value: &str) -> bool {
        !value.contains(' ')
    }

    fn endings(&self) -> &'static [&'static str] {
        &["ini"]
    }
}

/// The pieces of a value between whose lines comments are; `None` where none do (systemd.syntax(7)).
fn around_comments(source: &[u8], value: Span, dialect: &Dialect) -> Option<Pieces> {
    let text = value.of(source);
    let is_comment = |line: &[u8]| dialect.comment_mark(line.trim_ascii_start()).is_some();
    if !dialect.comments_inside || !text.split(|byte| *byte == b'\n').skip(1).any(is_comment) {
        return None;
    }
    let mut pieces = Pieces::default();
    let mut at = value.start;
    for line in text.split(|byte| *byte == b'\n') {
        let end = at + line.len() as u32;
        if at == value.start || !is_comment(line) {
            let piece = trim(source, Span { start: at, end });
            let more = piece.of(source).ends_with(b"\\");
            let piece = trim(source, Span { end: piece.end - u32::from(more), ..piece });
            if !piece.is_empty() {
                pieces.push(piece);
            }
        }
        at = end + 1;
    }
    Some(pieces)
}
