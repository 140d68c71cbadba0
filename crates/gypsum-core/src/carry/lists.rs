//! Lists that both versions changed.

use crate::diff::{Hunk, hunks, lines, woven};

/// The words of a value, however they are parted.
pub fn words(value: &str) -> Vec<&str> {
    value.split_whitespace().collect()
}

/// The words of both versions of a list, where both only made it longer.
pub fn union(base: &str, mine: &str, theirs: &str) -> Option<String> {
    let (base, mine, theirs) = (words(base), words(mine), words(theirs));
    let grew = |list: &[&str]| list.len() > base.len() && base.iter().all(|word| list.contains(word));
    let is_list = grew(&mine) && grew(&theirs) && !base.is_empty();
    let more = mine.iter().filter(|word| !theirs.contains(word));
    is_list.then(|| theirs.iter().chain(more).copied().collect::<Vec<_>>().join(" "))
}

/// Three versions of some lines merged, where the lines that differ are apart.
pub fn merged_lines(base: &[u8], mine: &[u8], theirs: &[u8]) -> Option<Vec<u8>> {
    let (old, own, new) = (lines(base), lines(mine), lines(theirs));
    let (left, right) = (hunks(&old, &own), hunks(&old, &new));
    let touch = |a: &Hunk, b: &Hunk| a.old.start <= b.old.end && b.old.start <= a.old.end;
    if left.iter().any(|a| right.iter().any(|b| touch(a, b))) {
        return None;
    }
    let mut all: Vec<(&Hunk, &[&[u8]])> = left.iter().map(|hunk| (hunk, own.as_slice())).collect();
    all.extend(right.iter().map(|hunk| (hunk, new.as_slice())));
    Some(woven(&old, all))
}
