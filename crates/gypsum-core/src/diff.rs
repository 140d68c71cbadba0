//! The difference of two sequences, by Myers' algorithm: which stretches of one are replaced by which of the other.

use imara_diff::{Algorithm, Diff, InternedInput};
use std::fmt::Write;
use std::ops::Range;

/// A stretch of the old sequence and what is in its place in the new one. One of the two may be empty.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hunk {
    /// Where it is in the old sequence.
    pub old: Range<usize>,
    /// Where it is in the new one.
    pub new: Range<usize>,
}

/// The stretches in which two sequences differ, in order.
pub fn hunks(old: &[&[u8]], new: &[&[u8]]) -> Vec<Hunk> {
    let mut input = InternedInput::default();
    input.update_before(old.iter().copied());
    input.update_after(new.iter().copied());
    let mut diff = Diff::compute(Algorithm::Myers, &input);
    // Of several places that are equally right the last one is taken.
    diff.postprocess_no_heuristic(&input);
    let wide = |range: Range<u32>| range.start as usize..range.end as usize;
    diff.hunks().map(|hunk| Hunk { old: wide(hunk.before), new: wide(hunk.after) }).collect()
}

/// `old` with these hunks in place, each with the sequence that its new side is of. They must not overlap.
pub fn woven(old: &[&[u8]], mut all: Vec<(&Hunk, &[&[u8]])>) -> Vec<u8> {
    all.sort_by_key(|(hunk, _)| (hunk.old.start, hunk.old.end));
    let mut out = Vec::new();
    let mut at = 0;
    for (hunk, from) in all {
        old[at..hunk.old.start].iter().for_each(|piece| out.extend_from_slice(piece));
        from[hunk.new.clone()].iter().for_each(|piece| out.extend_from_slice(piece));
        at = hunk.old.end;
    }
    old[at..].iter().for_each(|piece| out.extend_from_slice(piece));
    out
}

/// The lines of a text, each with its line break.
pub fn lines(text: &[u8]) -> Vec<&[u8]> {
    text.split_inclusive(|byte| *byte == b'\n').collect()
}

/// The difference of two texts in the unified format, with `around` equal lines at both ends of each stretch.
pub fn unified(name: &str, old: &str, new: &str, around: usize) -> String {
    let (old, new) = (lines(old.as_bytes()), lines(new.as_bytes()));
    let mut out = String::new();
    for group in groups(hunks(&old, &new), around) {
        let (Some(first), Some(last)) = (group.first(), group.last()) else { continue };
        let lead = first.old.start.min(around);
        let trail = (old.len() - last.old.end).min(around);
        let (from, to) =
            (first.old.start - lead..last.old.end + trail, first.new.start - lead..last.new.end + trail);
        if out.is_empty() {
            let _ = write!(out, "--- {name}\n+++ {name}\n");
        }
        let _ = writeln!(out, "@@ -{} +{} @@", numbers(&from), numbers(&to));
        let mut at = from.start;
        for hunk in &group {
            put(&mut out, ' ', &old[at..hunk.old.start]);
            put(&mut out, '-', &old[hunk.old.clone()]);
            put(&mut out, '+', &new[hunk.new.clone()]);
            at = hunk.old.end;
        }
        put(&mut out, ' ', &old[at..from.end]);
    }
    out
}

/// Stretches whose surroundings touch are shown together.
fn groups(hunks: Vec<Hunk>, around: usize) -> Vec<Vec<Hunk>> {
    let mut groups: Vec<Vec<Hunk>> = Vec::new();
    for hunk in hunks {
        match groups.last_mut() {
            Some(group) if group.last().is_some_and(|last| hunk.old.start - last.old.end <= 2 * around) => {
                group.push(hunk);
            }
            _ => groups.push(vec![hunk]),
        }
    }
    groups
}

/// First line and number of lines, as the format has them: one line is not counted, and of none the line before it
/// is named.
fn numbers(range: &Range<usize>) -> String {
    match range.len() {
        0 => format!("{},0", range.start),
        1 => format!("{}", range.start + 1),
        len => format!("{},{len}", range.start + 1),
    }
}

fn put(out: &mut String, sign: char, lines: &[&[u8]]) {
    for line in lines {
        out.push(sign);
        out.push_str(&String::from_utf8_lossy(line));
        if !line.ends_with(b"\n") {
            out.push_str("\n\\ No newline at end of file\n");
        }
    }
}

#[cfg(test)]
mod tests {
    use super::{hunks, lines, unified};
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(256))]

        #[test]
        fn hunks_turn_the_old_into_the_new(old in "[ab\n]{0,40}", new in "[ab\n]{0,40}") {
            let (old, new) = (lines(old.as_bytes()), lines(new.as_bytes()));
            let (mut made, mut at) = (Vec::new(), 0);
            for hunk in hunks(&old, &new) {
                prop_assert!(hunk.old.start >= at && hunk.old.len() + hunk.new.len() > 0);
                made.extend_from_slice(&old[at..hunk.old.start]);
                prop_assert_eq!(made.len(), hunk.new.start);
                made.extend_from_slice(&new[hunk.new]);
                at = hunk.old.end;
            }
            made.extend_from_slice(&old[at..]);
            prop_assert_eq!(made, new);
        }
    }

    #[test]
    fn the_unified_format_is_as_diff_writes_it() {
        let old = "a\nb\nc\nd\ne\nf\ng\nh\n";
        let new = "a\nB\nc\nd\ne\nf\ng\nh\ni";
        let wanted = "--- quay\n+++ quay\n@@ -1,3 +1,3 @@\n a\n-b\n+B\n c\n@@ -8 +8,2 @@\n h\n+i\n\\ No newline at end of file\n";
        assert_eq!(unified("quay", old, new, 1), wanted);
        assert_eq!(unified("quay", old, old, 1), "");
        assert_eq!(unified("quay", "", "a\n", 2), "--- quay\n+++ quay\n@@ -0,0 +1 @@\n+a\n");
    }
}
