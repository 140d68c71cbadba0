//! `braces`: `name args;`, `name args { … }`, comments with `#`, `//` and `/* */`, quotes. A statement
//! ends with its mark and not with its line; what follows it in the line up to the next statement
//! belongs to it.

use super::format::{BlockLines, Format, texts};
use super::scan::{Marks, expected_leaves, is_blank, line_end, mark_length, marks, next_mark, trim};
use super::{Builder, Dialect, Document, Kind, Parts, Pieces, Tree};
use crate::text::Span;

/// The format.
pub(super) struct Braces;

impl Format for Braces {
    fn plain_dialect(&self) -> Dialect {
        Dialect {
            comments: texts(&["#", "//", "/*"]),
            quotes: "\"'".into(),
            includes: texts(&["include"]),
            identified_by: [("server".to_owned(), "server_name".to_owned())].into(),
            ..Dialect::default()
        }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        let mut builder = Builder::with_capacity(expected_leaves(source));
        let special = special(dialect);
        let mut at = mark_length(source);
        builder.leaf(Kind::Blank, at);
        while at < source.len() {
            let lead = source[at..].iter().take_while(|byte| is_blank(**byte)).count();
            // Empty lines are leaves of their own; the blanks before a statement belong to it.
            let start = at + lead;
            let line = memchr::memrchr(b'\n', &source[at..start]).map_or(at, |end| at + end + 1);
            let own_lines = if start == source.len() { start } else { line };
            builder.leaf(Kind::Blank, own_lines);
            if start == source.len() {
                break;
            }
            let (kind, end) = match source[start] {
                // A list within a list has no name.
                b'{' if builder.depth() > 0 => (Kind::Open, start + 1),
                _ => statement(source, start, dialect, &special),
            };
            at = rest_of_line(source, end, kind, dialect);
            match kind {
                Kind::Open => builder.open(at),
                Kind::Close => builder.close(at),
                kind => builder.leaf(kind, at),
            }
        }
        builder.finish()
    }

    fn split(&self, source: &[u8], _: Kind, span: Span, dialect: &Dialect) -> Option<Parts> {
        let text = trim(source, span);
        if text.of(source).starts_with(b"{") {
            let name = Span { start: text.start, end: text.start };
            return Some(Parts { name, value: Pieces::default(), end: text.start + 1 });
        }
        let (kind, end) =
            statement(&source[..text.end as usize], text.start as usize, dialect, &special(dialect));
        if !matches!(kind, Kind::Setting | Kind::Open) {
            return None;
        }
        let inner = trim(source, Span { start: text.start, end: end as u32 - 1 });
        let bytes = inner.of(source);
        let length = match bytes.first() {
            Some(quote) if dialect.is_quote(*quote) => quoted_end(bytes, 0).unwrap_or(bytes.len()),
            _ => bytes.iter().position(|byte| is_blank(*byte)).unwrap_or(bytes.len()),
        };
        let name = Span { start: inner.start, end: inner.start + length as u32 };
        let value = trim(source, Span { start: name.end, end: inner.end });
        let value = if value.is_empty() { Pieces::default() } else { Pieces::one(value) };
        Some(Parts { name, value, end: end as u32 })
    }

    /// What a text out of a comment would be; a line without a mark is prose.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        match statement(text, 0, dialect, &special(dialect)) {
            (Kind::Broken, _) => Kind::Opaque,
            (kind, _) => kind,
        }
    }

    fn terminator(&self) -> &'static str {
        ";"
    }

    fn closes_blocks(&self) -> bool {
        true
    }

    fn block_lines(&self, words: &str, doc: &Document) -> Option<BlockLines> {
        Some((format!("{words} {{"), Some(format!("}}{}", after_brace(doc)))))
    }

    fn needs_quotes(&self, value: &str) -> bool {
        value.contains([';', '{', '}'])
    }

    fn may_be_value(&self, _: &str) -> bool {
        true
    }
}

/// What is behind the closing braces of this file: in some formats a block is itself a statement. A file without a block
/// does not show it.
fn after_brace(doc: &Document) -> &'static str {
    let closes = |(_, kind, span): (u32, Kind, Span)| (kind == Kind::Close).then(|| span.of(doc.source()));
    let with_mark = |text: &[u8]| text.trim_ascii_start().starts_with(b"};");
    let shown = doc.tree().leaves().find_map(closes).map(with_mark);
    if shown.unwrap_or(doc.dialect().block_is_statement) { ";" } else { "" }
}

/// The kind of the statement at `start`, and where its own text ends.
fn statement(source: &[u8], start: usize, dialect: &Dialect, special: &Marks) -> (Kind, usize) {
    if let Some(end) = comment_end(source, start, dialect) {
        return (Kind::Comment, end);
    }
    if source[start] == b'}' {
        // Where a block is itself a statement, its mark has one of its own.
        let blanks = source[start + 1..].iter().take_while(|byte| is_blank(**byte)).count();
        let mark = start + 1 + blanks;
        return (Kind::Close, if source.get(mark) == Some(&b';') { mark + 1 } else { start + 1 });
    }
    let mut at = start;
    loop {
        at = next_mark(source, at.min(source.len()), special);
        let Some(byte) = source.get(at) else {
            // No mark before the end: what is missing is told of the line where it began.
            return (Kind::Broken, line_end(source, start));
        };
        match *byte {
            b';' if at == start => return (Kind::Broken, at + 1),
            b';' => return (Kind::Setting, at + 1),
            b'{' => return (if at == start { Kind::Broken } else { Kind::Open }, at + 1),
            b'}' => return (Kind::Broken, at),
            quote if dialect.is_quote(quote) && begins_quote(source, start, at, dialect) => {
                match quoted_end(source, at) {
                    Some(end) => at = end,
                    None => return (Kind::Broken, line_end(source, start)),
                }
            }
            b'$' if source.get(at + 1) == Some(&b'{') => {
                at = memchr::memchr(b'}', &source[at..]).map_or(source.len(), |end| at + end + 1);
            }
            b'\\' => at += 2,
            _ => at = comment_end(source, at, dialect).filter(|_| is_blank(source[at - 1])).unwrap_or(at + 1),
        }
    }
}

/// Whether a quote at `at` begins a quoted text. Where both sorts of quotes are in use, one in the middle of a word
/// is a letter like any other.
fn begins_quote(source: &[u8], start: usize, at: usize, dialect: &Dialect) -> bool {
    dialect.quotes.len() < 2
        || at == start
        || is_blank(source[at - 1])
        || matches!(source[at - 1], b'{' | b';' | b'=')
}

/// What ends a statement, and what may keep it from ending.
fn special(dialect: &Dialect) -> Marks {
    let mut special = marks(b";{}$\\");
    for byte in dialect.quotes.bytes().chain(dialect.comments.iter().filter_map(|mark| mark.bytes().next())) {
        special[byte as usize] = true;
    }
    special
}

fn comment_end(source: &[u8], at: usize, dialect: &Dialect) -> Option<usize> {
    let rest = &source[at..];
    if rest.starts_with(b"/*") && dialect.comments.iter().any(|mark| mark == "/*") {
        let close = memchr::memmem::find(&rest[2..], b"*/");
        return Some(close.map_or(source.len(), |close| at + close + 4));
    }
    let mark = dialect.comments.iter().find(|mark| *mark != "/*" && rest.starts_with(mark.as_bytes()))?;
    debug_assert!(!mark.is_empty(), "a profile with an empty mark is refused");
    Some(line_end(source, at))
}

fn quoted_end(source: &[u8], at: usize) -> Option<usize> {
    let quote = source[at];
    let mut end = at + 1;
    while end < source.len() {
        match source[end] {
            b'\\' => end += 2,
            byte if byte == quote => return Some(end + 1),
            _ => end += 1,
        }
    }
    None
}

/// What is behind a statement in its line, if that is blanks, or blanks and a comment.
fn rest_of_line(source: &[u8], end: usize, kind: Kind, dialect: &Dialect) -> usize {
    if end > 0 && source[end - 1] == b'\n' {
        return end;
    }
    let blanks = source[end..].iter().take_while(|byte| matches!(byte, b' ' | b'\t' | b'\r')).count();
    let at = end + blanks;
    match source.get(at) {
        None => source.len(),
        Some(b'\n') => at + 1,
        Some(_) if kind == Kind::Comment => end,
        Some(_) => match comment_end(source, at, dialect) {
            Some(stop) if source[stop - 1] == b'\n' || stop == source.len() => stop,
            _ => end,
        },
    }
}
