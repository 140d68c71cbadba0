//! Characters that came in with this change, and that hardly any daemon takes for what they look like.

use super::{ConfigView, Leaf};
use crate::doc::{Kind, mark_length};
use crate::finding::Finding;
use std::collections::HashSet;

/// Quotes as text programs set them.
const CURLY: [char; 6] = ['“', '”', '„', '‘', '’', '‚'];

pub fn check(
    before: &ConfigView<'_>,
    after: &ConfigView<'_>,
    changed_statements: &HashSet<Leaf>,
    findings: &mut Vec<Finding>,
) {
    for (n, file) in after.files.iter().enumerate() {
        let doc = &file.doc;
        if doc.source().is_ascii() {
            continue;
        }
        let leaves = doc.tree().leaves().filter(|(_, kind, _)| matches!(kind, Kind::Setting | Kind::Open));
        for (leaf, _, span) in leaves.filter(|(leaf, ..)| changed_statements.contains(&(n, *leaf))) {
            let Some(parts) = doc.parts(leaf) else { continue };
            let end = parts.value.hull().map_or(parts.name.end, |hull| hull.end).max(parts.name.end);
            let start = parts.name.start.min(parts.value.hull().map_or(parts.name.start, |hull| hull.start));
            let text = String::from_utf8_lossy(&doc.source()[start as usize..end.min(span.end) as usize])
                .into_owned();
            let curly = text.char_indices().find(|(_, c)| CURLY.contains(c));
            let odd = curly.or_else(|| text.char_indices().find(|(_, c)| !c.is_ascii()));
            let Some((at, odd)) = odd else { continue };
            findings.push(after.at(strange(odd), n, leaf, start as usize + at));
        }
        let marked = mark_length(doc.source()) > 0;
        let old = before.files.iter().find(|old| old.path == file.path);
        if marked && old.is_none_or(|old| mark_length(old.doc.source()) == 0) {
            let message = "the file now begins with a byte-order mark, which most daemons take as part of the first name";
            findings.push(
                Finding::warning("byte-order-mark", message)
                    .in_file(&file.path)
                    .help("save it as UTF-8 without a mark"),
            );
        }
    }
}

fn strange(c: char) -> Finding {
    if CURLY.contains(&c) {
        let message =
            format!("this contains the typographic quote {c}; most daemons read it as part of the value");
        return Finding::fault("curly-quotes", message).help("type a plain \" or ' instead, or none");
    }
    let message = match c {
        '\u{a0}' => "this holds a blank that is not one (a no-break space)".to_owned(),
        c => format!("the value contains {c:?}, which is not ASCII"),
    };
    Finding::warning("not-ascii", message).help("make sure that the daemon reads this file as UTF-8")
}
