//! `assignments`: shell assignments, exported or not. What else a shell file holds is valid and not
//! ours to read, and so is a value that a command computes.

use super::format::Format;
use super::scan::{Lines, Marks, line_end, marks, next_mark, ours_or_opaque, trim};
use super::{Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;
use std::ops::Range;

/// The format.
pub(super) struct Assignments;

impl Format for Assignments {
    fn plain_dialect(&self) -> Dialect {
        Dialect { quotes: "\"'".into(), ..Dialect::default() }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        let extend = |source: &[u8], start, end, kind| {
            if kind == Kind::Comment || kind == Kind::Blank { end } else { logical_end(source, start) }
        };
        let inside = compounds(source);
        let is_inside = |span: Span| {
            let after = inside.partition_point(|range| range.end <= span.start as usize);
            inside.get(after).is_some_and(|range| range.start < span.end as usize)
        };
        Lines { kind_of: |text: &[u8], _| Assignments.kind_of(text, dialect), extend, nested: false }
            .read(source)
            .with_opaque(|span| is_inside(span) || self.split(source, Kind::Setting, span, dialect).is_none())
    }

    /// The parts of an assignment that is one and nothing else, and whose value no command computes.
    fn split(&self, source: &[u8], _: Kind, span: Span, _: &Dialect) -> Option<Parts> {
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

    /// The kind of a line that begins with `text`, as far as its beginning tells.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        ours_or_opaque(text, dialect, name_in(text).is_some())
    }

    fn separator<'a>(&self, _: &'a Dialect) -> &'a str {
        "="
    }

    fn needs_quotes(&self, value: &str) -> bool {
        let plain = |c: char| c.is_alphanumeric() || "_-./:,@%+=^".contains(c);
        !value.chars().all(plain)
    }

    fn wants_backslash(&self, byte: u8, quote: u8) -> bool {
        quote == b'"' && matches!(byte, b'"' | b'\\')
    }

    fn has_backslashes(&self, quote: u8) -> bool {
        quote == b'"'
    }

    fn may_be_value(&self, _: &str) -> bool {
        true
    }
}

/// Where conditions, loops, functions, groups, arrays and here-documents are: what is in them is no setting.
fn compounds(source: &[u8]) -> Vec<Range<usize>> {
    let mut found: Vec<Range<usize>> = Vec::new();
    let (mut at, mut open, mut start) = (0, Vec::new(), 0);
    while at < source.len() {
        let end = logical_end(source, at);
        let line = &source[at..end];
        let was_open = !open.is_empty();
        let opens = follow(line, &mut open);
        if !was_open && (opens || !open.is_empty()) {
            start = at;
        }
        if (was_open || opens) && open.is_empty() {
            found.push(start..end);
        }
        at = match document_end(line) {
            Some(mark) => {
                let close = past_document(source, end, &mark);
                found.push(at..close);
                close
            }
            None => end,
        };
    }
    if !open.is_empty() {
        found.push(start..source.len());
    }
    found.sort_by_key(|range| range.start);
    found
}

/// What is open takes a closing mark of its own; any other one closes nothing, as the bracket behind a pattern
/// of `case`.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Open {
    Bracket,
    Brace,
    If,
    Loop,
    Case,
}

impl Open {
    /// What a word opens.
    fn by(word: &[u8]) -> Option<Self> {
        match word {
            b"{" => Some(Self::Brace),
            b"if" => Some(Self::If),
            b"for" | b"while" | b"until" | b"select" => Some(Self::Loop),
            b"case" => Some(Self::Case),
            _ => None,
        }
    }

    /// What a word closes.
    fn closed_by(word: &[u8]) -> Option<Self> {
        match word {
            b"}" => Some(Self::Brace),
            b"fi" => Some(Self::If),
            b"done" => Some(Self::Loop),
            b"esac" => Some(Self::Case),
            _ => None,
        }
    }
}

/// Follows what a line opens and closes; returns whether it opens anything.
fn follow(line: &[u8], open: &mut Vec<Open>) -> bool {
    let close = |open: &mut Vec<Open>, what| {
        if open.last() == Some(&what) {
            open.pop();
        }
    };
    let mut opens = false;
    let (mut at, mut begins, mut names_function) = (0, true, false);
    while at < line.len() {
        let byte = line[at];
        match byte {
            b'#' if at == 0 || line[at - 1].is_ascii_whitespace() => break,
            b';' | b'&' | b'|' | b'\n' => (at, begins) = (at + 1, true),
            b' ' | b'\t' | b'\r' => at += 1,
            b'(' => {
                open.push(Open::Bracket);
                (at, opens, begins) = (at + 1, true, true);
            }
            b')' => {
                close(open, Open::Bracket);
                (at, begins) = (at + 1, true);
            }
            b'$' if line.get(at + 1) == Some(&b'(') => {
                open.push(Open::Bracket);
                at += 2;
            }
            b'\'' | b'"' | b'\\' => {
                at = word_end(line, at, &marks(b" \t\n;&|()\"'\\")).unwrap_or(line.len()).max(at + 1);
                begins = false;
            }
            _ => {
                let plain = |byte: &&u8| !byte.is_ascii_whitespace() && !b";&|()'\"\\".contains(byte);
                let length = line[at..].iter().take_while(plain).count().max(1);
                let word = &line[at..at + length];
                if let (true, Some(what)) = (begins, Open::by(word)) {
                    open.push(what);
                    opens = true;
                } else if let (true, Some(what)) = (begins, Open::closed_by(word)) {
                    close(open, what);
                }
                // bash(1), "Shell Function Definitions": `function NAME {`, with or without brackets.
                let is_named = std::mem::replace(&mut names_function, begins && word == b"function");
                begins = is_named
                    || matches!(
                        word,
                        b"then"
                            | b"else"
                            | b"elif"
                            | b"do"
                            | b"{"
                            | b"in"
                            | b"!"
                            | b"if"
                            | b"while"
                            | b"until"
                    );
                at += length;
            }
        }
    }
    opens
}

/// The word that ends the here-document which a line begins, and whether tabs before it go.
fn document_end(line: &[u8]) -> Option<(Vec<u8>, bool)> {
    let at = memchr::memmem::find(line, b"<<")?;
    let rest = &line[at + 2..];
    let quoted = line[..at].iter().filter(|byte| matches!(byte, b'"' | b'\'')).count() % 2 == 1;
    if quoted || rest.first() == Some(&b'<') || line.trim_ascii_start().starts_with(b"#") {
        return None;
    }
    let (tabs, rest) = match rest.strip_prefix(b"-") {
        Some(rest) => (true, rest),
        None => (false, rest),
    };
    let rest = rest.trim_ascii_start();
    let length =
        rest.iter().take_while(|byte| !byte.is_ascii_whitespace() && !b";&|<>".contains(byte)).count();
    let word: Vec<u8> = rest[..length].iter().copied().filter(|byte| !b"'\"\\".contains(byte)).collect();
    (!word.is_empty()).then_some((word, tabs))
}

/// Behind the line that ends a here-document.
fn past_document(source: &[u8], mut at: usize, (word, tabs): &(Vec<u8>, bool)) -> usize {
    while at < source.len() {
        let end = line_end(source, at);
        let line = source[at..end].strip_suffix(b"\n").unwrap_or(&source[at..end]);
        let lead = if *tabs { line.iter().take_while(|byte| **byte == b'\t').count() } else { 0 };
        if line[lead..] == **word {
            return end;
        }
        at = end;
    }
    at
}

/// Where the name of an assignment is in `text`, and where its value begins.
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
