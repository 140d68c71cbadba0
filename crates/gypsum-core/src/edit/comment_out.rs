//! What is commented out over several lines, uncommented as a whole: a block, or a setting that goes on below
//! its first line.

use super::block::Thing;
use super::context::{File, ResolvedEdit};
use super::expected::{Expected, Within};
use super::find::ends_with;
use crate::address::Address;
use crate::doc::{CommentedOut, Document, Kind, LeafId, all_commented_out};
use crate::text::{Span, Splice};

/// The block called `address` that is commented out in one of `files`, uncommented; none where there is none
/// or where its end is not to be found.
pub fn uncomment_block(
    files: &[File],
    meant: impl Fn(usize) -> bool,
    address: &Address,
) -> Option<ResolvedEdit> {
    files.iter().enumerate().filter(|(n, _)| meant(*n)).find_map(|(n, file)| {
        let doc = &file.doc;
        let named = |one: &CommentedOut| {
            one.kind == Kind::Open && names(doc, one, address) && ends_with(doc, &doc.path(one.leaf), address)
        };
        all_commented_out(doc).filter(named).find_map(|open| uncomment(doc, n, &open, address))
    })
}

fn names(doc: &Document, open: &CommentedOut, address: &Address) -> bool {
    let name = doc.text(open.parts.name);
    let rest = open.parts.value.raw(doc.source());
    let rest = String::from_utf8_lossy(&rest);
    let words = std::iter::once(name.as_ref()).chain(rest.split_whitespace());
    doc.dialect().same(name.as_bytes(), address.name().as_bytes())
        || words.eq(address.name().split_whitespace())
}

fn uncomment(doc: &Document, file: usize, open: &CommentedOut, address: &Address) -> Option<ResolvedEdit> {
    let tree = doc.tree();
    let mut active = Uncommented::of(doc, open)?;
    for leaf in (open.leaf + 1..tree.len()).take_while(|leaf| tree.kind(*leaf) == Kind::Comment) {
        if doc.family().closes_blocks() {
            if things_of(doc, &active.text).is_some_and(|things| is_whole(&things)) {
                break;
            }
        } else if !is_body(doc, mark_of(doc, leaf, active.blank)?) {
            break;
        }
        active.line(leaf)?;
    }
    let things =
        things_of(doc, &active.text).filter(|things| !doc.family().closes_blocks() || is_whole(things))?;
    Some(ResolvedEdit {
        file,
        leaf: Some(open.leaf),
        expected: Expected::Inserted { things, within: Within::AsWritten },
        lines: Some(active.lines()),
        splices: active.splices,
        address: address.to_string(),
    })
}

/// Lines that are commented out, one below the other, and what they are without their marks.
#[derive(Clone)]
pub struct Uncommented<'a> {
    doc: &'a Document,
    /// Whether the blank behind the first mark belongs to the marks.
    blank: bool,
    commented: Span,
    text: Vec<u8>,
    /// Takes the marks away.
    pub splices: Vec<Splice>,
}

impl<'a> Uncommented<'a> {
    fn of(doc: &'a Document, first: &CommentedOut) -> Option<Self> {
        let blank = first.mark.len() > mark_length(doc, first.leaf)?;
        let commented = Span::at(doc.tree().span(first.leaf).start as usize);
        let mut active = Self { doc, blank, commented, text: Vec::new(), splices: Vec::new() };
        active.line(first.leaf)?;
        Some(active)
    }

    fn line(&mut self, leaf: LeafId) -> Option<()> {
        let span = self.doc.tree().span(leaf);
        let mark = mark_of(self.doc, leaf, self.blank)?;
        self.splices.push(Splice { span: mark, text: Vec::new() });
        for kept in [Span { start: span.start, end: mark.start }, Span { start: mark.end, end: span.end }] {
            self.text.extend_from_slice(kept.of(self.doc.source()));
        }
        self.commented.end = span.end;
        Some(())
    }

    /// What they say now, and what they say once they are awake.
    pub fn lines(&self) -> (String, String) {
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).trim_end().to_owned();
        (text(self.commented.of(self.doc.source())), text(&self.text))
    }
}

/// All lines of a commented-out setting that goes on below its first, and the value that it has with them; none
/// where it is a line of its own.
pub fn longer<'a>(doc: &'a Document, commented_out: &CommentedOut) -> Option<(Uncommented<'a>, String)> {
    let tree = doc.tree();
    let mut active = Uncommented::of(doc, commented_out)?;
    let mut found = None;
    for leaf in (commented_out.leaf + 1..tree.len()).take_while(|leaf| tree.kind(*leaf) == Kind::Comment) {
        let start = active.text.len();
        active.line(leaf)?;
        match read_from(doc, &active.text, start) {
            GoesOn::Till(value) => found = Some((active.clone(), value)),
            GoesOn::Open => {}
            GoesOn::No if is_idle(doc, &active.text[start..]) => {}
            GoesOn::No => break,
        }
    }
    found
}

/// Whether the setting that a text begins with goes on in its last line.
enum GoesOn {
    /// It does, and has this value.
    Till(String),
    /// It is not at its end there.
    Open,
    No,
}

fn read_from(doc: &Document, text: &[u8], last: usize) -> GoesOn {
    // Prose has one blank behind its mark, so it does not make a line go on.
    let (above, line) = text.split_at(last);
    let line = match line {
        [b' ', rest @ ..] if rest.first().is_some_and(|byte| !byte.is_ascii_whitespace()) => rest,
        line => line,
    };
    // Not at the start of a file, where a mark of its encoding could stand.
    let text = [b"\n", above, line].concat();
    let Ok(read) = Document::read(text, doc.family(), doc.dialect().clone()) else {
        return GoesOn::No;
    };
    match read.tree().leaves().find(|(_, kind, _)| *kind != Kind::Blank) {
        Some((leaf, Kind::Setting, span)) if span.end as usize > last + 1 => {
            read.parts(leaf).map_or(GoesOn::No, |parts| GoesOn::Till(read.value(&parts)))
        }
        Some((_, Kind::Broken | Kind::Opaque, _)) => GoesOn::Open,
        _ => GoesOn::No,
    }
}

/// Whether a line says nothing by itself, as those between the lines of a value may.
fn is_idle(doc: &Document, line: &[u8]) -> bool {
    let text = line.trim_ascii();
    text.is_empty() || doc.dialect().comment_mark(text).is_some()
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

/// Whether what is behind a mark is indented, as the body of a block is.
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
    things.iter().any(|(kind, ..)| *kind == Kind::Open) && is_balanced(things)
}

/// Whether each block that begins in these ends in them, and none ends that does not begin.
pub fn is_balanced(things: &[Thing]) -> bool {
    let mut depth = 0_usize;
    for (kind, ..) in things {
        depth = match (kind, depth) {
            (Kind::Open, _) => depth + 1,
            (Kind::Close, 0) => return false,
            (Kind::Close, _) => depth - 1,
            _ => depth,
        };
    }
    depth == 0
}
