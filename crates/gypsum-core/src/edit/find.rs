//! Finding what an address means: active or commented out, in which file.

use super::context::File;
use crate::address::{Address, means_block};
use crate::doc::{BlockId, CommentedOut, Document, Kind, LeafId, Parts, all_commented_out};
use std::collections::HashMap;

/// A leaf of one of the files.
pub type Found = (usize, LeafId);

/// The settings that `address` may mean, in reading order. Where some stand exactly there, only
/// those; else those in deeper blocks, but never in a conditional group that was not named.
pub fn find_active(files: &[File], address: &Address) -> Vec<Found> {
    // The name, or the first word of one that is together with its value.
    let word = address.name().split(' ').next().unwrap_or_default();
    let all = |fits: &dyn Fn(&Document, &Parts) -> bool| {
        let mut found = Vec::new();
        for (n, file) in files.iter().enumerate() {
            let doc = &file.doc;
            let settings = doc.statements_called(word).filter(|(_, kind, _)| *kind == Kind::Setting);
            found.extend(
                settings.filter(|(.., parts)| fits(doc, parts)).map(|(leaf, ..)| (n, leaf, doc.path(leaf))),
            );
        }
        fitting(files, address, found)
    };
    let named = |doc: &Document, parts: &Parts| {
        doc.dialect().same(parts.name.of(doc.source()), address.name().as_bytes())
    };
    let mut found = all(&|doc, parts| named(doc, parts) || by_value(doc, parts, address, true));
    if found.is_empty() && address.name().contains(' ') {
        found = all(&|doc, parts| by_value(doc, parts, address, false));
    }
    pick_nth(files, address, found)
}

/// Whether the last step names a setting together with its value, or with the words that it begins with:
/// `http_access deny all`, `http_access deny`.
fn by_value(doc: &Document, parts: &Parts, address: &Address, whole: bool) -> bool {
    let Some((name, value)) = address.name().split_once(' ') else {
        return false;
    };
    if !doc.dialect().same(parts.name.of(doc.source()), name.as_bytes()) {
        return false;
    }
    let is = doc.value(parts);
    let (mut is, mut asked) = (is.split_whitespace(), value.split_whitespace());
    asked.by_ref().all(|word| is.next() == Some(word)) && (!whole || is.next().is_none())
}

/// The commented-out statements that `address` may mean, in reading order. Those inside a block that
/// is commented out as a whole are left out: uncommenting one line of it would move it elsewhere.
pub fn find_commented_out(files: &[File], address: &Address) -> Vec<(usize, CommentedOut)> {
    let found = commented_out_named(files, address, true);
    if found.is_empty() && address.name().contains(' ') {
        return commented_out_named(files, address, false);
    }
    found
}

/// Those whose name is asked for, or whose name with its value; without `whole`, with the words that it begins with.
fn commented_out_named(files: &[File], address: &Address, whole: bool) -> Vec<(usize, CommentedOut)> {
    let mut all = HashMap::new();
    let mut found = Vec::new();
    for (n, file) in files.iter().enumerate() {
        let doc = &file.doc;
        for commented_out in all_commented_out(doc) {
            let name = commented_out.parts.name.of(doc.source());
            let asked = doc.dialect().same(name, address.name().as_bytes())
                || by_value(doc, &commented_out.parts, address, whole);
            if asked && commented_out.kind == Kind::Setting && commented_out.under.is_none() {
                found.push((n, commented_out.leaf, doc.path(commented_out.leaf)));
                all.insert((n, commented_out.leaf), commented_out);
            }
        }
    }
    let found = pick_nth(files, address, fitting(files, address, found));
    found.into_iter().filter_map(|key| all.remove(&key).map(|commented_out| (key.0, commented_out))).collect()
}

/// The blocks that `address` names, its last step included.
pub fn blocks_named(files: &[File], address: &Address) -> Vec<(usize, BlockId)> {
    blocks_around(files, 0..files.len(), &address.clone().then(""))
}

/// The blocks that `address` names around its last step, in these files in this order. Those that are called just so
/// come before those whose title only begins like that, and those at the very depth before deeper ones.
pub fn blocks_around(
    files: &[File],
    order: impl Iterator<Item = usize>,
    address: &Address,
) -> Vec<(usize, BlockId)> {
    let mut found = Vec::new();
    for n in order {
        let doc = &files[n].doc;
        for (block, range) in doc.tree().blocks() {
            let mut path = doc.path(range.open());
            path.push(block);
            if ends_with(doc, &path, address) {
                let exact = path.len() == address.blocks().len();
                found.push((n, block, exact, are_called(doc, &path, address)));
            }
        }
    }
    if found.iter().any(|(.., whole)| *whole) {
        found.retain(|(.., whole)| *whole);
    }
    if found.iter().any(|(_, _, exact, _)| *exact) {
        found.retain(|(_, _, exact, _)| *exact);
    }
    found.into_iter().map(|(n, block, ..)| (n, block)).collect()
}

/// Whether the innermost of `path` are the blocks that `address` names.
pub fn ends_with(doc: &Document, path: &[BlockId], address: &Address) -> bool {
    let steps = address.blocks();
    steps.len() <= path.len()
        && steps.iter().rev().zip(path.iter().rev()).all(|(step, block)| means_block(doc, step, *block))
}

/// Whether the innermost of `path` have the very titles that `address` names.
pub fn are_called(doc: &Document, path: &[BlockId], address: &Address) -> bool {
    let steps = address.blocks();
    steps.iter().rev().zip(path.iter().rev()).all(|(step, block)| step.words == doc.title(*block))
}

fn fitting(files: &[File], address: &Address, found: Vec<(usize, LeafId, Vec<BlockId>)>) -> Vec<Found> {
    let steps = address.blocks().len();
    let mut fit: Vec<_> = found
        .into_iter()
        .filter(|(n, _, path)| {
            let doc = &files[*n].doc;
            let deeper = &path[..path.len().saturating_sub(steps)];
            ends_with(doc, path, address) && !deeper.iter().any(|block| doc.is_conditional(*block))
        })
        .collect();
    // A block that is called just so is meant rather than one whose name only begins like that.
    let whole = |(n, _, path): &(usize, LeafId, Vec<BlockId>)| are_called(&files[*n].doc, path, address);
    if fit.iter().any(whole) {
        fit.retain(whole);
    }
    if fit.iter().any(|(_, _, path)| path.len() == steps) {
        fit.retain(|(_, _, path)| path.len() == steps);
    }
    fit.into_iter().map(|(n, leaf, _)| (n, leaf)).collect()
}

fn pick_nth(files: &[File], address: &Address, found: Vec<Found>) -> Vec<Found> {
    let Some(nth) = address.nth() else {
        return found;
    };
    let mut seen: HashMap<(usize, Option<BlockId>), u32> = HashMap::new();
    found
        .into_iter()
        .filter(|(n, leaf)| {
            let count = seen.entry((*n, files[*n].doc.tree().block_of(*leaf))).or_default();
            *count += 1;
            *count == nth
        })
        .collect()
}
