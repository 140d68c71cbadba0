//! Anchors of YAML: what is written inside one is written wherever an alias stands for it.

use super::context::{File, ResolvedEdit};
use super::expected::Expected;
use crate::doc::{Document, Family, Kind, LeafId, anchor_in};
use crate::finding::Finding;

/// What is wrong with an edit that would change other places, too.
pub fn shared(files: &[File], placed: &ResolvedEdit) -> Option<Finding> {
    let doc = &files[placed.file].doc;
    let leaf = placed.leaf.filter(|_| doc.family() == Family::Yaml)?;
    let born = matches!(placed.expected, Expected::Inserted { .. });
    let (name, at) = around(doc, leaf, born).into_iter().find_map(|leaf| used_anchor(doc, leaf))?;
    let message = match at {
        None => format!("the value is shared with other places through {name}"),
        Some(line) => format!("the value is shared: line {line} uses it, too, through {name}"),
    };
    let finding =
        Finding::edit_error("anchor", message).about(&placed.address).at(&files[placed.file].path, doc, leaf);
    Some(finding.help("to change all of these places at once, edit the block in an editor: gypsum edit"))
}

/// The statement and the openings of the blocks around it.
fn around(doc: &Document, leaf: LeafId, born: bool) -> Vec<LeafId> {
    let tree = doc.tree();
    let own = (!born || tree.kind(leaf) == Kind::Open).then_some(leaf);
    let blocks = doc.path(leaf).into_iter().map(|block| tree.block(block).open());
    own.into_iter().chain(blocks).collect()
}

/// The alias that a statement is, or its anchor with the line of an alias of it.
fn used_anchor(doc: &Document, leaf: LeafId) -> Option<(String, Option<u32>)> {
    let source = doc.source();
    let name = anchor_in(doc.tree().span(leaf).of(source))?.to_owned();
    let Some(anchor) = name.strip_prefix('&') else {
        return Some((name, None));
    };
    let alias = format!("*{anchor}");
    let ends =
        |end: usize| source.get(end).is_none_or(|byte| byte.is_ascii_whitespace() || b",]}".contains(byte));
    let at = memchr::memmem::find_iter(source, &alias).find(|at| ends(at + alias.len()))?;
    Some((name, Some(doc.line_at(at))))
}
