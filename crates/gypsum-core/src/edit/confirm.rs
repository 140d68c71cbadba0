//! The second proof of an edit: a witness, which shares no code with the reader of the tree, reads both versions of
//! the file, and its account must differ by exactly what was asked for.

use super::context::File;
use super::expected::{Expected, Match};
use super::paths::Paths;
use crate::doc::{Document, Family, Kind, LeafId};
use crate::finding::Finding;
use crate::join::join;
use crate::witness::{
    Changed, Digest, Disagreement, Selected, Selector, Unreadable, Witness, compare, rest_is_same,
};
use std::ops::Range;

/// From this size on, in bytes, both versions are read at the same time.
const LARGE: usize = 1 << 20;

/// Whether the witness confirms that `new` says what `old` says with these changes.
///
/// # Errors
///
/// A finding with the line that it reads differently.
pub fn confirm(file: &File, new: &Document, matches: &[Match<'_>]) -> Result<(), Finding> {
    let old = &file.doc;
    let Some(witness) = Witness::of(old.family()) else {
        return Ok(());
    };
    let changed = changes(old, new, matches);
    let selected = Selected::of(&changed);
    let read = |doc: &Document, selector: &Selector, window: Range<usize>| {
        witness.digest(doc.source(), doc.dialect(), selector.clone(), window)
    };
    let both = |window: Range<usize>| {
        let before = || read(old, &selected.before, window.clone());
        let after = || read(new, &selected.after, window.clone());
        if old.source().len() < LARGE { (before(), after()) } else { join(before, after) }
    };
    let takes_away =
        matches.iter().all(|one| matches!(one.expected, Expected::Removed | Expected::RemovedTill(_)));
    let told = |(before, after): (Result<Digest, Unreadable>, Result<Digest, Unreadable>)| {
        let before = before.map_err(|why| unreadable(file, old, &why, false))?;
        let after = after.map_err(|why| {
            let finding = unreadable(file, new, &why, true);
            if takes_away {
                finding.help("take away the block around it, or edit the lines themselves: gypsum edit")
            } else {
                finding
            }
        })?;
        Ok((before, after))
    };
    let (before, after) = told(both(0..0))?;
    let found = match compare(witness, old.dialect(), &before, &after, &changed, &selected) {
        Ok(()) => return Ok(()),
        Err(Some(found)) => found,
        // Both are read again for the place, since neither was kept.
        Err(None) => {
            let window = before.first_difference(&after).unwrap_or(0..0);
            let (before, after) = told(both(window))?;
            let nowhere = Disagreement { line: 0, after: true, what: "it reads something else".into() };
            rest_is_same(&before, &after).err().unwrap_or(nowhere)
        }
    };
    Err(disagrees(file, new, &found))
}

/// What the edits change, by the way to it in both versions.
fn changes(old: &Document, new: &Document, matches: &[Match<'_>]) -> Vec<Changed> {
    let old_leaves = matches.iter().flat_map(|one| gone_leaves(old, one));
    let was = Paths::of(old, old_leaves.chain(matches.iter().filter_map(|one| one.old)));
    let is = Paths::of(new, matches.iter().filter_map(|one| one.new));
    let mut changed = Vec::new();
    for one in matches {
        match (one.expected, one.new) {
            (Expected::Set(value), Some(new_leaf)) => {
                let (before, after) = (was.path(one.old), is.path(Some(new_leaf)));
                changed.push(Changed::Set { before, after, value: value.clone() });
            }
            (Expected::Uncommented { value, .. }, Some(new_leaf)) => {
                let after = is.path(Some(new_leaf));
                changed.push(Changed::Inserted { after, value: Some(value.clone()), as_written: true });
            }
            (Expected::Inserted { .. }, Some(new_leaf)) => {
                let Some((kind, name, value)) = one.thing else {
                    continue;
                };
                let after = is.path(Some(new_leaf));
                let element = matches!(after.last(), Some((None, _)));
                let text = if element { name } else { value };
                match kind {
                    Kind::Open => changed.push(Changed::InsertedBlock(after)),
                    Kind::Setting => changed.push(Changed::Inserted {
                        after,
                        value: Some(text.clone()),
                        as_written: false,
                    }),
                    _ => {}
                }
            }
            (Expected::Removed | Expected::RemovedTill(_), _) => {
                let leaves = gone_leaves(old, one);
                changed.extend(leaves.into_iter().map(|leaf| Changed::Removed(was.path(Some(leaf)))));
            }
            _ => {}
        }
    }
    changed
}

/// The statements that go, each with all in it. A header of TOML goes with its own keys, and not with the
/// tables that have headers of their own.
fn gone_leaves(old: &Document, one: &Match<'_>) -> Vec<LeafId> {
    match (one.expected, one.old) {
        (Expected::Removed, Some(leaf)) => vec![leaf],
        (Expected::RemovedTill(end), Some(leaf)) if old.family() == Family::Toml => {
            let element = old.tree().span(leaf).of(old.source()).trim_ascii().starts_with(b"[[");
            let own = (leaf + 1..*end).filter(|leaf| old.tree().kind(*leaf) == Kind::Setting);
            if element { vec![leaf] } else { own.collect() }
        }
        (Expected::RemovedTill(_), Some(leaf)) => vec![leaf],
        _ => Vec::new(),
    }
}

fn unreadable(file: &File, doc: &Document, why: &Unreadable, after: bool) -> Finding {
    let at = why.at.min(doc.source().len());
    let line = doc.line_at(at);
    let message = if after {
        format!("with this edit a second reader could not read the file: line {line}: {}", why.why)
    } else {
        format!("a second reader cannot read this file: line {line}: {}", why.why)
    };
    let help = if after {
        "nothing was changed; write the value in another way, or edit the line itself: gypsum edit"
    } else {
        "edit the file as a whole: gypsum edit, or change --whole"
    };
    let finding = Finding::edit_error("not-confirmed", message).help(help);
    finding.at_offset(&file.path, doc, at)
}

fn disagrees(file: &File, new: &Document, found: &Disagreement) -> Finding {
    let message = format!("a second reader does not confirm this edit: {}", found.what);
    let finding = Finding::edit_error("not-confirmed", message)
        .help("nothing was changed; edit the lines themselves: gypsum edit");
    let doc = if found.after { new } else { &file.doc };
    match found.line {
        0 => finding.in_file(&file.path),
        line => finding.at_offset(&file.path, doc, doc.line_start(line)),
    }
}
