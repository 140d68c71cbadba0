//! `properties`: Java's, as java.util.Properties has them: `key=value`, `key: value`, `key value`;
//! `#` and `!` begin comments; a backslash at the end continues a line.

use super::scan::{Lines, is_blank, line_end, trim};
use super::{Dialect, Kind, Parts, Pieces, Tree};
use crate::text::Span;

pub fn read(source: &[u8], dialect: &Dialect) -> Tree {
    let extend = |source: &[u8], start, end, kind| {
        if kind == Kind::Setting { extent(source, start, end) } else { end }
    };
    Lines { kind_of: |text: &[u8], _| kind_of(text, dialect), extend, nested: false }.read(source)
}

/// A line goes on behind an odd number of backslashes: an even number stands for themselves.
fn goes_on(line: &[u8]) -> bool {
    let text = line.strip_suffix(b"\n").map_or(line, |line| line.strip_suffix(b"\r").unwrap_or(line));
    text.iter().rev().take_while(|byte| **byte == b'\\').count() % 2 == 1
}

fn extent(source: &[u8], start: usize, mut end: usize) -> usize {
    let mut line = start;
    while end < source.len() && goes_on(&source[line..end]) {
        line = end;
        end = line_end(source, end);
    }
    end
}

/// The kind of a line that begins with `text`.
pub fn kind_of(text: &[u8], dialect: &Dialect) -> Kind {
    match text.first() {
        _ if dialect.comment_mark(text).is_some() => Kind::Comment,
        // An empty name is allowed and cannot be addressed.
        Some(b'=' | b':') => Kind::Opaque,
        _ => Kind::Setting,
    }
}

pub fn split(source: &[u8], span: Span) -> Option<Parts> {
    let text = trim(source, span);
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
    let mut value = Pieces::default();
    let mut at = text.start as usize + gap;
    loop {
        let end = line_end(source, at).min(text.end as usize);
        let on = end < text.end as usize && goes_on(&source[at..end]);
        let piece = trim(source, Span::new(at, end));
        value.push(Span { start: piece.start, end: piece.end - u32::from(on && !piece.is_empty()) });
        if !on {
            break;
        }
        at = end;
    }
    Some(Parts { name, value, end: text.end })
}
