//! `toml`: headers and keys a line at a time, values over as many lines as their brackets and quotes say.
//! The parser says whether the whole is TOML, and where it is not.

use super::format::{BlockLines, Format, texts};
use super::scan::{Lines, Marks, line_end, marks, next_mark, trim};
use super::tiling::{refused, text};
use super::{Dialect, Document, Family, Kind, Parts, Pieces, Tree, scalars};
use crate::text::Span;
use std::borrow::Cow;

/// The format.
pub(super) struct Toml;

impl Format for Toml {
    fn plain_dialect(&self) -> Dialect {
        Dialect { inline_comments: texts(&["#"]), quotes: "\"'".into(), ..Dialect::default() }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        let (content, from) = match text(source) {
            Ok(text) => text,
            Err(at) => return refused(source, at),
        };
        if content.starts_with('\u{feff}') {
            return refused(source, from);
        }
        if let Err(error) = toml::from_str::<toml::Table>(content) {
            return refused(source, from + error.span().map_or(0, |span| span.start));
        }
        let extend = |source: &[u8], start, end, kind| match kind {
            Kind::Setting => logical_end(source, start).unwrap_or(end),
            _ => end,
        };
        Lines { kind_of: |text: &[u8], _| Toml.kind_of(text, dialect), extend, nested: false }.read(source)
    }

    fn split(&self, source: &[u8], kind: Kind, span: Span, _: &Dialect) -> Option<Parts> {
        let text = trim(source, span);
        let limited = &source[..text.end as usize];
        if kind == Kind::Open {
            let brackets = text.of(source).iter().take_while(|byte| **byte == b'[').count().min(2);
            let start = text.start as usize + brackets;
            let end =
                start + memchr::memrchr(b']', &limited[start..up_to_remark(limited, start)])? + 1 - brackets;
            let name = trim(source, Span::new(start, end.max(start)));
            return Some(Parts { name, value: Pieces::default(), end: (end + brackets) as u32 });
        }
        let name_end = key_end(limited, text.start as usize)?;
        let equals = name_end + memchr::memchr(b'=', &limited[name_end..])?;
        let (mut at, mut depth) = (equals + 1, 0);
        let end = loop {
            at = next_mark(limited, at, &SPECIAL);
            match limited.get(at) {
                None => break limited.len(),
                Some(b'#') if depth == 0 => break at,
                Some(b'#') => at = line_end(limited, at),
                Some(b'"' | b'\'') => at = string_end(limited, at)?,
                Some(byte) => {
                    depth += i32::from(matches!(byte, b'[' | b'{'));
                    depth -= i32::from(matches!(byte, b']' | b'}'));
                    at += 1;
                }
            }
        };
        let value = trim(source, Span::new(equals + 1, end));
        let name = Span { start: text.start, end: name_end as u32 };
        (!value.is_empty()).then(|| Parts { name, end: value.end, value: Pieces::one(value) })
    }

    /// The kind of a line that begins with `text`, as far as its beginning tells.
    fn kind_of(&self, text: &[u8], _: &Dialect) -> Kind {
        match text.first() {
            Some(b'#') => Kind::Comment,
            Some(b'[') => Kind::Open,
            _ if key_end(text, 0).is_some_and(|end| text[end..].trim_ascii_start().starts_with(b"=")) => {
                Kind::Setting
            }
            _ => Kind::Opaque,
        }
    }

    fn separator<'a>(&self, _: &'a Dialect) -> &'a str {
        " = "
    }

    fn block_lines(&self, words: &str, _: &Document) -> Option<BlockLines> {
        Some((format!("[{words}]"), None))
    }

    fn is_standard(&self) -> bool {
        true
    }

    fn meaning<'a>(&self, raw: &'a [u8], _: &Dialect) -> Cow<'a, [u8]> {
        scalars::meaning(Family::Toml, raw)
    }

    fn may_be_value(&self, _: &str) -> bool {
        true
    }

    fn endings(&self) -> &'static [&'static str] {
        &["toml"]
    }
}

/// What begins a string or a comment, changes the depth of brackets, or ends a line.
const SPECIAL: Marks = marks(b"\"'#[]{}\n");

/// Behind the string that begins at `at`.
fn string_end(source: &[u8], at: usize) -> Option<usize> {
    let quote = source[at];
    let triple = [quote; 3];
    let (close, from): (&[u8], usize) =
        if source[at..].starts_with(&triple) { (&triple, at + 3) } else { (&triple[..1], at + 1) };
    let mut end = from;
    loop {
        let rest = source.get(end..)?;
        if rest.first() == Some(&b'\\') && quote == b'"' {
            end += 2;
        } else if rest.starts_with(close) {
            // Quotes may stand at the end of a text between three of them.
            let more = rest[close.len()..].iter().take_while(|byte| **byte == quote).count();
            return Some(end + close.len() + if close.len() == 3 { more.min(2) } else { 0 });
        } else if rest.is_empty() || close.len() == 1 && rest[0] == b'\n' {
            return None;
        } else {
            end += 1;
        }
    }
}

/// Behind the key that begins at `at`: bare words and strings, joined by dots.
fn key_end(source: &[u8], at: usize) -> Option<usize> {
    let mut end = at;
    loop {
        end = match source.get(end)? {
            b'"' | b'\'' => string_end(source, end)?,
            _ => {
                let bare = |byte: &&u8| byte.is_ascii_alphanumeric() || matches!(byte, b'_' | b'-');
                let length = source[end..].iter().take_while(bare).count();
                if length == 0 {
                    return None;
                }
                end + length
            }
        };
        let blanks = source[end..].iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
        if source.get(end + blanks) != Some(&b'.') {
            return Some(end);
        }
        let next = end + blanks + 1;
        end = next + source[next..].iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
    }
}

/// The end of the line in which all brackets and strings that begin at `start` are closed.
fn logical_end(source: &[u8], start: usize) -> Option<usize> {
    let (mut at, mut depth) = (start, 0);
    loop {
        at = next_mark(source, at, &SPECIAL);
        if at == source.len() {
            return Some(at);
        }
        match source.get(at)? {
            b'\n' if depth <= 0 => return Some(at + 1),
            b'"' | b'\'' => at = string_end(source, at)?,
            b'#' => at = memchr::memchr(b'\n', &source[at..]).map_or(source.len(), |end| at + end),
            byte => {
                depth += i32::from(matches!(byte, b'[' | b'{'));
                depth -= i32::from(matches!(byte, b']' | b'}'));
                at += 1;
            }
        }
    }
}

/// Where a remark begins in the header at `at`, or its end.
fn up_to_remark(source: &[u8], mut at: usize) -> usize {
    while let Some(byte) = source.get(at) {
        at = match byte {
            b'#' => return at,
            b'"' | b'\'' => string_end(source, at).unwrap_or(source.len()),
            _ => at + 1,
        };
    }
    source.len()
}
