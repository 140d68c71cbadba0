//! What a whole file changes, line by line, for the eye and the record.

use gypsum_core::edit::LineDiff;
use gypsum_core::text::LineShift;
use similar::{Algorithm, DiffOp, TextDiff};
use std::path::Path;
use std::time::Duration;

/// More lines than this are counted and not shown.
const MOST: usize = 20;
/// Finding the smallest difference of two large files is not worth more time.
const PATIENCE: Duration = Duration::from_secs(1);

/// The lines in which two versions of a file differ; either may be no file at all.
pub fn shown_lines(path: &Path, before: Option<&[u8]>, after: Option<&[u8]>) -> Vec<LineDiff> {
    let (old, new) = (before.unwrap_or_default(), after.unwrap_or_default());
    let diff = TextDiff::configure().algorithm(Algorithm::Myers).timeout(PATIENCE).diff_lines(old, new);
    let mut shown: Vec<LineDiff> = Vec::new();
    for op in diff.ops().iter().filter(|op| !matches!(op, DiffOp::Equal { .. })) {
        let (olds, news) = (op.old_range(), op.new_range());
        for n in 0..olds.len().max(news.len()) {
            let text =
                |line: Option<&[u8]>| line.map(|line| String::from_utf8_lossy(line).trim_end().to_owned());
            let was = (n < olds.len()).then(|| diff.old_slice(olds.start + n)).flatten();
            let is = (n < news.len()).then(|| diff.new_slice(news.start + n)).flatten();
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

/// A file that the configuration refers to, by its size: it may hold a key or passwords.
pub fn shown_companion(path: &Path, before: Option<&[u8]>, after: Option<&[u8]>) -> LineDiff {
    let size = |bytes: &[u8]| format!("{} bytes", bytes.len());
    LineDiff { companion: true, ..one(path, 1, before.map(size), after.map(size)) }
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

/// How the lines of `before` move in `after`.
pub fn moved_lines(before: Option<&[u8]>, after: Option<&[u8]>) -> Vec<LineShift> {
    let (old, new) = (before.unwrap_or_default(), after.unwrap_or_default());
    let diff = TextDiff::configure().algorithm(Algorithm::Myers).timeout(PATIENCE).diff_lines(old, new);
    let equal = diff.ops().iter().filter_map(|op| match op {
        DiffOp::Equal { old_index, new_index, .. } => Some((*old_index, *new_index)),
        _ => None,
    });
    let number = |n: usize| i64::try_from(n).unwrap_or(i64::MAX);
    equal
        .map(|(old, new)| LineShift {
            from: u32::try_from(old + 1).unwrap_or(u32::MAX),
            by: number(new) - number(old),
        })
        .collect()
}
