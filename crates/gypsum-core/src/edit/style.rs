//! New text in the file's own style: indentation, separator, alignment, quotes, line ending.

use crate::doc::{Document, Family, Kind, LeafId, Parts, scalars};
use crate::text::{Span, ending_at};

/// A whole new line `name value`, or a bare name, placed behind leaf `after` (or at the start of the file), with
/// the offset at which it goes in. It looks like the setting `like`; without one, like what is in a
/// block usually does.
pub fn new_line(
    doc: &Document,
    after: Option<LeafId>,
    like: Option<LeafId>,
    name: &str,
    value: Option<&[u8]>,
) -> (usize, Vec<u8>) {
    let source = doc.source();
    let at = after.map_or(0, |leaf| doc.tree().span(leaf).end as usize);
    let open_end =
        at > 0 && source[at - 1] != b'\n' && after.is_some_and(|leaf| doc.tree().kind(leaf) != Kind::Blank);
    let separator = match like.and_then(|leaf| usual(doc, leaf)) {
        // A directive is no assignment, whatever the settings beside it are.
        _ if value.is_some() && doc.dialect().is_include(name.as_bytes()) && name.starts_with('!') => {
            " ".into()
        }
        _ if value.is_none() => Vec::new(),
        Some(parts) => separator_like(doc, &parts, name),
        None => doc.family().separator(doc.dialect()).into(),
    };
    let terminator = doc.family().terminator().as_bytes();
    let statement = match doc.family() {
        Family::Xml => element(doc, like.or(after), name, value.unwrap_or_default()),
        _ => [&written_name(doc, name, value), &separator, value.unwrap_or_default(), terminator].concat(),
    };
    if let (Family::Xml, Some(like)) = (doc.family(), like.or(after))
        && is_attribute(doc, like)
    {
        return (doc.tree().span(like).end as usize, [b" ", statement.as_slice()].concat());
    }
    if open_end && at < source.len() {
        // Several statements share a line: one more joins them.
        return (at, [b" ", statement.as_slice()].concat());
    }
    let eol = ending_at(source, at).bytes();
    let indent = match (like.and_then(|leaf| doc.parts(leaf).map(|parts| (leaf, parts))), after) {
        (Some((leaf, parts)), _) => indent(doc, leaf, &parts),
        (None, Some(after)) if doc.tree().kind(after) == Kind::Open => inner_indent(doc, after),
        // As the block before it.
        (None, Some(after)) if doc.tree().kind(after) == Kind::Close => opened_indent(doc, after),
        _ => Vec::new(),
    };
    let text = if open_end {
        [eol, &indent, &statement].concat()
    } else {
        [&indent, statement.as_slice(), eol].concat()
    };
    (at, text)
}

/// A name as the format writes it; an element of a list has its mark, and no value.
pub fn written_name(doc: &Document, name: &str, value: Option<&[u8]>) -> Vec<u8> {
    let (family, dialect) = (doc.family(), doc.dialect());
    match (family, value) {
        (Family::Json, Some(_)) => family.quote(name, b'"', dialect),
        (Family::Yaml, None) => [b"- ", name.as_bytes()].concat(),
        (Family::Yaml, Some(_)) if !scalars::is_plain(name) => family.quote(name, b'"', dialect),
        _ => name.into(),
    }
}

/// A new element of XML, or an attribute where it is beside one.
fn element(doc: &Document, beside: Option<LeafId>, name: &str, value: &[u8]) -> Vec<u8> {
    let name = name.as_bytes();
    match beside {
        Some(leaf) if is_attribute(doc, leaf) => [name, b"=\"", value, b"\""].concat(),
        _ if value.is_empty() => [b"<", name, b"/>"].concat(),
        _ => [b"<", name, b">", value, b"</", name, b">"].concat(),
    }
}

/// Whether a leaf of XML is inside a tag: an attribute, or the beginning of the tag.
fn is_attribute(doc: &Document, leaf: LeafId) -> bool {
    let source = doc.source();
    let text = doc.tree().span(leaf).of(source).trim_ascii();
    match doc.tree().kind(leaf) {
        Kind::Setting => {
            !text.starts_with(b"<") && source[..doc.tree().span(leaf).start as usize].last() != Some(&b'>')
        }
        Kind::Open => !text.ends_with(b">"),
        _ => false,
    }
}

/// How far the first line in a block is indented that `open` opens.
pub fn inner_indent(doc: &Document, open: LeafId) -> Vec<u8> {
    let own = doc.parts(open).map(|parts| indent(doc, open, &parts)).unwrap_or_default();
    [own, deeper(doc)].concat()
}

/// How far the line is indented that opens the block that `close` closes.
fn opened_indent(doc: &Document, close: LeafId) -> Vec<u8> {
    let mut blocks = doc.tree().blocks();
    let open = blocks.find(|(_, block)| block.close() == Some(close)).map(|(_, block)| block.open());
    open.and_then(|open| Some(indent(doc, open, &doc.parts(open)?))).unwrap_or_default()
}

/// How far what is inside the mark around the whole file is indented.
pub fn top_indent(doc: &Document, like: Option<LeafId>) -> Vec<u8> {
    let first =
        doc.statements().find(|(leaf, ..)| doc.tree().block_of(*leaf).is_none()).map(|(leaf, ..)| leaf);
    let like = like.or(first).and_then(|leaf| doc.parts(leaf).map(|parts| indent(doc, leaf, &parts)));
    like.unwrap_or_else(|| deeper(doc))
}

/// How much deeper than its own line the body of a block is indented, as blocks of this file show it.
pub fn deeper(doc: &Document) -> Vec<u8> {
    let of = |leaf: LeafId| doc.parts(leaf).map(|parts| indent(doc, leaf, &parts));
    let shown = doc.tree().blocks().find_map(|(id, block)| {
        let inside = (block.open() + 1)..block.end();
        let own =
            |leaf: &LeafId| doc.tree().kind(*leaf) == Kind::Setting && doc.tree().block_of(*leaf) == Some(id);
        let first = inside.into_iter().find(own)?;
        of(first)?.strip_prefix(of(block.open())?.as_slice()).map(<[u8]>::to_vec)
    });
    let flat = matches!(doc.family(), Family::Sections | Family::Toml);
    let usual: &[u8] = if doc.family().is_standard() { b"  " } else { b"    " };
    shown.unwrap_or_else(|| if flat { Vec::new() } else { usual.to_vec() })
}

fn indent(doc: &Document, leaf: LeafId, parts: &Parts) -> Vec<u8> {
    if doc.family() == Family::Yaml {
        return yaml_indent(doc, leaf, parts);
    }
    let line = doc.line_around(parts.name.start as usize).start.max(doc.tree().span(leaf).start);
    let before = Span { start: line, end: parts.name.start };
    before.of(doc.source()).iter().copied().take_while(|byte| matches!(byte, b' ' | b'\t')).collect()
}

/// The first key of an element is behind its dash, and the others below it.
fn yaml_indent(doc: &Document, leaf: LeafId, parts: &Parts) -> Vec<u8> {
    let source = doc.source();
    let start = doc.tree().span(leaf).start as usize;
    let line = doc.line_around(parts.name.start as usize).start as usize;
    let text = &source[line.min(start)..parts.name.start as usize];
    let lead = text.iter().take_while(|byte| **byte == b' ').count();
    let own_dash = line >= start && text.get(lead) == Some(&b'-');
    vec![
        b' ';
        if own_dash { lead } else { text.iter().take_while(|byte| matches!(byte, b' ' | b'-')).count() }
    ]
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
    let plain = doc.family().separator(doc.dialect()).as_bytes();
    let Some(standing) = parts.separator().map(|span| span.of(doc.source())) else {
        return plain.into();
    };
    let pad = standing.iter().take_while(|byte| **byte == b' ').count();
    if standing.is_empty() || !standing.iter().all(|byte| matches!(byte, b' ' | b'\t' | b'=' | b':')) {
        return plain.into();
    }
    if doc.family() == Family::Nested && doc.dialect().equals && !standing.contains(&b'=') {
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
pub fn separator_for(doc: &Document) -> &[u8] {
    doc.family().separator(doc.dialect()).as_bytes()
}
