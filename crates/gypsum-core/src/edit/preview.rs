//! Edits as they are shown: the line before and after.

use super::context::{File, ResolvedEdit};
use super::expected::Expected;
use crate::doc::excerpt;
use crate::text::{Span, Splice, apply_within};
use serde::{Deserialize, Serialize};

/// One edit as it will be done, for the eye and the record.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct LineDiff {
    /// The setting; can be pasted back.
    pub address: String,
    /// The file it is done in.
    pub file: String,
    /// The line there, from 1; for a new line, the one it will be.
    pub line: u32,
    /// The line before; none where a new one is added.
    pub before: Option<String>,
    /// The line after; none where it is removed.
    pub after: Option<String>,
    /// Whether the file is one that the configuration refers to: its content is never shown.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub companion: bool,
}

/// One edit as it is shown; `beside` are the splices of all edits of the same statement.
pub(super) fn show(files: &[File], one: &ResolvedEdit, beside: &[Splice]) -> LineDiff {
    let file = &files[one.file];
    let source = file.doc.source();
    let first = one.splices.first().map_or(0, |splice| splice.span.start as usize);
    let at = file.doc.line_at(first);
    let shown = |line, before, after| LineDiff {
        companion: false,
        address: one.address.clone(),
        file: file.path.clone(),
        line,
        before,
        after,
    };
    if let Some((before, after)) = one.lines.clone() {
        return shown(at, Some(before), Some(after));
    }
    if matches!(one.expected, Expected::Inserted { .. }) {
        let new: Vec<u8> = one.splices.iter().flat_map(|splice| splice.text.clone()).collect();
        let open_end = first > 0 && source[first - 1] != b'\n' && matches!(new.first(), Some(b'\r' | b'\n'));
        let text = String::from_utf8_lossy(&new).trim_end().trim_start_matches(['\r', '\n']).to_owned();
        return shown(at + u32::from(open_end), None, Some(text));
    }
    let start = beside.iter().map(|splice| splice.span.start).min().unwrap_or_default();
    let last = beside.iter().map(|splice| splice.span).max_by_key(|span| span.end).unwrap_or_default();
    // What ends with a line break does not reach into the line behind it.
    let end = if last.end > last.start { last.end - 1 } else { last.end };
    // All that goes is in them, its line end among it.
    let line_end = file.doc.line_around(end as usize).end;
    let whole = Span { start: file.doc.line_around(start as usize).start, end: line_end.max(last.end) };
    let lines = excerpt(whole, Span { start, end: last.end });
    let after = apply_within(source, lines, beside);
    let (before, after) = (text_lines(lines.of(source)), text_lines(&after));
    // Only the lines that differ.
    let same = before.iter().zip(&after).take_while(|(a, b)| a == b).count();
    let (before, after) = (&before[same..], &after[same..]);
    let tail = before.iter().rev().zip(after.iter().rev()).take_while(|(a, b)| a == b).count();
    let joined = |lines: &[String]| (lines.len() > tail).then(|| lines[..lines.len() - tail].join("\n"));
    shown(file.doc.line_at(lines.start as usize) + same as u32, joined(before), joined(after))
}

fn text_lines(bytes: &[u8]) -> Vec<String> {
    String::from_utf8_lossy(bytes).lines().map(|line| line.trim_end().to_owned()).collect()
}
