//! A whole block removed or commented out.

use super::ask::Edit;
use super::context::{EditContext, Resolution, ResolvedEdit};
use super::edit_error::{ambiguous, element_or_whole};
use super::expected::Expected;
use super::find::blocks_named;
use super::remove::{has_comments, no_comments};
use crate::address::{Address, address_of};
use crate::doc::{BlockId, Document, Kind, LeafId};
use crate::finding::Finding;
use crate::text::{Span, Splice, apply_within, line_span};

impl EditContext<'_> {
    /// The edit as one of the block that `address` names; none where it names none.
    pub(super) fn block(&self, edit: &Edit, address: &Address) -> Resolution {
        let mut blocks = blocks_named(self.files, address);
        blocks.retain(|(n, _)| self.is_meant(*n));
        let unclear =
            |(n, block): &(usize, BlockId)| element_or_whole(&self.files[*n], address, *block, edit);
        if let Some(finding) = blocks.iter().find_map(unclear) {
            return Err(finding);
        }
        let (n, block) = match blocks.as_slice() {
            [] => return Ok(None),
            [one] => *one,
            several => {
                let open =
                    |(n, block): &(usize, BlockId)| (*n, self.files[*n].doc.tree().block(*block).open());
                return Err(ambiguous(
                    self.files,
                    address,
                    &several.iter().map(open).collect::<Vec<_>>(),
                    self.guide,
                    Some(edit),
                ));
            }
        };
        let doc = &self.files[n].doc;
        let open = doc.tree().block(block).open();
        let end = end_of(doc, block);
        let whole = Span { start: doc.tree().span(open).start, end: doc.tree().span(end - 1).end };
        let commented = matches!(edit, Edit::Disable(_));
        let splices = if commented {
            let here = |finding: Finding| finding.about(address).at(&self.files[n].path, doc, open);
            commented_out(doc, open, whole).map_err(here)?
        } else {
            vec![Splice { span: whole, text: Vec::new() }]
        };
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).trim_matches(['\r', '\n']).to_owned();
        let before = text(whole.of(doc.source()));
        let after = apply_within(doc.source(), whole, &splices);
        let lines = commented.then(|| (before, text(&after)));
        let address = address_of(doc, open).to_string();
        Ok(Some(vec![ResolvedEdit {
            file: n,
            leaf: Some(open),
            expected: Expected::RemovedTill(end),
            splices,
            address,
            lines,
        }]))
    }
}

/// One past the last leaf of a block; what introduces the next group is not part of one that has no mark.
fn end_of(doc: &Document, block: BlockId) -> LeafId {
    let tree = doc.tree();
    let range = tree.block(block);
    if range.close().is_some() {
        return range.end();
    }
    let counts = |leaf: &LeafId| !matches!(tree.kind(*leaf), Kind::Comment | Kind::Blank);
    (range.open()..range.end()).rev().find(counts).map_or(range.end(), |last| last + 1)
}

/// A mark in each line, under the one before the opening statement.
fn commented_out(doc: &Document, open: LeafId, whole: Span) -> Result<Vec<Splice>, Finding> {
    let source = doc.source();
    if !has_comments(doc) {
        return Err(no_comments(doc));
    }
    let name = doc.parts(open).map_or(whole.start, |parts| parts.name.start);
    let first = line_span(source, name as usize);
    let behind = source[..whole.end as usize].last() == Some(&b'\n') || whole.end as usize == source.len();
    let before = Span { start: first.start, end: whole.start.max(first.start) };
    if !behind || !before.of(source).trim_ascii().is_empty() {
        return Err(Finding::edit_error("shares-its-line", "other statements are in the same lines")
            .help("give it lines of its own first, or --delete it"));
    }
    let blanks = |line: &[u8]| line.iter().take_while(|byte| matches!(byte, b' ' | b'\t')).count();
    let column = blanks(first.of(source));
    let mark = doc.comment_mark().as_bytes();
    let mut splices = Vec::new();
    let mut at = first.start as usize;
    while at < whole.end as usize {
        let line = line_span(source, at);
        let place = at + blanks(line.of(source)).min(column);
        splices.push(Splice { span: Span::at(place), text: mark.into() });
        at = memchr::memchr(b'\n', &source[at..]).map_or(source.len(), |end| at + end + 1);
    }
    Ok(splices)
}
