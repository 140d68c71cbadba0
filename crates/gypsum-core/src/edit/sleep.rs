//! A block that stands commented out over several lines, woken whole.

use super::block::Thing;
use super::find::ends_with;
use super::place::{File, Placed};
use super::prove::Fate;
use crate::address::Address;
use crate::doc::{Document, Dormant, Kind, LeafId, dormants};
use crate::text::{Span, Splice};

/// The block called `address` that stands commented out in one of `files`, woken; none where there is none
/// or where its end is not to be found.
pub fn wake_block(files: &[File], meant: impl Fn(usize) -> bool, address: &Address) -> Option<Placed> {
    files.iter().enumerate().filter(|(n, _)| meant(*n)).find_map(|(n, file)| {
        let doc = &file.doc;
        let named = |one: &Dormant| {
            one.kind == Kind::Open && names(doc, one, address) && ends_with(doc, &doc.path(one.leaf), address)
        };
        dormants(doc).filter(named).find_map(|open| wake(doc, n, &open, address))
    })
}

fn names(doc: &Document, open: &Dormant, address: &Address) -> bool {
    let name = doc.text(open.parts.name);
    let rest = open.parts.value.raw(doc.source());
    let rest = String::from_utf8_lossy(&rest);
    let words = std::iter::once(name.as_ref()).chain(rest.split_whitespace());
    doc.dialect().same(name.as_bytes(), address.name().as_bytes())
        || words.eq(address.name().split_whitespace())
}

fn wake(doc: &Document, file: usize, open: &Dormant, address: &Address) -> Option<Placed> {
    let tree = doc.tree();
    let mut awake: Vec<u8> = Vec::new();
    let mut splices = Vec::new();
    let mut end = open.leaf;
    // The blank behind the first mark belongs to the marks of this block.
    let blank = open.mark.len() > mark_length(doc, open.leaf)?;
    for leaf in (open.leaf..tree.len()).take_while(|leaf| tree.kind(*leaf) == Kind::Comment) {
        let span = tree.span(leaf);
        let mark = mark_of(doc, leaf, blank)?;
        if !doc.family().closes_blocks() && leaf != open.leaf && !is_body(doc, mark) {
            break;
        }
        splices.push(Splice { span: mark, text: Vec::new() });
        awake.extend_from_slice(Span { start: span.start, end: mark.start }.of(doc.source()));
        awake.extend_from_slice(Span { start: mark.end, end: span.end }.of(doc.source()));
        end = leaf;
        if doc.family().closes_blocks() && things_of(doc, &awake).is_some_and(|things| is_whole(&things)) {
            break;
        }
    }
    let things = things_of(doc, &awake).filter(|things| !doc.family().closes_blocks() || is_whole(things))?;
    let asleep = Span { start: tree.span(open.leaf).start, end: tree.span(end).end };
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).trim_end().to_owned();
    let lines = Some((text(asleep.of(doc.source())), text(&awake)));
    Some(Placed {
        file,
        leaf: Some(open.leaf),
        fate: Fate::Born(things),
        splices,
        address: address.to_string(),
        lines,
    })
}

/// The length of the comment mark in leaf `leaf`, without the blank behind it.
fn mark_length(doc: &Document, leaf: LeafId) -> Option<usize> {
    let text = doc.tree().span(leaf).of(doc.source()).trim_ascii_start();
    doc.dialect().comment_mark(text).map(str::len)
}

fn mark_of(doc: &Document, leaf: LeafId, blank: bool) -> Option<Span> {
    let span = doc.tree().span(leaf);
    let bytes = span.of(doc.source());
    let lead = bytes.len() - bytes.trim_ascii_start().len();
    let length = mark_length(doc, leaf)?;
    let more = usize::from(blank && bytes.get(lead + length) == Some(&b' '));
    let start = span.start as usize + lead;
    Some(Span::new(start, start + length + more))
}

/// Whether what stands behind a mark is indented, as the body of a block is.
fn is_body(doc: &Document, mark: Span) -> bool {
    doc.source().get(mark.end as usize).is_some_and(|byte| matches!(byte, b' ' | b'\t'))
}

/// What a text reads as; none where part of it cannot be read.
pub fn things_of(doc: &Document, text: &[u8]) -> Option<Vec<Thing>> {
    let read = Document::read(text.to_vec(), doc.family(), doc.dialect().clone()).ok()?;
    let mut things = Vec::new();
    for (leaf, kind, _) in read.tree().leaves() {
        match kind {
            Kind::Setting | Kind::Open => {
                let parts = read.parts(leaf)?;
                things.push((kind, parts.name.of(read.source()).to_vec(), read.value(&parts).into_bytes()));
            }
            Kind::Close => things.push((kind, Vec::new(), Vec::new())),
            Kind::Comment | Kind::Blank => {}
            Kind::Opaque | Kind::Broken => return None,
        }
    }
    Some(things)
}

fn is_whole(things: &[Thing]) -> bool {
    let count = |wanted: Kind| things.iter().filter(|(kind, ..)| *kind == wanted).count();
    count(Kind::Open) > 0 && count(Kind::Open) == count(Kind::Close)
}
