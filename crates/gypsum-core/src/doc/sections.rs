//! `sections`: `[name]` headers with `key = value` under them; keys may stand bare or repeat.

use super::scan::{Lines, backslash, trim, value_span};
use super::{Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;

pub fn read(source: &[u8], dialect: &Dialect) -> Tree {
    Lines { kind_of: |text: &[u8], _| kind_of(text, dialect), extend: backslash(dialect), nested: false }
        .read(source)
}

/// The kind of a line that begins with `text`, which has no blanks before it.
pub fn kind_of(text: &[u8], dialect: &Dialect) -> Kind {
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

pub fn split(source: &[u8], kind: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
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
    let value = value_span(source, after + 1, text.end, dialect);
    // `key =` has an empty value, which is not the same as a bare `key`.
    Some(Parts { name, end: value.end.max(after + 1), value: Pieces::one(value) })
}
