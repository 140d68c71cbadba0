//! `assignments`: shell assignments, exported or not. What else a shell file holds is valid and not
//! ours to read, and so is a value that a command computes.

use super::scan::{Lines, Marks, line_end, marks, next_mark, ours_or_opaque, trim};
use super::{Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;

pub fn read(source: &[u8], dialect: &Dialect) -> Tree {
    let extend = |source: &[u8], start, end, kind| {
        if kind == Kind::Comment || kind == Kind::Blank { end } else { logical_end(source, start) }
    };
    Lines { kind_of: |text: &[u8], _| kind_of(text, dialect), extend, nested: false }
        .read(source)
        .with_opaque(|span| split(source, span).is_none())
}

/// The kind of a line that begins with `text`, as far as its beginning tells.
pub fn kind_of(text: &[u8], dialect: &Dialect) -> Kind {
    ours_or_opaque(text, dialect, name_in(text).is_some())
}

/// Where the name of an assignment stands in `text`, and where its value begins.
fn name_in(text: &[u8]) -> Option<(usize, usize, usize)> {
    let start = if text.starts_with(b"export ") {
        7 + text[7..].iter().take_while(|byte| **byte == b' ').count()
    } else {
        0
    };
    let length =
        text[start..].iter().take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_').count();
    let named = length > 0 && !text[start].is_ascii_digit();
    let plus = usize::from(text.get(start + length) == Some(&b'+'));
    let equals = start + length + plus;
    (named && text.get(equals) == Some(&b'=')).then_some((start, start + length, equals + 1))
}

/// The end of the line in which the quotes and backslashes that begin at `start` are all closed.
fn logical_end(source: &[u8], start: usize) -> usize {
    match word_end(source, start, &LINE) {
        Some(end) => (end + 1).min(source.len()),
        // A quote that is never closed: what it would swallow is read line by line instead.
        None => line_end(source, start),
    }
}

/// What ends a line, and what may keep it from ending.
const LINE: Marks = marks(b"\n\"'\\#");
/// What ends a word, and what may keep it from ending.
const WORD: Marks = marks(b"\n\"'\\# \t\r;&|<>(");

/// The first byte from `start` on, outside quotes and not behind a backslash, that ends what `ends` is
/// about; the end of the source where none does; none where a quote stays open.
fn word_end(source: &[u8], start: usize, ends: &Marks) -> Option<usize> {
    let mut at = start;
    loop {
        at = next_mark(source, at, ends);
        let Some(byte) = source.get(at) else {
            return Some(source.len());
        };
        match byte {
            b'\'' => at += 2 + memchr::memchr(b'\'', &source[at + 1..])?,
            b'"' => at = closing_quote(source, at + 1)? + 1,
            b'\\' => at = (at + 2).min(source.len()),
            // A remark may hold an apostrophe.
            b'#' if at == start || source[at - 1].is_ascii_whitespace() => {
                at = memchr::memchr(b'\n', &source[at..]).map_or(source.len(), |end| at + end);
            }
            b'#' => at += 1,
            _ => return Some(at),
        }
    }
}

fn closing_quote(source: &[u8], mut at: usize) -> Option<usize> {
    loop {
        at += memchr::memchr2(b'"', b'\\', source.get(at..)?)?;
        match source.get(at)? {
            b'"' => return Some(at),
            _ => at = (at + 2).min(source.len()),
        }
    }
}

/// The parts of an assignment that is one and nothing else, and whose value no command computes.
pub fn split(source: &[u8], span: Span) -> Option<Parts> {
    let text = trim(source, span);
    let (name, name_end, from) = name_in(text.of(source))?;
    let limited = &source[..text.end as usize];
    let start = text.start as usize + from;
    let end = word_end(limited, start, &WORD)?;
    let rest = limited[end..].trim_ascii();
    let value = &limited[start..end];
    let single = value.first() == Some(&b'\'');
    let computed = !single
        && memchr::memchr2_iter(b'`', b'$', value)
            .any(|at| value[at] == b'`' || value.get(at + 1) == Some(&b'('));
    if computed || !(rest.is_empty() || rest.starts_with(b"#")) {
        return None;
    }
    let at = |offset: usize| text.start + offset as u32;
    let name = Span { start: at(name), end: at(name_end) };
    Some(Parts { name, value: Pieces::one(Span::new(start, end)), end: end as u32 })
}
