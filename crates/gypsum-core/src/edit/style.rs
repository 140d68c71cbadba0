//! New text in the file's own style: indentation, separator, alignment, quotes, line ending.

use crate::doc::{Document, Kind, LeafId, Parts};
use crate::finding::Finding;
use crate::text::{Span, ending_at};

/// `value` as it is to stand in the file, `like` the raw value that stood there before.
pub fn quoted(doc: &Document, value: &str, like: Option<&[u8]>) -> Result<Vec<u8>, Finding> {
    if let Some(bad) = value.chars().find(|c| c.is_control() && *c != '\t') {
        return Err(Finding::misfit(
            "control-character",
            format!("the value holds the control character {:?}, which would end the line", bad),
        )
        .mend("leave the line break or control character out of the value"));
    }
    let dialect = doc.dialect();
    let standing = like.and_then(|raw| raw.first().copied()).filter(|quote| {
        dialect.is_quote(*quote) && like.is_some_and(|raw| raw.len() > 1 && raw.last() == Some(quote))
    });
    let own_quotes = value.bytes().next().is_some_and(|byte| dialect.is_quote(byte));
    let needs = value.trim() != value || value.is_empty() && standing.is_some() || holds_comment(doc, value);
    let quote = match standing {
        Some(quote) if !own_quotes && !value.as_bytes().contains(&quote) => Some(quote),
        _ if needs && !own_quotes => {
            let free = dialect.quotes.bytes().find(|quote| !value.as_bytes().contains(quote));
            Some(free.ok_or_else(|| {
                Finding::misfit(
                    "needs-quotes",
                    format!("{value:?} cannot be written in this format without being cut short"),
                )
                .mend("take the blanks at its ends or the comment mark out of the value")
            })?)
        }
        _ => None,
    };
    let mut out = Vec::with_capacity(value.len() + 2);
    out.extend(quote);
    out.extend_from_slice(value.as_bytes());
    out.extend(quote);
    Ok(out)
}

fn holds_comment(doc: &Document, value: &str) -> bool {
    doc.dialect().inline_comments.iter().any(|mark| {
        value.match_indices(mark.as_str()).any(|(at, _)| at == 0 || value[..at].ends_with([' ', '\t']))
    })
}

/// A whole new line `name value`, placed behind leaf `after` (or at the start of the file), with
/// the offset at which it goes in. It looks like the setting `like`.
pub fn new_line(
    doc: &Document,
    after: Option<LeafId>,
    like: Option<LeafId>,
    name: &str,
    value: &[u8],
) -> (usize, Vec<u8>) {
    let source = doc.source();
    let at = after.map_or(0, |leaf| doc.tree().span(leaf).end as usize);
    let eol = ending_at(source, at).bytes();
    let open_end =
        at > 0 && source[at - 1] != b'\n' && after.is_some_and(|leaf| doc.tree().kind(leaf) != Kind::Blank);
    let mut text = Vec::new();
    if open_end {
        text.extend_from_slice(eol);
    }
    let indent =
        like.and_then(|leaf| doc.parts(leaf).map(|parts| indent(doc, leaf, &parts))).unwrap_or_default();
    let separator = match like.and_then(|leaf| usual(doc, leaf)) {
        Some(parts) => separator_like(doc, &parts, name),
        None => doc.family().separator().into(),
    };
    text.extend_from_slice(&indent);
    text.extend_from_slice(name.as_bytes());
    text.extend_from_slice(&separator);
    text.extend_from_slice(value);
    if !open_end {
        text.extend_from_slice(eol);
    }
    (at, text)
}

fn indent(doc: &Document, leaf: LeafId, parts: &Parts) -> Vec<u8> {
    let before = Span { start: doc.tree().span(leaf).start, end: parts.name.start };
    before.of(doc.source()).iter().copied().filter(|byte| matches!(byte, b' ' | b'\t')).collect()
}

/// Of the settings around `leaf` in its block, the nearest that is separated as most of them are.
fn usual(doc: &Document, leaf: LeafId) -> Option<Parts> {
    let block = doc.tree().block_of(leaf);
    let around = (0..=leaf)
        .rev()
        .filter(|id| doc.tree().kind(*id) == Kind::Setting && doc.tree().block_of(*id) == block);
    let near: Vec<Parts> = around.take(12).filter_map(|id| doc.parts(id)).collect();
    let shape = |parts: &Parts| {
        let text = parts.separator().map(|span| span.of(doc.source())).unwrap_or_default();
        (text.contains(&b'\t'), text.contains(&b'='), text.starts_with(b"  "))
    };
    let votes = |parts: &&Parts| near.iter().filter(|other| shape(other) == shape(parts)).count();
    // The first of equals is the nearest.
    near.iter().rev().max_by_key(votes).cloned()
}

/// The neighbour's separator; where it is padded to a column, padded so for `name`.
fn separator_like(doc: &Document, parts: &Parts, name: &str) -> Vec<u8> {
    let plain = doc.family().separator().as_bytes();
    let Some(standing) = parts.separator().map(|span| span.of(doc.source())) else {
        return plain.into();
    };
    let pad = standing.iter().take_while(|byte| **byte == b' ').count();
    if standing.is_empty() || !standing.iter().all(|byte| matches!(byte, b' ' | b'\t' | b'=')) {
        return plain.into();
    }
    if pad < 2 {
        return standing.into();
    }
    let column = parts.name.len() + pad;
    let mut out = vec![b' '; column.saturating_sub(name.len()).max(1)];
    out.extend_from_slice(&standing[pad..]);
    out
}

/// What goes between a bare name and the value that it is given.
pub fn separator_for(doc: &Document) -> &'static [u8] {
    doc.family().separator().as_bytes()
}
