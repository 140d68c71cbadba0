//! `stanzas`: a header line, settings under it until the next header. Either the headers are words that
//! the dialect lists (`frontend web`), or they end in a colon and so do the names (`server:`).

use super::format::{BlockLines, Format, looks_like_a_value, texts};
use super::keyword::Keyword;
use super::scan::{Lines, backslash, is_blank, trim, value_span};
use super::{Dialect, Document, Kind, Parts, Pieces, Tree};
use crate::text::Span;

/// The format.
pub(super) struct Stanzas;

impl Format for Stanzas {
    fn plain_dialect(&self) -> Dialect {
        Dialect {
            inline_comments: texts(&["#"]),
            quotes: "\"'".into(),
            includes: texts(&["include", "include-toplevel"]),
            ..Dialect::default()
        }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        if dialect.groups.is_empty() && !has_colons(source, dialect) {
            let first = |at: usize| at == 0 || source[at - 1] == b'\n';
            let kind_of = |text: &[u8], at: usize| match Stanzas.kind_of(text, dialect) {
                Kind::Setting if first(at) && heads(source, at + text.len()) => Kind::Open,
                kind => kind,
            };
            return Lines { kind_of, extend: backslash(dialect), nested: false }.read(source);
        }
        Lines {
            kind_of: |text: &[u8], _| Stanzas.kind_of(text, dialect),
            extend: backslash(dialect),
            nested: false,
        }
        .read(source)
    }

    fn split(&self, source: &[u8], _: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        if !dialect.groups.is_empty() {
            return Keyword.split(source, Kind::Setting, span, dialect);
        }
        let text = trim(source, span);
        let bytes = text.of(source);
        let length =
            bytes.iter().position(|byte| is_blank(*byte) || *byte == b':').filter(|length| *length > 0);
        let length = length.unwrap_or(bytes.len()) as u32;
        let name = Span { start: text.start, end: text.start + length };
        // What is behind a header in its line is a setting, and no word of the header.
        if has_setting_behind(bytes) {
            return Some(Parts { name, value: Pieces::default(), end: name.end + 1 });
        }
        let colon = u32::from(bytes.get(length as usize) == Some(&b':'));
        let value = value_span(source, name.end + colon, text.end, dialect);
        let bare = value.is_empty();
        let end = if bare { name.end + colon } else { value.end };
        Some(Parts { name, value: if bare { Pieces::default() } else { Pieces::one(value) }, end })
    }

    /// The kind of a line that begins with `text`.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        if !dialect.groups.is_empty() {
            return Keyword.kind_of(text, dialect);
        }
        if dialect.comment_mark(text).is_some() {
            return Kind::Comment;
        }
        let line = memchr::memchr(b'\n', text).map_or(text, |end| &text[..end]);
        let line = memchr::memchr(b'#', line).map_or(line, |end| &line[..end]).trim_ascii_end();
        if has_setting_behind(line) {
            return Kind::Open;
        }
        if line.strip_suffix(b":").is_some_and(|name| !name.is_empty() && !name.contains(&b' ')) {
            Kind::Open
        } else {
            Kind::Setting
        }
    }

    fn separator<'a>(&self, dialect: &'a Dialect) -> &'a str {
        if dialect.groups.is_empty() { ": " } else { " " }
    }

    fn block_lines(&self, words: &str, doc: &Document) -> Option<BlockLines> {
        let mark = if doc.dialect().groups.is_empty() { ":" } else { "" };
        Some((format!("{words}{mark}"), None))
    }

    fn may_be_value(&self, value: &str) -> bool {
        looks_like_a_value(value)
    }
}

/// Whether some line is a header with a colon.
fn has_colons(source: &[u8], dialect: &Dialect) -> bool {
    source
        .split(|byte| *byte == b'\n')
        .any(|line| Stanzas.kind_of(line.trim_ascii_start(), dialect) == Kind::Open)
}

/// Whether the first line from `end` on that says something is indented, as those below a header of bare words are.
fn heads(source: &[u8], end: usize) -> bool {
    let below = source.get(end..).unwrap_or_default().split(|byte| *byte == b'\n');
    let next = below
        .into_iter()
        .find(|line| !line.trim_ascii().is_empty() && !line.trim_ascii_start().starts_with(b"#"));
    next.is_some_and(|line| line.starts_with(b" ") || line.starts_with(b"\t"))
}

/// Whether a line is a header with its first setting behind it.
fn has_setting_behind(line: &[u8]) -> bool {
    let mut words = line.split(u8::is_ascii_whitespace).filter(|word| !word.is_empty());
    match (words.next(), words.next()) {
        (Some(first), Some(second)) => first.ends_with(b":") && second.ends_with(b":"),
        _ => false,
    }
}
