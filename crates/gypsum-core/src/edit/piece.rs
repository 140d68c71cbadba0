//! A prepared piece of configuration, put in as it is: its inner layout kept, indented as a whole to its
//! place.

use super::ask::Where;
use super::block::Thing;
use super::comment_out::{is_balanced, things_of};
use super::context::{File, Guide, ResolvedEdit};
use super::expected::{Expected, Within};
use super::insert::{InsertPoint, piece_spot};
use crate::address::Address;
use crate::doc::Family;
use crate::finding::Finding;
use crate::text::{Span, Splice, ending_at};

/// `text` under the block `under`, or at the top of the file.
pub fn put_in(
    files: &[File],
    text: &str,
    under: Option<&Address>,
    spot: &Where,
    guide: &Guide<'_>,
) -> Result<ResolvedEdit, Finding> {
    let (InsertPoint { file, block, after, .. }, indent) = piece_spot(files, under, spot, guide)?;
    let doc = &files[file].doc;
    let source = doc.source();
    let at = after.map_or(0, |leaf| doc.tree().span(leaf).end as usize);
    if at > 0 && source[at - 1] != b'\n' && at < source.len() {
        return Err(Finding::edit_error("shares-its-line", "the block around it is closed in the same line")
            .at_offset(&files[file].path, doc, at)
            .help("give its closing mark a line of its own first"));
    }
    let eol = ending_at(source, at).bytes();
    let body = indented(text, &indent, eol);
    // A block that is not closed would end with what closes the one around it.
    let fits =
        |things: &Vec<Thing>| !things.is_empty() && (!doc.family().closes_blocks() || is_balanced(things));
    let things = things_of(doc, &body).filter(fits).ok_or_else(|| unreadable(doc, text))?;
    let open_end = at > 0 && source[at - 1] != b'\n';
    let text = [if open_end { eol } else { b"" }, &body].concat();
    let address = under.map_or_else(|| "(top of the file)".to_owned(), ToString::to_string);
    let splices = vec![Splice { span: Span::at(at), text }];
    // It may begin with a header of its own.
    let has_headers =
        matches!(doc.family(), Family::Sections | Family::Stanzas | Family::Toml | Family::Keyword);
    let within = if has_headers { Within::AsWritten } else { Within::Block(block) };
    Ok(ResolvedEdit {
        file,
        leaf: after,
        expected: Expected::Inserted { things, within },
        splices,
        address,
        lines: None,
    })
}

/// The lines without the blanks that all of them begin with, behind `indent`.
fn indented(text: &str, indent: &[u8], eol: &[u8]) -> Vec<u8> {
    let lines = || text.lines().map(str::trim_end);
    let blanks = |line: &str| line.len() - line.trim_start_matches([' ', '\t']).len();
    let common = lines().filter(|line| !line.is_empty()).map(blanks).min().unwrap_or(0);
    let mut out = Vec::new();
    for line in lines() {
        if !line.is_empty() {
            out.extend_from_slice(indent);
            out.extend_from_slice(&line.as_bytes()[common..]);
        }
        out.extend_from_slice(eol);
    }
    out
}

fn unreadable(like: &crate::doc::Document, text: &str) -> Finding {
    let message = format!("the piece cannot be read as a part of a {} file", like.family().name());
    let finding = Finding::edit_error("piece", message);
    let read = crate::doc::Document::read(text.into(), like.family(), like.dialect().clone()).ok();
    let bad = read.and_then(|doc| {
        let of_ours = |kind| matches!(kind, crate::doc::Kind::Broken | crate::doc::Kind::Opaque);
        let span = doc.tree().leaves().find(|(_, kind, _)| of_ours(*kind)).map(|(.., span)| span)?;
        Some(doc.line_at(span.start as usize))
    });
    match bad {
        Some(line) => finding.help(format!("look at its line {line}")),
        None => finding.help("it holds no statement, or a block that is not closed"),
    }
}
