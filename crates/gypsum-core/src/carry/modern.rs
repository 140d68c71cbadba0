//! Words of values that newer versions have as settings of their own (`listen … http2`, `http2 on`).

use super::Versions;
use super::scope::{Scoped, What};
use crate::doc::{BlockId, Document};
use crate::finding::{Finding, Severity};
use crate::text::{Span, Splice, apply};
use std::collections::BTreeSet;

/// Mine with such words taken out of the settings that are not in the base, and with the setting that took their place.
/// A word that theirs still has stays.
pub fn modern(versions: &Versions<'_>, theirs: &Scoped<'_>) -> (Document, Vec<Finding>) {
    let mine = versions.mine;
    let mut splices = Vec::new();
    let mut findings = Vec::new();
    for (of, heir) in &versions.profile.heirs {
        let (Some((name, word)), Some((new, value))) = (of.split_once(' '), heir.split_once(' ')) else {
            continue;
        };
        if (versions.knows)(new) == Some(false)
            || has(theirs.doc, name, word)
            || has(versions.base, name, word)
        {
            continue;
        }
        let mut given: BTreeSet<Option<BlockId>> = BTreeSet::new();
        let scoped = Scoped::of(mine, &|_| None);
        for scope in scoped.scopes() {
            let is_set = scope.items.iter().any(|item| mine.dialect().same(&item.name, new.as_bytes()));
            let settings = scope.items.iter().filter(|item| item.what == What::Setting);
            let of_name = settings.filter(|item| mine.dialect().same(&item.name, name.as_bytes()));
            let all: Vec<_> =
                of_name.filter_map(|item| Some((item, span_of(mine, item.leaf, word)?))).collect();
            for (item, span) in &all {
                splices.push(Splice { span: *span, text: Vec::new() });
                let address = scoped.address(item);
                let message =
                    format!("{address}: newer versions have a setting for the word {word}: {new} {value}");
                let mut finding = Finding::new("renamed", Severity::Hint, message).about(address);
                finding.line = Some(mine.line_of(item.leaf));
                findings.push(finding);
            }
            if let (Some((last, _)), false, true) = (all.last(), is_set, given.insert(scope.block)) {
                let Some(parts) = mine.parts(last.leaf) else { continue };
                // As the statement itself is written: its indentation, and what ends it.
                let text = scoped.text(last);
                let start = (parts.name.start - last.span.start) as usize;
                let end = parts.value.hull().map_or(parts.name.end, |hull| hull.end) - last.span.start;
                let line =
                    [&text[..start], new.as_bytes(), b" ", value.as_bytes(), &text[end as usize..]].concat();
                splices.push(Splice { span: Span::at(last.span.end as usize), text: line });
            }
        }
    }
    let changed = apply(mine.source(), &splices).filter(|_| !splices.is_empty());
    let read = changed.and_then(|bytes| Document::read(bytes, mine.family(), mine.dialect().clone()).ok());
    match read {
        Some(doc) => (doc, findings),
        None => (mine.clone(), Vec::new()),
    }
}

/// Whether a setting of this name has the word in its value.
fn has(doc: &Document, name: &str, word: &str) -> bool {
    doc.statements_called(name).any(|(leaf, ..)| span_of(doc, leaf, word).is_some())
}

/// The word in the value of a statement, with the blank before it.
fn span_of(doc: &Document, leaf: u32, word: &str) -> Option<Span> {
    let hull = doc.parts(leaf)?.value.hull()?;
    let text = doc.text(hull);
    let at = text.match_indices(word).find(|(at, _)| {
        let is_edge = |byte: Option<&u8>| byte.is_none_or(u8::is_ascii_whitespace);
        let bytes = text.as_bytes();
        *at > 0 && is_edge(bytes.get(at - 1)) && is_edge(bytes.get(at + word.len()))
    })?;
    let start = hull.start as usize + at.0;
    Some(Span::new(start - 1, start + word.len()))
}
