//! What the line-based families share: logical lines, blanks, the end of a value.

use super::{Builder, Dialect, Kind, Pieces, Tree};
use crate::text::Span;

/// Which bytes matter to a reader; all others are passed over quickly.
pub type Marks = [bool; 256];

/// The marks for these bytes.
pub const fn marks(bytes: &[u8]) -> Marks {
    let mut marks = [false; 256];
    let mut n = 0;
    while n < bytes.len() {
        marks[bytes[n] as usize] = true;
        n += 1;
    }
    marks
}

/// The first byte from `at` on that matters; the end of the source where none does.
pub fn next_mark(source: &[u8], at: usize, marks: &Marks) -> usize {
    let rest = &source[at..];
    at + rest.iter().position(|byte| marks[*byte as usize]).unwrap_or(rest.len())
}

/// Whether `byte` separates words in a line.
pub fn is_blank(byte: u8) -> bool {
    matches!(byte, b' ' | b'\t' | b'\r' | b'\n' | 0x0b | 0x0c)
}

/// The part of `span` without blanks at either end.
pub fn trim(source: &[u8], span: Span) -> Span {
    let bytes = span.of(source);
    let lead = bytes.iter().take_while(|byte| is_blank(**byte)).count();
    let trail = bytes[lead..].iter().rev().take_while(|byte| is_blank(**byte)).count();
    Span { start: span.start + lead as u32, end: span.end - trail as u32 }
}

/// Length of the byte-order mark at the start of a UTF-8 file.
pub fn mark_length(source: &[u8]) -> usize {
    if source.starts_with(b"\xef\xbb\xbf") { 3 } else { 0 }
}

/// How a line-based family reads.
pub struct Lines<K, E> {
    /// The kind of a line, given its text without the blanks before it, and where in the source that begins.
    pub kind_of: K,
    /// Where the logical line that begins at one offset and whose first line ends at another ends.
    pub extend: E,
    /// Whether blocks nest and are closed by a mark; else an opening line ends the block before it.
    pub nested: bool,
}

impl<K: Fn(&[u8], usize) -> Kind, E: Fn(&[u8], usize, usize, Kind) -> usize> Lines<K, E> {
    /// Reads a source: every logical line becomes one leaf.
    pub fn read(&self, source: &[u8]) -> Tree {
        let mut builder = Builder::with_capacity(expected_leaves(source));
        let mut at = mark_length(source);
        builder.leaf(Kind::Blank, at);
        while at < source.len() {
            let end = line_end(source, at);
            let lead = source[at..end].iter().take_while(|byte| is_blank(**byte)).count();
            let kind = if at + lead == end {
                Kind::Blank
            } else {
                (self.kind_of)(&source[at + lead..end], at + lead)
            };
            let end = (self.extend)(source, at, end, kind);
            match kind {
                Kind::Open => {
                    if !self.nested {
                        builder.end();
                    }
                    builder.open(end);
                }
                Kind::Close => builder.close(end),
                kind => builder.leaf(kind, end),
            }
            at = end;
        }
        builder.finish()
    }
}

/// The kind of a line in a file of which only some statements are ours: those that are `named`.
pub fn ours_or_opaque(text: &[u8], dialect: &Dialect, named: bool) -> Kind {
    match named {
        _ if dialect.comment_mark(text).is_some() => Kind::Comment,
        true => Kind::Setting,
        false => Kind::Opaque,
    }
}

/// Reads statements of a line each, and blocks that are closed by a mark.
pub fn nested(source: &[u8], dialect: &Dialect, kind_of: impl Fn(&[u8], &Dialect) -> Kind) -> Tree {
    let kind_of = |text: &[u8], _| kind_of(text, dialect);
    Lines { kind_of, extend: backslash(dialect), nested: true }.read(source)
}

/// The usual extent of a logical line: on behind a backslash at its end, where the dialect has that.
pub fn backslash(dialect: &Dialect) -> impl Fn(&[u8], usize, usize, Kind) -> usize + '_ {
    |source, start, end, kind| match kind {
        Kind::Comment if source[start..].trim_ascii_start().starts_with(b"/*") => {
            let close = memchr::memmem::find(&source[start..], b"*/");
            close.map_or(source.len(), |close| line_end(source, start + close))
        }
        Kind::Comment if dialect.continuation && dialect.comments_continue => {
            continued(source, start, end, None)
        }
        Kind::Comment => end,
        _ if dialect.continuation => {
            continued(source, start, end, dialect.comments_inside.then_some(dialect))
        }
        _ => end,
    }
}

/// The length of a file says little about its lines; the density of its beginning says enough.
pub fn expected_leaves(source: &[u8]) -> usize {
    let sample = &source[..source.len().min(1 << 16)];
    let lines = memchr::memchr_iter(b'\n', sample).count() + 1;
    let whole = lines as u128 * source.len() as u128 / sample.len().max(1) as u128;
    whole as usize + whole as usize / 16 + 2
}

pub fn line_end(source: &[u8], at: usize) -> usize {
    memchr::memchr(b'\n', &source[at..]).map_or(source.len(), |found| at + found + 1)
}

/// The end of the lines that backslashes join to the one from `start` to `end`; comments between them are passed
/// over where `comments` says what they look like.
pub fn continued(source: &[u8], start: usize, mut end: usize, comments: Option<&Dialect>) -> usize {
    let mut line = start;
    while end < source.len() && continues(&source[line..end]) {
        line = end;
        end = line_end(source, end);
        while let Some(dialect) = comments
            && dialect.comment_mark(source[line..end].trim_ascii_start()).is_some()
            && end < source.len()
        {
            line = end;
            end = line_end(source, end);
        }
    }
    end
}

/// Whether a line ends with a backslash.
fn continues(line: &[u8]) -> bool {
    let text = line.strip_suffix(b"\n").unwrap_or(line);
    text.strip_suffix(b"\r").unwrap_or(text).ends_with(b"\\")
}

/// The value that begins at `start` and ends at the latest at `limit`: without the inline comment
/// behind it, which does not begin inside quotes.
pub fn value_span(source: &[u8], start: u32, limit: u32, dialect: &Dialect) -> Span {
    let whole = Span { start, end: limit };
    let bytes = whole.of(source);
    if dialect.inline_comments.is_empty() {
        return trim(source, whole);
    }
    let (mut quote, mut escaped, mut before) = (None, false, None);
    for (at, byte) in bytes.iter().copied().enumerate() {
        match quote {
            _ if escaped => {}
            Some(open) if byte == open => quote = None,
            Some(_) => {}
            None if dialect.is_quote(byte) => quote = Some(byte),
            None if dialect.begins_inline_comment(&bytes[at..], before) => {
                return trim(source, Span { start, end: start + at as u32 });
            }
            None => {}
        }
        let protects =
            quote == Some(b'"') && !dialect.escaped.is_empty() || quote.is_none() && dialect.escaped_outside;
        escaped = byte == b'\\' && !escaped && protects;
        before = Some(byte);
    }
    trim(source, whole)
}

/// Where the value ends that goes on in the lines from `end` on. Comments and empty lines belong to it
/// only where an indented line follows them, as postconf(5) has it.
pub fn indented(source: &[u8], mut end: usize, dialect: &Dialect) -> usize {
    let mut at = end;
    while at < source.len() {
        let next = line_end(source, at);
        let line = &source[at..next];
        let text = line.trim_ascii();
        let first = line.first().copied().unwrap_or(b'\n');
        if !text.is_empty() && dialect.comment_mark(text).is_none() {
            if !matches!(first, b' ' | b'\t') {
                break;
            }
            end = next;
        }
        at = next;
    }
    end
}

/// Puts the lines from `at` on, which are of the same statement, behind its value, without the comments between them;
/// where the last of them ends.
pub fn further_lines(
    source: &[u8],
    mut at: usize,
    limit: u32,
    dialect: &Dialect,
    value: &mut Pieces,
) -> Option<u32> {
    let mut end = None;
    while at < limit as usize {
        let next = line_end(source, at).min(limit as usize);
        let piece = trim(source, Span::new(at, next));
        if !piece.is_empty() && dialect.comment_mark(piece.of(source)).is_none() {
            value.push(piece);
            end = Some(piece.end);
        }
        at = next;
    }
    end
}
