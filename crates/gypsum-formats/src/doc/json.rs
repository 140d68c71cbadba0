//! `json`, with comments where the dialect has them. An object is a block and its members are settings; a
//! list of plain values is one value, and a list that holds objects is a block whose elements have
//! no name but their number. The braces around the whole file are nobody's block.

use super::format::{BlockLines, Format};
use super::scan::{is_blank, line_end, trim};
use super::tiling::{LeafBuilder, refused, text};
use super::{Dialect, Document, Family, Kind, Parts, Pieces, Tree, scalars};
use crate::text::Span;
use crate::witness::well_formed;
use std::borrow::Cow;

/// The format.
pub(super) struct Json;

impl Format for Json {
    fn plain_dialect(&self) -> Dialect {
        // The standard has no comments; a daemon that takes them says so in its profile.
        Dialect { comments: Vec::new(), ..Dialect::default() }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        let from = match text(source) {
            Ok((_, from)) => from,
            Err(at) => return refused(source, at),
        };
        // A strict parser has seen that it is JSON; from here on only places are looked for.
        if let Err(error) = well_formed(Family::Json, source, dialect) {
            return refused(source, error.at);
        }
        let mut reading = Reading { source, laid: LeafBuilder::new(source, &REMARKS) };
        let root = skip(source, from);
        match source.get(root) {
            Some(b'{') => reading.around(root, b'}'),
            Some(b'[') if holds_blocks(source, root) => reading.around(root, b']'),
            Some(_) => reading.edge(root, past_value(source, root)),
            None => {}
        }
        reading.laid.finish()
    }

    fn split(&self, source: &[u8], kind: Kind, span: Span, _: &Dialect) -> Option<Parts> {
        let text = trim(source, span);
        let limited = &source[..text.end as usize];
        let start = text.start as usize;
        let blanks = |at: usize| {
            let mut at = at;
            loop {
                at += limited[at..].iter().take_while(|byte| is_blank(**byte)).count();
                match &limited[at..] {
                    [b'/', b'*', rest @ ..] => {
                        at += memchr::memmem::find(rest, b"*/").map_or(rest.len() + 2, |to| to + 4)
                    }
                    [b'/', b'/', ..] => at = line_end(limited, at),
                    _ => return at,
                }
            }
        };
        let named = limited.get(start) == Some(&b'"');
        let name_end = if named { string_end(limited, start)? } else { start };
        let colon = blanks(name_end);
        if !named || limited.get(colon) != Some(&b':') {
            // An element of a list: its text is what it is called, and a block has none.
            let end = if kind == Kind::Open { start } else { value_end(limited, start)? };
            let name = Span::new(start, end);
            return Some(Parts { name, value: Pieces::default(), end: end as u32 });
        }
        let from = blanks(colon + 1);
        let end = if kind == Kind::Open { from } else { value_end(limited, from)? };
        let name = Span::new(start + 1, name_end - 1);
        let value = if kind == Kind::Open { Pieces::default() } else { Pieces::one(Span::new(from, end)) };
        Some(Parts { name, value, end: end as u32 })
    }

    /// What a text out of a comment would be.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        let inner = Span { start: 0, end: text.len() as u32 };
        let Some(parts) = self.split(text, Kind::Setting, inner, dialect) else {
            return Kind::Opaque;
        };
        match parts.value.hull().map(|span| span.of(text)) {
            Some(b"{") => Kind::Open,
            Some(value) if serde_json::from_slice::<serde::de::IgnoredAny>(value).is_ok() => Kind::Setting,
            _ => Kind::Opaque,
        }
    }

    fn separator<'a>(&self, _: &'a Dialect) -> &'a str {
        ": "
    }

    fn closes_blocks(&self) -> bool {
        true
    }

    fn block_lines(&self, words: &str, _: &Document) -> Option<BlockLines> {
        let name = scalars::quoted(Family::Json, words, b'"');
        Some((format!("{}: {{", String::from_utf8_lossy(&name)), Some("}".into())))
    }

    fn is_standard(&self) -> bool {
        true
    }

    fn meaning<'a>(&self, raw: &'a [u8], _: &Dialect) -> Cow<'a, [u8]> {
        scalars::meaning(Family::Json, raw)
    }

    fn may_be_value(&self, _: &str) -> bool {
        true
    }

    fn endings(&self) -> &'static [&'static str] {
        &["json"]
    }
}

const REMARKS: [&str; 2] = ["//", "/*"];

/// Behind blanks and comments.
fn skip(source: &[u8], mut at: usize) -> usize {
    // Mostly there are none.
    if source.get(at).is_some_and(|byte| *byte > b' ' && *byte != b'/') {
        return at;
    }
    loop {
        at += source[at..].iter().take_while(|byte| is_blank(**byte)).count();
        match &source[at..] {
            [b'/', b'*', rest @ ..] => {
                at += memchr::memmem::find(rest, b"*/").map_or(rest.len() + 2, |end| end + 4);
            }
            [b'/', b'/', ..] => at = line_end(source, at),
            _ => return at,
        }
    }
}

/// Behind the value that begins at `at`.
fn past_value(source: &[u8], at: usize) -> usize {
    if source.get(at) == Some(&b'"') {
        return string_end(source, at).unwrap_or(source.len());
    }
    let mut end = at;
    let mut depth = 0u32;
    while let Some(byte) = source.get(end) {
        match byte {
            b'"' => end = string_end(source, end).unwrap_or(source.len()),
            b'/' => end = skip(source, end).max(end + 1),
            b'[' | b'{' => (depth, end) = (depth + 1, end + 1),
            b']' | b'}' if depth == 0 => return end,
            b']' | b'}' => (depth, end) = (depth - 1, end + 1),
            b',' if depth == 0 => return end,
            byte if depth == 0 && is_blank(*byte) => return end,
            _ => {
                let plain = |byte: &&u8| {
                    !matches!(**byte, b'"' | b'/' | b'[' | b'{' | b']' | b'}' | b',') && !is_blank(**byte)
                };
                end += source[end..].iter().take_while(plain).count().max(1);
                continue;
            }
        }
        if depth == 0 {
            return end;
        }
    }
    source.len()
}

/// Whether the list that begins at `at` holds lists or objects.
fn holds_blocks(source: &[u8], at: usize) -> bool {
    let mut at = skip(source, at + 1);
    loop {
        match source.get(at) {
            None | Some(b']') => return false,
            Some(b'[' | b'{') => return true,
            Some(_) => at = skip(source, past_value(source, at)),
        }
        if source.get(at) == Some(&b',') {
            at = skip(source, at + 1);
        }
    }
}

struct Reading<'a> {
    source: &'a [u8],
    laid: LeafBuilder<'a>,
}

impl Reading<'_> {
    /// What is between the two marks around the whole, which belong to nobody.
    fn around(&mut self, open: usize, close: u8) {
        self.edge(open, open + 1);
        let end = self.members(open + 1, close);
        self.edge(end, (end + 1).min(self.source.len()));
    }

    fn edge(&mut self, start: usize, end: usize) {
        self.laid.gap(start);
        let end = rest_of_line(self.source, end);
        self.laid.leaf(Kind::Opaque, end);
    }

    /// The members or elements from `at` on, up to the mark that closes them; its place.
    fn members(&mut self, at: usize, close: u8) -> usize {
        let mut at = skip(self.source, at);
        while self.source.get(at).is_some_and(|byte| *byte != close) {
            let value = if close == b'}' {
                let name_end = string_end(self.source, at).unwrap_or(self.source.len());
                skip(self.source, skip(self.source, name_end) + 1)
            } else {
                at
            };
            at = skip(self.source, self.node(at, value));
            if self.source.get(at) == Some(&b',') {
                at = skip(self.source, at + 1);
            }
        }
        at
    }

    /// A member or element that begins at `start`, its value at `value`; where that ends.
    fn node(&mut self, start: usize, value: usize) -> usize {
        self.laid.gap(start);
        let close = match self.source.get(value) {
            Some(b'{') => b'}',
            Some(b'[') if holds_blocks(self.source, value) => b']',
            _ => {
                let end = past_value(self.source, value);
                self.laid.leaf(Kind::Setting, rest_of_line(self.source, end));
                return end;
            }
        };
        self.laid.open(rest_of_line(self.source, value + 1));
        let end = self.members(value + 1, close);
        self.laid.gap(end);
        self.laid.close(rest_of_line(self.source, (end + 1).min(self.source.len())));
        end + 1
    }
}

/// Behind a statement: its comma, and what ends the line.
fn rest_of_line(source: &[u8], end: usize) -> usize {
    // In a long line the next statement follows at once.
    if source.get(end) == Some(&b',') && source.get(end + 1).is_some_and(|byte| *byte > b' ' && *byte != b'/')
    {
        return end + 1;
    }
    let blanks =
        |at: usize| at + source[at..].iter().take_while(|byte| matches!(byte, b' ' | b'\t' | b'\r')).count();
    let mut after = end;
    let mut at = blanks(end);
    if source.get(at) == Some(&b',') {
        after = at + 1;
        at = blanks(after);
    }
    loop {
        match &source[at..] {
            [] => return source.len(),
            [b'\n', ..] => return at + 1,
            [b'/', b'/', ..] => return line_end(source, at),
            [b'/', b'*', rest @ ..] => match memchr::memmem::find(rest, b"*/") {
                Some(close) if !rest[..close].contains(&b'\n') => at = blanks(at + close + 4),
                _ => return after,
            },
            _ => return after,
        }
    }
}

/// Behind the string that begins at `at`.
fn string_end(source: &[u8], at: usize) -> Option<usize> {
    let mut end = at + 1;
    loop {
        end += memchr::memchr2(b'"', b'\\', source.get(end..)?)?;
        match source[end] {
            b'\\' => end += 2,
            _ => return Some(end + 1),
        }
    }
}

/// Behind the value that begins at `at`.
fn value_end(source: &[u8], at: usize) -> Option<usize> {
    let (mut end, mut depth) = (at, 0);
    loop {
        let byte = *source.get(end)?;
        let next = match byte {
            b'"' => string_end(source, end)?,
            b'/' if source[end..].starts_with(b"//") => line_end(source, end),
            b'/' if source[end..].starts_with(b"/*") => {
                end + 4 + memchr::memmem::find(&source[end + 2..], b"*/")?
            }
            _ => end + 1,
        };
        depth += i32::from(matches!(byte, b'[' | b'{'));
        depth -= i32::from(matches!(byte, b']' | b'}'));
        let scalar = !matches!(byte, b'[' | b'{' | b'}' | b']' | b'"' | b',');
        if depth < 0 {
            return (end > at).then_some(end);
        }
        let more = scalar
            && source
                .get(next)
                .is_some_and(|byte| !is_blank(*byte) && !matches!(byte, b',' | b'}' | b']' | b'/'));
        if depth == 0 && !more {
            return (byte != b',').then_some(next);
        }
        end = next;
    }
}
