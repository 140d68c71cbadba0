//! `properties`: Java's, as java.util.Properties has them: `key=value`, `key: value`, `key value`;
//! `#` and `!` begin comments; a backslash at the end continues a line.

use super::format::{Format, texts};
use super::scan::{Lines, is_blank, line_end};
use super::{Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;
use std::borrow::Cow;

/// The format.
pub(super) struct Properties;

impl Format for Properties {
    fn plain_dialect(&self) -> Dialect {
        Dialect { comments: texts(&["#", "!"]), quotes: String::new(), ..Dialect::default() }
    }

    fn read(&self, source: &[u8], dialect: &Dialect) -> Tree {
        let extend = |source: &[u8], start, end, kind| {
            if kind == Kind::Setting { extent(source, start, end) } else { end }
        };
        Lines { kind_of: |text: &[u8], _| Properties.kind_of(text, dialect), extend, nested: false }
            .read(source)
    }

    fn split(&self, source: &[u8], _: Kind, span: Span, _: &Dialect) -> Option<Parts> {
        let text = trim_line(source, span);
        let bytes = text.of(source);
        let mut escaped = false;
        let name_length = bytes
            .iter()
            .position(|byte| {
                let ends = !escaped && (is_blank(*byte) || matches!(byte, b'=' | b':'));
                escaped = *byte == b'\\' && !escaped;
                ends
            })
            .unwrap_or(bytes.len());
        let blanks = |from: usize| bytes[from..].iter().take_while(|byte| is_blank(**byte)).count();
        let mut gap = name_length + blanks(name_length);
        let mut bare = gap == bytes.len();
        if matches!(bytes.get(gap), Some(b'=' | b':')) {
            gap += 1;
            gap += blanks(gap);
            bare = false;
        }
        let name = Span { start: text.start, end: text.start + name_length as u32 };
        if bare {
            return (name_length > 0).then(|| Parts { name, value: Pieces::default(), end: name.end });
        }
        let mut value = Pieces::glued();
        let mut at = text.start as usize + gap;
        loop {
            let end = line_end(source, at).min(text.end as usize);
            let on = end < text.end as usize && continues(&source[at..end]);
            let line = Span::new(at, end).of(source);
            let lead = line.iter().take_while(|byte| matches!(byte, b' ' | b'\t' | 0x0c)).count();
            let ended = line.strip_suffix(b"\n").unwrap_or(line);
            let ended = ended.strip_suffix(b"\r").unwrap_or(ended).len();
            // Blanks at its end belong to a value.
            let stop = (at + ended - usize::from(on)).max(at + lead);
            value.push(Span::new(at + lead, stop));
            if !on {
                break;
            }
            at = end;
        }
        Some(Parts { name, value, end: text.end })
    }

    /// The kind of a line that begins with `text`.
    fn kind_of(&self, text: &[u8], dialect: &Dialect) -> Kind {
        match text.first() {
            _ if dialect.comment_mark(text).is_some() => Kind::Comment,
            // An empty name is allowed and cannot be addressed.
            Some(b'=' | b':') => Kind::Opaque,
            _ => Kind::Setting,
        }
    }

    fn separator<'a>(&self, _: &'a Dialect) -> &'a str {
        "="
    }

    fn meaning<'a>(&self, raw: &'a [u8], _: &Dialect) -> Cow<'a, [u8]> {
        meaning(raw)
    }

    fn may_be_value(&self, value: &str) -> bool {
        !value.contains(' ')
    }

    fn endings(&self) -> &'static [&'static str] {
        &["properties"]
    }
}

/// A line goes on behind an odd number of backslashes: an even number stands for themselves.
fn continues(line: &[u8]) -> bool {
    let text = line.strip_suffix(b"\n").map_or(line, |line| line.strip_suffix(b"\r").unwrap_or(line));
    text.iter().rev().take_while(|byte| **byte == b'\\').count() % 2 == 1
}

fn extent(source: &[u8], start: usize, mut end: usize) -> usize {
    let mut line = start;
    while end < source.len() && continues(&source[line..end]) {
        line = end;
        end = line_end(source, end);
    }
    end
}

/// What a raw value means (java.util.Properties, load).
fn meaning(raw: &[u8]) -> Cow<'_, [u8]> {
    if !raw.contains(&b'\\') {
        return Cow::Borrowed(raw);
    }
    let mut out = Vec::with_capacity(raw.len());
    let mut at = 0;
    while let Some(byte) = raw.get(at) {
        let next = raw.get(at + 1).filter(|_| *byte == b'\\');
        let named = match next {
            None => {
                out.push(*byte);
                at += 1;
                continue;
            }
            Some(b'u') => {
                let digits = raw.get(at + 2..at + 6).and_then(|digits| std::str::from_utf8(digits).ok());
                let c =
                    digits.and_then(|digits| u32::from_str_radix(digits, 16).ok()).and_then(char::from_u32);
                if let Some(c) = c {
                    out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes());
                    at += 6;
                    continue;
                }
                b'u'
            }
            Some(b't') => b'\t',
            Some(b'n') => b'\n',
            Some(b'r') => b'\r',
            Some(b'f') => 0x0c,
            Some(other) => *other,
        };
        out.push(named);
        at += 2;
    }
    Cow::Owned(out)
}

/// The statement without the blanks before it and the end of its line.
fn trim_line(source: &[u8], span: Span) -> Span {
    let bytes = span.of(source);
    let lead = bytes.iter().take_while(|byte| is_blank(**byte)).count();
    let trail = bytes[lead..].iter().rev().take_while(|byte| matches!(byte, b'\r' | b'\n')).count();
    Span { start: span.start + lead as u32, end: span.end - trail as u32 }
}
