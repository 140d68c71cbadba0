//! The commas of JSON: after an edit, each member but the last has one behind it, and the last has one only
//! where the file had such commas.

use crate::doc::mark_length;
use crate::text::{Span, Splice, apply};

#[derive(Clone, Copy, PartialEq)]
enum Last {
    /// A bracket that opens, a colon, or nothing yet.
    Open,
    /// A value that ends there.
    Value(usize),
    /// A comma that stands there.
    Comma(usize),
}

/// `after` with the commas that the edits left missing or over, `before` being the file as it was.
pub fn mended(before: &[u8], after: Vec<u8>) -> Vec<u8> {
    let trailing = scan(before, true).iter().any(|splice| !splice.span.is_empty());
    let splices = scan(&after, !trailing);
    if splices.is_empty() { after } else { apply(&after, &splices).unwrap_or(after) }
}

/// The commas to be put in and, where the last member has none, to be taken out.
fn scan(source: &[u8], none_last: bool) -> Vec<Splice> {
    let mut splices = Vec::new();
    let mut last = Last::Open;
    // Not the mark of its encoding.
    let mut at = mark_length(source);
    let gone = |at: usize| Splice { span: Span::new(at, at + 1), text: Vec::new() };
    while let Some(byte) = source.get(at).copied() {
        let begins = !matches!(byte, b']' | b'}' | b',' | b':') && !byte.is_ascii_whitespace();
        if source[at..].starts_with(b"//") {
            at = memchr::memchr(b'\n', &source[at..]).map_or(source.len(), |end| at + end);
            continue;
        }
        if source[at..].starts_with(b"/*") {
            at = memchr::memmem::find(&source[at + 2..], b"*/").map_or(source.len(), |end| at + end + 4);
            continue;
        }
        if begins && let Last::Value(end) = last {
            splices.push(Splice { span: Span::at(end), text: b",".into() });
        }
        let next = if begins { token_end(source, at) } else { at + 1 };
        last = match byte {
            b'[' | b'{' | b':' => Last::Open,
            b']' | b'}' => {
                if let (Last::Comma(comma), true) = (last, none_last) {
                    splices.push(gone(comma));
                }
                Last::Value(next)
            }
            b',' => match last {
                Last::Value(_) => Last::Comma(at),
                // The member before it is gone.
                Last::Open | Last::Comma(_) => {
                    splices.push(gone(at));
                    last
                }
            },
            _ if begins => Last::Value(next),
            _ => last,
        };
        at = next;
    }
    splices
}

fn token_end(source: &[u8], at: usize) -> usize {
    let mut end = at + 1;
    match source[at] {
        b'[' | b'{' => end,
        b'"' => {
            while let Some(byte) = source.get(end) {
                end += if *byte == b'\\' { 2 } else { 1 };
                if *byte == b'"' {
                    break;
                }
            }
            end.min(source.len())
        }
        _ => {
            let over = |byte: &u8| byte.is_ascii_whitespace() || b",:]}\"[{/".contains(byte);
            end + source[end..].iter().position(over).unwrap_or(source.len() - end)
        }
    }
}
