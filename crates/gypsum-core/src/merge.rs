//! Two versions of one file that were made from the same third: merged by statements where they do not touch,
//! and shown where they do.

use crate::diff::{Hunk, hunks, woven};
use crate::doc::{Document, Kind};
use crate::text::place_of;
use std::collections::HashMap;

/// Where two versions touch.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Conflict {
    /// The line in our version, from 1.
    pub line: u32,
    /// What stood there.
    pub base: String,
    /// What we made of it.
    pub ours: String,
    /// What they made of it.
    pub theirs: String,
}

/// Both versions in one; or where they touch.
pub fn merge(base: &Document, ours: &Document, theirs: &Document) -> Result<Vec<u8>, Vec<Conflict>> {
    let (old, mine, other) = (leaves(base), leaves(ours), leaves(theirs));
    let (left, right) = (hunks(&old, &mine), hunks(&old, &other));
    let mut conflicts = Vec::new();
    for a in &left {
        for b in right.iter().filter(|b| touch(a, b)) {
            if a.old == b.old && mine[a.new.clone()] == other[b.new.clone()] {
                continue;
            }
            let start: usize = mine[..a.new.start].iter().map(|leaf| leaf.len()).sum();
            conflicts.push(Conflict {
                line: place_of(ours.source(), start).line,
                base: text(&old[a.old.clone()]),
                ours: text(&mine[a.new.clone()]),
                theirs: text(&other[b.new.clone()]),
            });
        }
    }
    conflicts.extend(same_setting(base, ours, theirs));
    if !conflicts.is_empty() {
        conflicts.dedup();
        return Err(conflicts);
    }
    let mut all: Vec<(&Hunk, &[&[u8]])> = left.iter().map(|hunk| (hunk, mine.as_slice())).collect();
    let twin = |hunk: &Hunk| left.iter().any(|other| other.old == hunk.old);
    all.extend(right.iter().filter(|hunk| !twin(hunk)).map(|hunk| (hunk, other.as_slice())));
    Ok(woven(&old, all))
}

fn leaves(doc: &Document) -> Vec<&[u8]> {
    doc.tree().leaves().map(|(.., span)| span.of(doc.source())).collect()
}

/// Whether two stretches share a statement, or are at the same spot.
fn touch(a: &Hunk, b: &Hunk) -> bool {
    let (a, b) = (&a.old, &b.old);
    a.start < b.end && b.start < a.end || a.start == b.start
}

/// The settings that both made something of, and not the same, wherever they put it.
fn same_setting(base: &Document, ours: &Document, theirs: &Document) -> Vec<Conflict> {
    let (old, mine, other) = (values(base), values(ours), values(theirs));
    let mut found = Vec::new();
    for (name, (values, line)) in &mine {
        let was = old.get(name).map(|(values, _)| values);
        let is = other.get(name).map(|(values, _)| values);
        if was != Some(values) && was != is && is.is_some_and(|is| is != values) {
            let shown = |values: Option<&Vec<String>>| {
                values.into_iter().flatten().map(|value| format!("{name} {value}\n")).collect()
            };
            let (base, theirs) = (shown(was), shown(is));
            found.push(Conflict { line: *line, base, ours: shown(Some(values)), theirs });
        }
    }
    found.sort_by_key(|conflict| conflict.line);
    found
}

/// The values of each setting, and the line of its first.
fn values(doc: &Document) -> HashMap<String, (Vec<String>, u32)> {
    let mut found: HashMap<String, (Vec<String>, u32)> = HashMap::new();
    for (leaf, _, parts) in doc.statements().filter(|(_, kind, _)| *kind == Kind::Setting) {
        let path: Vec<String> = doc.path(leaf).into_iter().map(|block| doc.title(block).to_owned()).collect();
        let name = String::from_utf8_lossy(&doc.dialect().folded(parts.name.of(doc.source()))).into_owned();
        let name = path.into_iter().chain([name]).collect::<Vec<_>>().join("..");
        let entry = found.entry(name).or_insert_with(|| (Vec::new(), doc.place(leaf).line));
        entry.0.push(doc.value(&parts));
    }
    found
}

fn text(leaves: &[&[u8]]) -> String {
    String::from_utf8_lossy(&leaves.concat()).into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::doc::Family;
    use proptest::prelude::*;

    fn read(source: &str) -> Document {
        Document::read(source.into(), Family::Keyword, Family::Keyword.plain_dialect()).unwrap()
    }

    fn merged(base: &str, ours: &str, theirs: &str) -> Result<String, usize> {
        let done = merge(&read(base), &read(ours), &read(theirs));
        done.map(|bytes| String::from_utf8(bytes).unwrap()).map_err(|conflicts| conflicts.len())
    }

    #[test]
    fn versions_meet_or_are_shown() {
        let base = "A 1\nB 2\nC 3\n";
        assert_eq!(merged(base, "A 9\nB 2\nC 3\n", "A 1\nB 2\nC 8\n"), Ok("A 9\nB 2\nC 8\n".into()));
        assert_eq!(merged(base, "A 9\nB 2\nC 3\n", "A 9\nB 2\nC 3\n"), Ok("A 9\nB 2\nC 3\n".into()));
        assert_eq!(merged(base, "A 9\nB 2\nC 3\n", "A 8\nB 2\nC 3\n"), Err(1));
        assert_eq!(merged(base, "A 1\nB 2\n", "D 0\nA 1\nB 2\nC 3\n"), Ok("D 0\nA 1\nB 2\n".into()));
        // Far apart, and the same setting all the same.
        assert_eq!(merged(base, "D 1\nA 1\nB 2\nC 3\n", "A 1\nB 2\nC 3\nD 2\n"), Err(1));
    }

    proptest! {
        #[test]
        fn who_did_nothing_changes_nothing(base in "([A-C] [0-9]\n){0,6}", ours in "([A-D] [0-9]\n){0,6}") {
            prop_assert_eq!(merged(&base, &ours, &base), Ok(ours.clone()));
            prop_assert_eq!(merged(&base, &base, &ours), Ok(ours.clone()));
            prop_assert_eq!(merged(&base, &ours, &ours), Ok(ours));
        }
    }
}
