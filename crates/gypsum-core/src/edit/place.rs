//! From edits to splices, over all files of a daemon at once.

use super::anchors::shared;
use super::apply::remark;
use super::ask::Edit;
use super::block::bodies;
use super::commas::mended;
use super::context::{EditContext, File, Guide, ResolvedEdit};
use super::expected::{AllExpected, Expected};
use super::preview::{LineDiff, show};
use super::prove::prove;
use crate::doc::{Document, Family, LeafId};
use crate::finding::Finding;
use crate::text::{Span, Splice, apply, apply_within};
use std::collections::HashMap;

/// Edits that are for the same file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Batch {
    /// The only file to edit; none where all of the daemon's may be meant.
    pub only: Option<usize>,
    /// The edits.
    pub edits: Vec<Edit>,
}

/// One file with its splices.
#[derive(Clone, Debug)]
pub struct EditedFile {
    /// Which of the files.
    pub file: usize,
    /// The splices.
    pub splices: Vec<Splice>,
    /// The file that results.
    pub doc: Document,
}

impl EditedFile {
    /// The bytes that result.
    pub fn after(&self) -> &[u8] {
        self.doc.source()
    }
}

/// All edits, placed and proven.
#[derive(Clone, Debug, Default)]
pub struct Proposal {
    /// The files that change.
    pub files: Vec<EditedFile>,
    /// The edits, in the order in which they were asked for; without those that change nothing.
    pub shown: Vec<LineDiff>,
}

/// Places every edit and proves the result, or says of every edit why it does not fit. What is to be uncommented
/// is uncommented first where the other edits are about it.
pub fn propose(files: &[File], edits: &[Edit], guide: &Guide<'_>) -> Result<Proposal, Vec<Finding>> {
    propose_batches(files, &[Batch { only: guide.only, edits: edits.to_vec() }], guide)
}

/// The same for edits of which each batch is for a file of its own; what `guide` says of the only file is not asked.
pub fn propose_batches(
    files: &[File],
    batches: &[Batch],
    guide: &Guide<'_>,
) -> Result<Proposal, Vec<Finding>> {
    let edit_errors = match propose_at_once(files, batches, guide) {
        Ok(proposal) => return Ok(proposal),
        Err(edit_errors) => edit_errors,
    };
    let parted = batches.iter().map(|Batch { only, edits }| {
        let (first, rest) = edits.iter().cloned().partition(|edit| matches!(edit, Edit::Enable(_)));
        (Batch { only: *only, edits: first }, Batch { only: *only, edits: rest })
    });
    let (first, rest): (Vec<Batch>, Vec<Batch>) = parted.unzip();
    let nothing = |batches: &[Batch]| batches.iter().all(|batch| batch.edits.is_empty());
    if nothing(&first) || nothing(&rest) {
        return Err(edit_errors);
    }
    let Ok(woken) = propose_at_once(files, &first, guide) else {
        return Err(edit_errors);
    };
    let mut active = files.to_vec();
    for edited in woken.files {
        active[edited.file].doc = edited.doc;
    }
    let then = propose_at_once(&active, &rest, guide)?;
    for edited in then.files {
        active[edited.file].doc = edited.doc;
    }
    let changed = (0..files.len()).filter(|n| files[*n].doc.source() != active[*n].doc.source());
    let files = changed.map(|n| difference(n, files[n].doc.source(), active[n].doc.clone())).collect();
    Ok(Proposal { files, shown: [woken.shown, then.shown].concat() })
}

/// Two versions of a file as one splice: from where they begin to differ to where they are the same again.
fn difference(file: usize, before: &[u8], doc: Document) -> EditedFile {
    let after = doc.source();
    let start = before.iter().zip(after).take_while(|(a, b)| a == b).count();
    let tail =
        before[start..].iter().rev().zip(after[start..].iter().rev()).take_while(|(a, b)| a == b).count();
    let text = after[start..after.len() - tail].to_vec();
    let splices = vec![Splice { span: Span::new(start, before.len() - tail), text }];
    EditedFile { file, splices, doc }
}

fn propose_at_once(files: &[File], batches: &[Batch], guide: &Guide<'_>) -> Result<Proposal, Vec<Finding>> {
    let mut placed: Vec<ResolvedEdit> = Vec::new();
    let mut edit_errors = Vec::new();
    // Those that may collide with another one, by the leaf that they are about.
    let mut by_leaf: HashMap<(usize, Option<LeafId>), Vec<usize>> = HashMap::new();
    for Batch { only, edits } in batches {
        let guide = Guide { only: *only, ..*guide };
        let context = EditContext { files, edits, guide: &guide, edit: None };
        for (edit, body) in bodies(edits) {
            match context.place(edit, &body) {
                Ok(some) => {
                    for one in some {
                        edit_errors.extend(shared(files, &one));
                        let others = by_leaf.entry((one.file, one.leaf)).or_default();
                        if others.iter().any(|other| collides(&placed[*other], &one)) {
                            edit_errors.push(overlap(&one));
                        } else {
                            others.push(placed.len());
                            placed.push(one);
                        }
                    }
                }
                Err(finding) => edit_errors.push(finding),
            }
        }
    }
    if !edit_errors.is_empty() {
        return Err(edit_errors);
    }
    if let (Some(text), Some(first)) = (guide.remark, placed.first_mut()) {
        remark(&files[first.file].doc, first, text).map_err(|finding| vec![finding])?;
    }
    let mut proposal = Proposal::default();
    for (n, file) in files.iter().enumerate() {
        let here: Vec<&ResolvedEdit> = placed.iter().filter(|one| one.file == n).collect();
        if !here.is_empty() {
            proposal.files.push(finish(n, file, &here).map_err(|finding| vec![finding])?);
        }
    }
    let beside = |one: &ResolvedEdit| -> Vec<Splice> {
        if one.expected != Expected::Part {
            return one.splices.clone();
        }
        let same = by_leaf.get(&(one.file, one.leaf)).into_iter().flatten().map(|other| &placed[*other]);
        let parts = same.filter(|other| other.expected == Expected::Part);
        parts.flat_map(|other| other.splices.iter().cloned()).collect()
    };
    proposal.shown = placed.iter().map(|one| show(files, one, &beside(one))).collect();
    // Two edits of one value are one line to the eye.
    proposal
        .shown
        .dedup_by(|a, b| a.file == b.file && a.line == b.line && a.before == b.before && a.after == b.after);
    Ok(proposal)
}

fn collides(a: &ResolvedEdit, b: &ResolvedEdit) -> bool {
    let born = |one: &ResolvedEdit| matches!(one.expected, Expected::Inserted { .. });
    let same_line = a.leaf == b.leaf && a.leaf.is_some();
    a.file == b.file
        && match (born(a), born(b)) {
            (true, true) => a.address == b.address && a.splices == b.splices,
            (false, false) => {
                same_line && !(a.expected == Expected::Part && b.expected == Expected::Part && apart(a, b))
            }
            _ => false,
        }
}

/// Whether two edits of parts of one value touch different parts.
fn apart(a: &ResolvedEdit, b: &ResolvedEdit) -> bool {
    a.splices.iter().all(|one| {
        let clear = |other: &Splice| one.span.end <= other.span.start || other.span.end <= one.span.start;
        b.splices.iter().all(clear)
    })
}

fn overlap(one: &ResolvedEdit) -> Finding {
    Finding::edit_error("twice", "two edits of this change are about the same line")
        .about(&one.address)
        .help("ask for each setting once")
}

fn finish(n: usize, file: &File, here: &[&ResolvedEdit]) -> Result<EditedFile, Finding> {
    let splices: Vec<Splice> = here.iter().flat_map(|one| one.splices.iter().cloned()).collect();
    let whole: Vec<(Option<LeafId>, Expected)> =
        here.iter().map(|one| (one.leaf, fate_of(file, one, here))).collect();
    let all_expected: AllExpected<'_> = whole.iter().map(|(leaf, expected)| (*leaf, expected)).collect();
    let after = apply(file.doc.source(), &splices).ok_or_else(|| {
        Finding::edit_error("twice", "two edits of this change overlap").in_file(&file.path)
    })?;
    let after = match file.doc.family() {
        Family::Json => mended(&file.doc, &splices, after),
        _ => after,
    };
    let doc = prove(file, &all_expected, after)?;
    Ok(EditedFile { file: n, splices, doc })
}

/// The fate of one edit; where it is about a part of a value, the value with all its parts changed.
fn fate_of(file: &File, one: &ResolvedEdit, here: &[&ResolvedEdit]) -> Expected {
    let Some(parts) =
        one.leaf.filter(|_| one.expected == Expected::Part).and_then(|leaf| file.doc.parts(leaf))
    else {
        return one.expected.clone();
    };
    let same = |other: &&&ResolvedEdit| other.leaf == one.leaf && other.expected == Expected::Part;
    let splices: Vec<Splice> =
        here.iter().filter(same).flat_map(|other| other.splices.iter().cloned()).collect();
    let becomes = |piece: Span| apply_within(file.doc.source(), piece, &splices);
    let pieces: Vec<Vec<u8>> = parts.value.iter().map(becomes).filter(|piece| !piece.is_empty()).collect();
    Expected::Set(file.doc.family().meaning(&pieces.join(&b' '), file.doc.dialect()).into_owned())
}
