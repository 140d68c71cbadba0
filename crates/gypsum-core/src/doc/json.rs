//! `json`, with comments where the dialect has them. An object is a block and its members are settings; a
//! list of plain values is one value, and a list that holds objects is a block whose elements have
//! no name but their number. The braces around the whole file are nobody's block.

use super::laid::{Laid, refused, text};
use super::scan::{is_blank, line_end, trim};
use super::{Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;
use jsonc_parser::ast::{Array, Object, Value};
use jsonc_parser::common::Ranged;
use jsonc_parser::{CollectOptions, ParseOptions, parse_to_ast};

const REMARKS: [&str; 2] = ["//", "/*"];

pub fn read(source: &[u8], dialect: &Dialect) -> Tree {
    let (content, from) = match text(source) {
        Ok(text) => text,
        Err(at) => return refused(source, at),
    };
    let parsed = parse_to_ast(content, &CollectOptions::default(), &options(dialect));
    let root = match parsed {
        Ok(parsed) => parsed.value,
        Err(error) => return refused(source, from + error.range().start),
    };
    let mut reading = Reading { source, from, laid: Laid::new(source, &REMARKS) };
    if let Some(root) = root {
        let range = root.range();
        match root {
            Value::Object(object) => {
                reading.edge(range.start, range.start + 1);
                reading.object(&object);
                reading.edge(range.end - 1, range.end);
            }
            Value::Array(array) if holds_blocks(&array) => {
                reading.edge(range.start, range.start + 1);
                reading.array(&array);
                reading.edge(range.end - 1, range.end);
            }
            _ => reading.edge(range.start, range.end),
        }
    }
    reading.laid.finish()
}

/// What the standard has, and what the dialect adds to it.
fn options(dialect: &Dialect) -> ParseOptions {
    ParseOptions {
        allow_comments: !dialect.comments.is_empty(),
        allow_loose_object_property_names: false,
        allow_trailing_commas: true,
        allow_missing_commas: false,
        allow_single_quoted_strings: false,
        allow_hexadecimal_numbers: false,
        allow_unary_plus_numbers: false,
        allow_bare_decimal_point_numbers: false,
        allow_non_finite_numbers: false,
        allow_extended_string_escapes: false,
    }
}

struct Reading<'a> {
    source: &'a [u8],
    from: usize,
    laid: Laid<'a>,
}

impl Reading<'_> {
    /// A mark around the whole, which belongs to nobody.
    fn edge(&mut self, start: usize, end: usize) {
        self.laid.gap(self.from + start);
        let end = rest_of_line(self.source, self.from + end);
        self.laid.leaf(Kind::Opaque, end);
    }

    fn object(&mut self, object: &Object<'_>) {
        for member in &object.properties {
            self.value(member.range.start, &member.value);
        }
    }

    fn array(&mut self, array: &Array<'_>) {
        for element in &array.elements {
            self.value(element.range().start, element);
        }
    }

    /// A member or element that begins at `start`.
    fn value(&mut self, start: usize, value: &Value<'_>) {
        self.laid.gap(self.from + start);
        let range = value.range();
        let inner = match value {
            Value::Object(_) => true,
            Value::Array(array) => holds_blocks(array),
            _ => false,
        };
        if !inner {
            return self.laid.leaf(Kind::Setting, rest_of_line(self.source, self.from + range.end));
        }
        self.laid.open(rest_of_line(self.source, self.from + range.start + 1));
        match value {
            Value::Object(object) => self.object(object),
            Value::Array(array) => self.array(array),
            _ => {}
        }
        self.laid.gap(self.from + range.end - 1);
        self.laid.close(rest_of_line(self.source, self.from + range.end));
    }
}

fn holds_blocks(array: &Array<'_>) -> bool {
    array.elements.iter().any(|element| matches!(element, Value::Object(_) | Value::Array(_)))
}

/// Behind a statement: its comma, and what ends the line.
fn rest_of_line(source: &[u8], end: usize) -> usize {
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

/// What a text out of a comment would be.
pub fn kind_of(text: &[u8]) -> Kind {
    let inner = Span { start: 0, end: text.len() as u32 };
    let Some(parts) = split(text, Kind::Setting, inner) else {
        return Kind::Opaque;
    };
    match parts.value.hull().map(|span| span.of(text)) {
        Some(b"{") => Kind::Open,
        Some(value) if serde_json::from_slice::<serde::de::IgnoredAny>(value).is_ok() => Kind::Setting,
        _ => Kind::Opaque,
    }
}

pub fn split(source: &[u8], kind: Kind, span: Span) -> Option<Parts> {
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

/// Behind the string that begins at `at`.
fn string_end(source: &[u8], at: usize) -> Option<usize> {
    let mut end = at + 1;
    loop {
        match *source.get(end)? {
            b'\\' => end += 2,
            b'"' => return Some(end + 1),
            _ => end += 1,
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
