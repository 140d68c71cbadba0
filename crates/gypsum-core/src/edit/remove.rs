//! A statement deleted, or commented out.

use super::ask::Edit;
use super::context::{File, ResolvedEdit};
use super::expected::Expected;
use crate::address::address_of;
use crate::doc::{Document, Family, Kind, LeafId, Parts};
use crate::finding::Finding;
use crate::text::{Span, Splice};

pub(super) fn remove(
    files: &[File],
    file: usize,
    leaf: LeafId,
    edit: &Edit,
) -> Result<ResolvedEdit, Finding> {
    let doc = &files[file].doc;
    let whole = doc.tree().span(leaf);
    let here = |finding: Finding| finding.at(&files[file].path, doc, leaf);
    let disables = matches!(edit, Edit::Disable(_));
    if disables && !has_comments(doc) {
        return Err(here(no_comments(doc)));
    }
    if let Some(finding) = last_in_block(doc, leaf) {
        return Err(here(finding));
    }
    let splices = match doc.parts(leaf) {
        Some(parts) if disables => {
            let line = doc.line_around(parts.name.start as usize);
            if line.start < whole.start || (line.end > whole.end && whole.end < doc.source().len() as u32) {
                let finding = Finding::edit_error(
                    "shares-its-line",
                    "other statements are in the same line; a comment mark would comment them out, too",
                );
                return Err(here(finding.help("give it a line of its own first, or --delete it")));
            }
            commented_out(doc, whole, statement_start(doc, &parts))
        }
        _ => vec![Splice { span: taken_out(doc, leaf), text: Vec::new() }],
    };
    let address = address_of(doc, leaf).to_string();
    Ok(ResolvedEdit { file, leaf: Some(leaf), expected: Expected::Removed, splices, address, lines: None })
}

/// What is wrong with taking a statement away that is all that its block holds, in formats in which a block that
/// holds nothing means something else.
fn last_in_block(doc: &Document, leaf: LeafId) -> Option<Finding> {
    let tree = doc.tree();
    let block = tree.block_of(leaf).filter(|_| matches!(doc.family(), Family::Yaml | Family::Xml))?;
    let range = tree.block(block);
    let mut others = (range.open() + 1..range.end()).filter(|other| *other != leaf);
    if others.any(|other| matches!(tree.kind(other), Kind::Setting | Kind::Open)) {
        return None;
    }
    let outer = address_of(doc, range.open());
    let message = format!("this is all that {outer} holds, which would be something else without it");
    Some(
        Finding::edit_error("last-in-block", message)
            .help(format!("--delete '{outer}' takes away the whole block")),
    )
}

/// What goes when a statement is deleted: the first key of an element of YAML leaves its dash to the next one.
fn taken_out(doc: &Document, leaf: LeafId) -> Span {
    let (tree, source) = (doc.tree(), doc.source());
    let whole = tree.span(leaf);
    let behind_dash = whole.start > 0 && source[whole.start as usize - 1] != b'\n';
    if doc.family() != Family::Yaml || !behind_dash {
        return whole;
    }
    let next = (leaf + 1 < tree.len()).then(|| tree.span(leaf + 1));
    match next.map(|span| (span, tree.kind(leaf + 1))) {
        Some((span, Kind::Setting | Kind::Open)) if tree.block_of(leaf + 1) == tree.block_of(leaf) => {
            let lead = span.of(source).iter().take_while(|byte| **byte == b' ').count();
            Span { start: whole.start, end: span.start + lead as u32 }
        }
        // The dash stays in a line of its own, above the comments.
        _ => Span { start: whole.start, end: whole.start + whole.of(source).trim_ascii_end().len() as u32 },
    }
}

/// Whether lines can be commented out. JSON has comments only where its daemon takes them, which a file
/// shows by having some.
pub fn has_comments(doc: &Document) -> bool {
    match doc.family() {
        Family::Json => doc.tree().leaves().any(|(leaf, kind, span)| {
            let behind = doc.parts(leaf).map_or(span.start, |parts| parts.end);
            let text = Span { start: behind, end: span.end }.of(doc.source());
            kind == Kind::Comment || text.windows(2).any(|two| matches!(two, b"//" | b"/*"))
        }),
        // Two marks, which do not nest.
        Family::Xml => false,
        _ => true,
    }
}

pub fn no_comments(doc: &Document) -> Finding {
    let message = format!("this {} file has no comments to put it in", doc.family().name());
    Finding::edit_error("no-comments", message).help("--delete it; `gypsum restore` brings it back")
}

/// Where a statement begins: at its name, or at the word before it that belongs to it.
fn statement_start(doc: &Document, parts: &Parts) -> usize {
    let line = doc.line_around(parts.name.start as usize);
    let lead = line.of(doc.source()).iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
    line.start as usize + lead
}

/// A comment mark before the name, and before every line that continues it.
fn commented_out(doc: &Document, whole: Span, name: usize) -> Vec<Splice> {
    let mark = doc.comment_mark().as_bytes();
    let body = &doc.source()[name..whole.end as usize];
    let more = memchr::memchr_iter(b'\n', body).map(|at| name + at + 1).filter(|at| *at < whole.end as usize);
    std::iter::once(name).chain(more).map(|at| Splice { span: Span::at(at), text: mark.into() }).collect()
}
