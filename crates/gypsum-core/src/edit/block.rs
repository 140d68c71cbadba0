//! New blocks: the opening line, what is in it, and the mark that closes it, which nobody types.

use super::ask::Edit;
use super::quoting::quoted;
use super::style::written_name;
use crate::doc::{Document, Family, Kind};
use crate::finding::Finding;

/// A setting of a new block: its name and value.
pub type Body<'a> = Vec<(&'a str, &'a str)>;

/// Each edit with the settings that belong into the block that it adds.
pub fn bodies(edits: &[Edit]) -> Vec<(&Edit, Body<'_>)> {
    let mut out: Vec<(&Edit, Body<'_>)> = Vec::new();
    for edit in edits {
        let inner = match edit {
            Edit::Set { address, value } | Edit::Add { address, value: Some(value), .. } => {
                Some((address, value))
            }
            _ => None,
        };
        let block = inner.and_then(|(inner, _)| {
            let steps: Vec<String> = inner.blocks().iter().map(ToString::to_string).collect();
            out.iter_mut().rev().find(|(edit, _)| match edit {
                Edit::Add { address, value: None, .. } => {
                    !steps.is_empty() && address.to_string() == steps.join("..")
                }
                _ => false,
            })
        });
        match (block, inner) {
            (Some((_, body)), Some((address, value))) => body.push((address.name(), value)),
            _ => out.push((edit, Vec::new())),
        }
    }
    out
}

/// Whether a name added without a value and without a body is a block all the same.
pub fn is_block(doc: &Document, words: &str, body: &Body<'_>) -> bool {
    !body.is_empty()
        || matches!(doc.family(), Family::Sections | Family::Toml) && words.starts_with('[')
        || doc.dialect().groups.iter().any(|group| {
            let first = words.split(' ').next().unwrap_or_default();
            doc.dialect().same(first.as_bytes(), group.as_bytes())
        })
}

/// What a new thing is to be read back as.
pub type Thing = (Kind, Vec<u8>, Vec<u8>);

/// The text of a new block at `indent`, whose body is indented by `deeper` more, and what it is to be
/// read back as.
pub fn new_block(
    doc: &Document,
    words: &str,
    body: &Body<'_>,
    indent: &[u8],
    deeper: &[u8],
    eol: &[u8],
) -> Result<(Vec<u8>, Vec<Thing>), Finding> {
    let (name, rest) = words.split_once(' ').unwrap_or((words, ""));
    let family = doc.family();
    let groups = &doc.dialect().groups;
    let grouped = matches!(family, Family::Keyword) || family == Family::Stanzas && !groups.is_empty();
    if grouped && !groups.iter().any(|group| doc.dialect().same(group.as_bytes(), name.as_bytes())) {
        let finding =
            Finding::edit_error("no-blocks", format!("{name} does not begin a group in this format"));
        let known = groups.join(", ");
        return Err(finding.help(if known.is_empty() {
            "it has none".into()
        } else {
            format!("there is: {known}")
        }));
    }
    let Some((open, close)) = family.block_lines(words, doc) else {
        return Err(Finding::edit_error("no-blocks", format!("a {} file has no blocks", family.name()))
            .help("leave out the steps before the name"));
    };
    let whole = family == Family::Sections || family.is_standard();
    let (name, rest) = if whole { (words, "") } else { (name, rest) };
    let mut text = [indent, open.as_bytes(), eol].concat();
    let mut things = vec![(Kind::Open, name.into(), rest.into())];
    for (name, value) in body {
        // An element of a list has a name and no value.
        let bare = value.is_empty();
        let separator = if bare { "" } else { family.separator(doc.dialect()) };
        let raw = if bare { Vec::new() } else { quoted(doc, value, None)? };
        let end = family.terminator().as_bytes();
        let line = match family {
            Family::Xml => {
                let name = name.as_bytes();
                [indent, deeper, b"<", name, b">", &raw, b"</", name, b">", eol].concat()
            }
            _ => {
                let name = written_name(doc, name, (!bare).then_some(&raw));
                [indent, deeper, &name, separator.as_bytes(), &raw, end, eol].concat()
            }
        };
        text.extend(line);
        things.push((Kind::Setting, (*name).into(), (*value).into()));
    }
    if let Some(close) = close {
        text.extend([indent, close.as_bytes(), eol].concat());
        things.push((Kind::Close, Vec::new(), Vec::new()));
    }
    Ok((text, things))
}
