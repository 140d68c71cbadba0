//! What a whole file changes, line by line, for the eye and the record.

use gypsum_core::diff::{Hunk, hunks, lines};
use gypsum_core::edit::LineDiff;
use gypsum_core::text::LineShift;
use std::path::Path;

/// More lines than this are counted and not shown.
const MOST: usize = 20;

/// Two versions of a file, either of which may be no file at all.
pub struct Difference<'a> {
    old: Vec<&'a [u8]>,
    new: Vec<&'a [u8]>,
    hunks: Vec<Hunk>,
}

impl<'a> Difference<'a> {
    /// What is different.
    pub fn of(before: Option<&'a [u8]>, after: Option<&'a [u8]>) -> Self {
        let (old, new) = (lines(before.unwrap_or_default()), lines(after.unwrap_or_default()));
        let hunks = hunks(&old, &new);
        Self { old, new, hunks }
    }

    /// The lines in which they differ.
    pub fn shown(&self, path: &Path) -> Vec<LineDiff> {
        let mut shown: Vec<LineDiff> = Vec::new();
        for Hunk { old: olds, new: news } in &self.hunks {
            for n in 0..olds.len().max(news.len()) {
                let text = |line: Option<&[u8]>| {
                    line.map(|line| String::from_utf8_lossy(line).trim_end().to_owned())
                };
                let was = (n < olds.len()).then(|| self.old[olds.start + n]);
                let is = (n < news.len()).then(|| self.new[news.start + n]);
                let line = u32::try_from(news.start + n + 1).unwrap_or(u32::MAX);
                shown.push(one(path, line, text(was), text(is)));
            }
        }
        if shown.len() > MOST {
            let more = shown.len() - MOST;
            shown.truncate(MOST);
            shown.push(one(path, 0, None, Some(format!("and {more} lines more"))));
        }
        shown
    }

    /// How the lines of the old version move in the new one.
    pub fn shifts(&self) -> Vec<LineShift> {
        let shift = |old: usize, new: usize| {
            let number = |n: usize| i64::try_from(n).unwrap_or(i64::MAX);
            LineShift { from: u32::try_from(old + 1).unwrap_or(u32::MAX), by: number(new) - number(old) }
        };
        let mut shifts = Vec::new();
        let mut equal = (0, 0);
        for hunk in &self.hunks {
            if equal.0 < hunk.old.start {
                shifts.push(shift(equal.0, equal.1));
            }
            equal = (hunk.old.end, hunk.new.end);
        }
        if equal.0 < self.old.len() {
            shifts.push(shift(equal.0, equal.1));
        }
        shifts
    }
}

/// So many digits of a digest tell two files apart for the eye; the plan has them all.
const DIGITS: usize = 16;

/// A file that the configuration refers to, with the mode where it is known.
pub type CompanionSide<'a> = (&'a [u8], Option<u32>);

/// Such a file by its size, mode and digest: it may hold a key or passwords.
pub fn shown_companion(
    path: &Path,
    before: Option<CompanionSide<'_>>,
    after: Option<CompanionSide<'_>>,
) -> LineDiff {
    let words = |(bytes, mode): CompanionSide<'_>| {
        let mode = mode.map_or_else(String::new, |mode| format!(", mode {mode:04o}"));
        let digest = blake3::hash(bytes).to_hex();
        format!("{} bytes{mode}, BLAKE3 {}", bytes.len(), &digest[..DIGITS])
    };
    LineDiff { companion: true, ..one(path, 1, before.map(words), after.map(words)) }
}

/// A link that comes or goes.
pub fn shown_link(path: &Path, target: &Path, comes: bool) -> LineDiff {
    let text = Some(format!("link to {}", target.display()));
    if comes { one(path, 1, None, text) } else { one(path, 1, text, None) }
}

fn one(path: &Path, line: u32, before: Option<String>, after: Option<String>) -> LineDiff {
    let name = path.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
    LineDiff { address: name, file: path.display().to_string(), line, before, after, companion: false }
}
