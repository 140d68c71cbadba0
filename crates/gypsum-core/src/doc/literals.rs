//! `literals`: top-level `NAME = literal` of a Python settings file. The rest of the file is valid and
//! not ours to read.

use super::scan::{Marks, expected_leaves, line_end, mark_length, marks, next_mark, ours_or_opaque, trim};
use super::{Builder, Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;

pub fn read(source: &[u8], dialect: &Dialect) -> Tree {
    let mut builder = Builder::with_capacity(expected_leaves(source));
    let mut at = mark_length(source);
    builder.leaf(Kind::Blank, at);
    while at < source.len() {
        let lead = source[at..].iter().take_while(|byte| matches!(byte, b' ' | b'\t' | b'\r' | 0x0c)).count();
        let text = &source[at + lead..];
        let (kind, end) = match text.first() {
            None | Some(b'\n') => (Kind::Blank, (at + lead + 1).min(source.len())),
            _ if dialect.comment_mark(text).is_some() => (Kind::Comment, line_end(source, at)),
            // Only what stands at the top is a setting.
            _ => match name_in(text).filter(|_| lead == 0) {
                Some((_, from)) => value_from(source, at, at + from),
                None => (Kind::Opaque, logical_end(source, at).unwrap_or_else(|| line_end(source, at))),
            },
        };
        builder.leaf(kind, end);
        at = end;
    }
    builder.finish()
}

/// The end of the assignment that begins at `start` and whose value begins at `from`, and whether that value
/// is a literal: all in one pass, since most of such a file is values.
fn value_from(source: &[u8], start: usize, from: usize) -> (Kind, usize) {
    let (mut at, mut depth) = (from, 0);
    let (mut any, mut literal) = (false, true);
    while let Some(byte) = source.get(at) {
        match CLASSES[*byte as usize] {
            Class::Mark if *byte == b'\n' && depth <= 0 => {
                at += 1;
                break;
            }
            Class::Mark => at += 1,
            Class::Bracket => {
                depth += if matches!(byte, b'(' | b'[' | b'{') { 1 } else { -1 };
                (at, any, literal) = (at + 1, true, literal && depth >= 0);
            }
            Class::Jump => match step(source, at) {
                Some((next, _)) => (at, any) = (next, any || matches!(byte, b'"' | b'\'')),
                None => return (Kind::Opaque, line_end(source, start)),
            },
            Class::Word => {
                let (end, fits) = word_at(source, at);
                (at, any, literal) = (end, true, literal && fits);
            }
            Class::Other => (at, literal) = (at + 1, false),
        }
    }
    match (depth, any && literal) {
        (1.., _) => (Kind::Opaque, line_end(source, start)),
        (_, true) => (Kind::Setting, at),
        (_, false) => (Kind::Opaque, at),
    }
}

/// The end of the word at `at`, and whether a literal may have it: a number, a constant, the mark before a string.
fn word_at(text: &[u8], at: usize) -> (usize, bool) {
    let length = text[at..].iter().take_while(|byte| CLASSES[**byte as usize] == Class::Word).count();
    let word = &text[at..at + length];
    let prefix = length <= 2 && matches!(text.get(at + length), Some(b'"' | b'\''));
    (at + length, word[0].is_ascii_digit() || prefix || matches!(word, b"True" | b"False" | b"None"))
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

/// What begins a string or a comment.
const JUMPS: Marks = marks(b"\"'#\\");

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
        at = next_mark(limited, at, &JUMPS);
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

/// What a byte of a value is: a mark that a literal may have, the beginning of a string or a comment, part of a
/// word, or nothing of a literal's.
#[derive(Clone, Copy, PartialEq)]
enum Class {
    Mark,
    Bracket,
    Jump,
    Word,
    Other,
}

const CLASSES: [Class; 256] = {
    let mut classes = [Class::Other; 256];
    let mut byte = 0;
    while byte < 256 {
        classes[byte] = match byte as u8 {
            b'_' | b'0'..=b'9' | b'a'..=b'z' | b'A'..=b'Z' => Class::Word,
            b'"' | b'\'' | b'#' | b'\\' => Class::Jump,
            b'(' | b'[' | b'{' | b')' | b']' | b'}' => Class::Bracket,
            b',' | b':' | b'.' | b'+' | b'-' | b'*' | b'/' | b' ' | b'\t' | b'\r' | b'\n' | 0x0c => {
                Class::Mark
            }
            _ => Class::Other,
        };
        byte += 1;
    }
    classes
};

/// Whether `text` is a literal: strings, numbers, True, False, None, brackets of them, and sums and
/// products of numbers; no other name, and no call.
pub fn is_literal(text: &[u8]) -> bool {
    let mut at = 0;
    let mut any = false;
    while let Some(byte) = text.get(at) {
        match CLASSES[*byte as usize] {
            Class::Mark => at += 1,
            Class::Bracket => (at, any) = (at + 1, true),
            Class::Jump => match step(text, at) {
                Some((next, _)) => (at, any) = (next, any || matches!(byte, b'"' | b'\'')),
                None => return false,
            },
            Class::Word => match word_at(text, at) {
                (end, true) => (at, any) = (end, true),
                (_, false) => return false,
            },
            Class::Other => return false,
        }
    }
    any
}
