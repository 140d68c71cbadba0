//! `literals`: top-level `NAME = literal` of a Python settings file. The rest of the file is valid and
//! not ours to read.

use super::format::{Format, texts};
use super::scan::{Marks, expected_leaves, line_end, mark_length, marks, next_mark, ours_or_opaque, trim};
use super::{Builder, Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;

/// The format.
pub(super) struct Literals;

impl Format for Literals {
    fn plain_dialect(&self) -> Dialect {
        Dialect { inline_comments: texts(&["#"]), quotes: "\"'".into(), ..Dialect::default() }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        let mut builder = Builder::with_capacity(expected_leaves(source));
        let mut at = mark_length(source);
        builder.leaf(Kind::Blank, at);
        while at < source.len() {
            let lead =
                source[at..].iter().take_while(|byte| matches!(byte, b' ' | b'\t' | b'\r' | 0x0c)).count();
            let text = &source[at + lead..];
            let (kind, end) = match text.first() {
                None | Some(b'\n') => (Kind::Blank, (at + lead + 1).min(source.len())),
                _ if dialect.comment_mark(text).is_some() => (Kind::Comment, line_end(source, at)),
                // Only what is at the top is a setting.
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

    fn split(&self, source: &[u8], _: Kind, span: Span, _: &Dialect) -> Option<Parts> {
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

    /// The kind of a line that begins with `text`, as far as its beginning tells.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        ours_or_opaque(text, dialect, name_in(text).is_some())
    }

    fn separator<'a>(&self, _: &'a Dialect) -> &'a str {
        " = "
    }

    fn wants_backslash(&self, byte: u8, quote: u8) -> bool {
        byte == quote || byte == b'\\'
    }

    fn has_backslashes(&self, _: u8) -> bool {
        true
    }

    fn may_be_value(&self, _: &str) -> bool {
        true
    }

    fn endings(&self) -> &'static [&'static str] {
        &["py"]
    }
}

/// The end of the assignment that begins at `start` and whose value begins at `from`, and whether that value
/// is a literal: all in one pass, since most of such a file is values.
fn value_from(source: &[u8], start: usize, from: usize) -> (Kind, usize) {
    let mut grammar = Grammar::default();
    let mut at = from;
    while let Some(byte) = source.get(at) {
        if *byte == b'\n' && grammar.open.is_empty() {
            at += 1;
            break;
        }
        match grammar.step(source, at) {
            Some(next) => at = next,
            None => return (Kind::Opaque, line_end(source, start)),
        }
    }
    match (grammar.open.is_empty(), grammar.is_literal()) {
        (false, _) => (Kind::Opaque, line_end(source, start)),
        (true, true) => (Kind::Setting, at),
        (true, false) => (Kind::Opaque, at),
    }
}

/// What a value may go on with.
#[derive(Clone, Copy, Default, PartialEq)]
enum Next {
    /// A value, or the bracket that closes an empty list.
    #[default]
    Value,
    /// A number: an operator is before it.
    Number,
    /// Behind a number: an operator, a comma, a bracket.
    BehindNumber,
    /// Behind a text: another one, a comma, a bracket.
    BehindText,
    /// Behind anything else: a comma, a bracket.
    Behind,
}

/// How far a value has been read as a literal.
#[derive(Default)]
struct Grammar {
    open: Vec<u8>,
    next: Next,
    any: bool,
    wrong: bool,
}

impl Grammar {
    fn is_literal(&self) -> bool {
        self.any && !self.wrong && self.next != Next::Number
    }

    /// Takes what begins at `at`; behind it, or `None` where a text is never closed.
    fn step(&mut self, source: &[u8], at: usize) -> Option<usize> {
        let behind = !matches!(self.next, Next::Value | Next::Number);
        match source[at] {
            b' ' | b'\t' | b'\r' | b'\n' | 0x0c => return Some(at + 1),
            b'#' | b'\\' => return step(source, at).map(|(next, _)| next),
            open @ (b'(' | b'[' | b'{') => {
                self.wrong |= behind || self.next == Next::Number;
                self.open.push(open);
                (self.next, self.any) = (Next::Value, true);
            }
            close @ (b')' | b']' | b'}') => {
                let fits = matches!(
                    (self.open.pop(), close),
                    (Some(b'('), b')') | (Some(b'['), b']') | (Some(b'{'), b'}')
                );
                self.wrong |= !fits || self.next == Next::Number;
                self.next = Next::Behind;
            }
            b',' => {
                self.wrong |= !behind;
                self.next = Next::Value;
            }
            b':' => {
                self.wrong |= !behind || self.open.last() != Some(&b'{');
                self.next = Next::Value;
            }
            b'+' | b'-' if !behind => self.next = Next::Number,
            b'+' | b'-' | b'*' | b'/' => {
                self.wrong |= self.next != Next::BehindNumber;
                self.next = Next::Number;
                return Some(
                    at + 1
                        + usize::from(
                            source[at] != b'+'
                                && source[at] != b'-'
                                && source.get(at + 1) == Some(&source[at]),
                        ),
                );
            }
            b'"' | b'\'' => {
                self.wrong |= !matches!(self.next, Next::Value | Next::BehindText);
                (self.next, self.any) = (Next::BehindText, true);
                return step(source, at).map(|(next, _)| next);
            }
            _ => return Some(self.word(source, at)),
        }
        Some(at + 1)
    }

    /// Takes the word or number at `at`.
    fn word(&mut self, source: &[u8], at: usize) -> usize {
        let wordy =
            |byte: &&u8| byte.is_ascii_alphanumeric() || matches!(**byte, b'_' | b'.') || **byte >= 0x80;
        let mut end = at + source[at..].iter().take_while(wordy).count();
        let digits = source[at].is_ascii_digit() || source[at] == b'.';
        let sign =
            matches!(source.get(end), Some(b'+' | b'-')) && source[end - 1].eq_ignore_ascii_case(&b'e');
        if digits && sign && !source[at..end].starts_with(b"0x") {
            end += 1 + source[end + 1..].iter().take_while(wordy).count();
        }
        let word = &source[at..end.max(at + 1)];
        let prefix = word.len() <= 2 && matches!(source.get(end), Some(b'"' | b'\''));
        if prefix && word.iter().all(|byte| b"rRbBuU".contains(byte)) {
            return end;
        }
        let behind = !matches!(self.next, Next::Value | Next::Number);
        let constant = matches!(word, b"True" | b"False" | b"None");
        self.wrong |= behind || !(constant && self.next == Next::Value || is_number(word));
        (self.next, self.any) = (if constant { Next::Behind } else { Next::BehindNumber }, true);
        end.max(at + 1)
    }
}

/// Whether a word is a number as Python writes them.
fn is_number(word: &[u8]) -> bool {
    let Ok(text) = std::str::from_utf8(word) else {
        return false;
    };
    let text = text.to_ascii_lowercase();
    if text.starts_with('_') || text.ends_with('_') || text.contains("__") {
        return false;
    }
    let plain = text.replace('_', "");
    for (mark, base) in [("0x", 16), ("0o", 8), ("0b", 2)] {
        if let Some(digits) = plain.strip_prefix(mark) {
            return !digits.is_empty() && digits.chars().all(|c| c.is_digit(base));
        }
    }
    let complex = plain.strip_suffix('j');
    let number = complex.unwrap_or(&plain);
    let whole = number.chars().all(|c| c.is_ascii_digit());
    let padded = whole && complex.is_none() && number.len() > 1 && number.starts_with('0');
    let zero = number.chars().all(|c| c == '0');
    let begins = number.starts_with(|c: char| c.is_ascii_digit() || c == '.');
    begins && number.parse::<f64>().is_ok() && (zero || !padded)
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

/// Whether `text` is a literal: strings, numbers, True, False, None, brackets of them, and sums and
/// products of numbers; no other name, and no call.
pub fn is_literal(text: &[u8]) -> bool {
    let mut grammar = Grammar::default();
    let mut at = 0;
    while at < text.len() {
        match grammar.step(text, at) {
            Some(next) => at = next,
            None => return false,
        }
    }
    grammar.open.is_empty() && grammar.is_literal()
}
