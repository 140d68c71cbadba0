//! Edits as they are shown: the line before and after.

use super::place::{File, Placed};
use super::prove::Fate;
use crate::text::{Span, Splice, apply, line_span, place_of};
use serde::{Deserialize, Serialize};

/// One edit as it will be done, for the eye and the record.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Shown {
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
}

pub(super) fn show(files: &[File], one: &Placed) -> Shown {
    let file = &files[one.file];
    let source = file.doc.source();
    let first = one.splices.first().map_or(0, |splice| splice.span.start as usize);
    let line = line_span(source, first);
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).trim_end().to_owned();
    let (before, after) = match &one.fate {
        _ if one.lines.is_some() => one.lines.clone().unzip(),
        Fate::Born(_) => {
            let new: Vec<u8> = one.splices.iter().flat_map(|splice| splice.text.clone()).collect();
            (None, Some(text(&new).trim_start_matches(['\r', '\n']).to_owned()))
        }
        Fate::Gone if one.splices.iter().all(|splice| splice.text.is_empty()) => {
            (Some(text(line.of(source))), None)
        }
        _ => {
            let moved = one
                .splices
                .iter()
                .filter(|splice| splice.span.start >= line.start && splice.span.end <= line.end);
            let within: Vec<Splice> = moved
                .map(|splice| Splice {
                    span: Span { start: splice.span.start - line.start, end: splice.span.end - line.start },
                    text: splice.text.clone(),
                })
                .collect();
            let after = apply(line.of(source), &within).unwrap_or_default();
            (Some(text(line.of(source))), Some(text(&after)))
        }
    };
    let at = place_of(source, first).line;
    let open_end = before.is_none() && first > 0 && source[first - 1] != b'\n';
    Shown {
        address: one.address.clone(),
        file: file.path.clone(),
        line: at + u32::from(open_end),
        before,
        after,
    }
}
