//! `literals`: top-level `NAME = literal` of a Python settings file. The rest of the file is valid and
//! not ours to read.

use super::scan::{Lines, Marks, line_end, marks, next_mark, ours_or_opaque, trim};
use super::{Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;

pub fn read(source: &[u8], dialect: &Dialect) -> Tree {
    let extend = |source: &[u8], start, end, kind| match kind {
        Kind::Comment | Kind::Blank => end,
        _ => logical_end(source, start).unwrap_or(end),
    };
    let kind_of = |text: &[u8], lead: usize| match kind_of(text, dialect) {
        Kind::Setting if lead > 0 => Kind::Opaque,
        kind => kind,
    };
    Lines { kind_of, extend, nested: false }.read(source).with_opaque(|span| split(source, span).is_none())
}

/// The kind of a line that begins with `text`, as far as its beginning tells.
pub fn kind_of(text: &[u8], dialect: &Dialect) -> Kind {
    ours_or_opaque(text, dialect, name_in(text).is_some())
}

/// The length of the name, and where the value begins.
fn name_in(text: &[u8]) -> Option<(usize, usize)> {
    let length = text.iter().take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_').count();
    let gap = text[length..].iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
    let rest = text.get(length + gap..)?;
    let named = length > 0 && !text[0].is_ascii_digit();
    (named && rest.first() == Some(&b'=') && rest.get(1) != Some(&b'=')).then_some((length, length + gap + 1))
}

/// What begins a string or a comment, changes the depth of brackets, or ends a line.
const SPECIAL: Marks = marks(b"\"'#\\()[]{}\n");

/// One step through Python's text: a string, a comment, or one byte; the offset behind it, and how it
/// changes the depth of brackets. None where a string is not closed.
fn step(source: &[u8], at: usize) -> Option<(usize, i32)> {
    let byte = source[at];
    match byte {
        b'"' | b'\'' => {
            let triple = source[at + 1..].starts_with(&[byte; 2]);
            let mut end = at + if triple { 3 } else { 1 };
            loop {
                let rest = source.get(end..)?;
                end += if triple {
                    memchr::memchr2(byte, b'\\', rest)?
                } else {
                    memchr::memchr3(byte, b'\\', b'\n', rest)?
                };
                match source[end] {
                    b'\\' => end += 2,
                    b'\n' => return None,
                    _ if !triple => return Some((end + 1, 0)),
                    _ if source[end..].starts_with(&[byte; 3]) => return Some((end + 3, 0)),
                    _ => end += 1,
                }
            }
        }
        b'#' => Some((memchr::memchr(b'\n', &source[at..]).map_or(source.len(), |end| at + end), 0)),
        b'\\' => Some(((at + 2).min(source.len()), 0)),
        b'(' | b'[' | b'{' => Some((at + 1, 1)),
        b')' | b']' | b'}' => Some((at + 1, -1)),
        _ => Some((at + 1, 0)),
    }
}

/// The end of the line in which all brackets and strings that begin at `start` are closed.
fn logical_end(source: &[u8], start: usize) -> Option<usize> {
    let (mut at, mut depth) = (start, 0);
    loop {
        at = next_mark(source, at, &SPECIAL);
        if at >= source.len() {
            break;
        }
        if source[at] == b'\n' && depth <= 0 {
            return Some(at + 1);
        }
        let (next, change) = step(source, at)?;
        depth += change;
        at = next;
    }
    (depth <= 0).then(|| line_end(source, source.len()))
}

pub fn split(source: &[u8], span: Span) -> Option<Parts> {
    let text = trim(source, span);
    let (length, from) = name_in(text.of(source))?;
    let limited = &source[..text.end as usize];
    let start = text.start as usize + from;
    let mut at = start;
    // Up to the comment behind it, if there is one.
    let end = loop {
        at = next_mark(limited, at, &SPECIAL);
        match limited.get(at) {
            None => break limited.len(),
            Some(b'#') if memchr::memchr(b'\n', &limited[at..]).is_none() => break at,
            Some(_) => at = step(limited, at)?.0,
        }
    };
    let value = trim(source, Span::new(start, end));
    let name = Span { start: text.start, end: text.start + length as u32 };
    is_literal(value.of(source)).then(|| Parts { name, end: value.end, value: Pieces::one(value) })
}

/// Whether `text` is a literal: strings, numbers, True, False, None, brackets of them, and sums and
/// products of numbers; no other name, and no call.
pub fn is_literal(text: &[u8]) -> bool {
    let mut at = 0;
    let mut any = false;
    while at < text.len() {
        let byte = text[at];
        if byte.is_ascii_alphanumeric() || byte == b'_' {
            let length =
                text[at..].iter().take_while(|byte| byte.is_ascii_alphanumeric() || **byte == b'_').count();
            let word = &text[at..at + length];
            let prefix = length <= 2 && matches!(text.get(at + length), Some(b'"' | b'\''));
            let number = byte.is_ascii_digit();
            if !(number || prefix || matches!(word, b"True" | b"False" | b"None")) {
                return false;
            }
            (at, any) = (at + length, true);
            continue;
        }
        if !matches!(
            byte,
            b'"' | b'\''
                | b'#'
                | b'('
                | b')'
                | b'['
                | b']'
                | b'{'
                | b'}'
                | b','
                | b':'
                | b'.'
                | b'+'
                | b'-'
                | b'*'
                | b'/'
                | b'\\'
        ) && !byte.is_ascii_whitespace()
        {
            return false;
        }
        any |= matches!(byte, b'"' | b'\'' | b'(' | b'[' | b'{');
        match step(text, at) {
            Some((next, _)) => at = next,
            None => return false,
        }
    }
    any
}
