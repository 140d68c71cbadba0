//! The commas of JSON: after an edit, each member but the last has one behind it (RFC 8259).

use crate::doc::{Document, Kind, LeafId, mark_length};
use crate::text::{Span, Splice, apply};
use std::ops::Range;

#[derive(Clone, Copy, PartialEq)]
enum Last {
    /// A bracket that opens, a colon, or nothing yet.
    Open,
    /// A value that ends there.
    Value(usize),
    /// A comma that is there.
    Comma(usize),
}

/// `after` with the commas that the edits left missing or over, `before` being the file as it was.
pub fn mended(before: &Document, edits: &[Splice], after: Vec<u8>) -> Vec<u8> {
    // A part that begins inside a comment cannot be told from one that does not.
    let may_have_comments = !before.dialect().comments.is_empty();
    let windows =
        if may_have_comments { vec![Range { start: 0, end: after.len() }] } else { windows(before, edits) };
    let splices: Vec<Splice> = windows.into_iter().flat_map(|window| scan(&after, window)).collect();
    if splices.is_empty() { after } else { apply(&after, &splices).unwrap_or(after) }
}

/// The parts of the edited file in which commas may be missing or over: around each edit, from the statement before it
/// to the beginning of the one behind it.
fn windows(before: &Document, edits: &[Splice]) -> Vec<Range<usize>> {
    let (tree, source) = (before.tree(), before.source());
    let says = |leaf: &LeafId| matches!(tree.kind(*leaf), Kind::Setting | Kind::Open | Kind::Close);
    let mut sorted: Vec<&Splice> = edits.iter().collect();
    sorted.sort_by_key(|splice| (splice.span.start, splice.span.end));
    let mut windows: Vec<Range<usize>> = Vec::new();
    let (mut moved, mut end_before) = (0isize, 0);
    for splice in sorted {
        let span = splice.span;
        let at = tree.leaf_at(span.start).unwrap_or(0);
        let first = (0..=at).rev().find(|leaf| says(leaf) && tree.span(*leaf).end <= span.start);
        let start = first.map_or(0, |leaf| tree.span(leaf).start);
        let behind = (at..tree.len()).find(|leaf| {
            let own = tree.span(*leaf);
            own.start >= span.end && (says(leaf) || tree.kind(*leaf) == Kind::Opaque)
        });
        let end = behind.map_or(source.len(), |leaf| {
            let text = tree.span(leaf).of(source);
            tree.span(leaf).start as usize + (text.len() - text.trim_ascii_start().len() + 1).min(text.len())
        });
        // What another edit changed is no place to begin at.
        let place = |at: usize, moved: isize| at.checked_add_signed(moved).unwrap_or(0);
        let begin = place(start as usize, moved);
        let overlaps = start < end_before && !windows.is_empty();
        moved += splice.text.len() as isize - span.len() as isize;
        let end = place(end, moved);
        match windows.last_mut() {
            Some(last) if overlaps || last.end >= begin => last.end = last.end.max(end),
            _ => windows.push(begin..end),
        }
        end_before = span.end;
    }
    windows
}

/// The commas to be put in and to be taken out, in a part that begins with a statement.
fn scan(source: &[u8], part: Range<usize>) -> Vec<Splice> {
    let mut splices = Vec::new();
    let mut last = Last::Open;
    // Not the mark of its encoding.
    let mut at = part.start.max(mark_length(source));
    let gone = |at: usize| Splice { span: Span::new(at, at + 1), text: Vec::new() };
    while let Some(byte) = source.get(at).copied().filter(|_| at < part.end) {
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
                if let Last::Comma(comma) = last {
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
