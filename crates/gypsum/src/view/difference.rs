//! The difference of two versions of a file, without its secrets.

use super::styled;
use crate::out::{BOLD, DIM, GONE, NEW};
use gypsum_core::diff::unified;
use gypsum_core::edit::LineDiff;
use gypsum_core::profile::Profile;
use gypsum_core::secret::{HIDDEN, Redactor, secrets_in_bytes};

/// How many equal lines are shown around what differs.
const AROUND: usize = 2;

/// The lines of the difference between two versions of `name`, in the unified format. What is no text is not shown.
pub fn difference(
    profile: Option<&Profile>,
    name: &str,
    before: &[u8],
    after: &[u8],
    edits: &[LineDiff],
) -> Vec<String> {
    let text = |bytes| std::str::from_utf8(bytes).ok().filter(|text| !text.contains('\0'));
    let (Some(old), Some(new)) = (text(before), text(after)) else {
        return vec![sizes(name, before, after)];
    };
    let secrets = profile.into_iter().flat_map(|profile| {
        [before, after].into_iter().flat_map(|bytes| secrets_in_bytes(profile, bytes.to_vec()))
    });
    let recorded = edits.iter().filter(|edit| edit.file == name).flat_map(|edit| {
        let old = edit.before.iter().flat_map(|shown| hidden_in(shown, before));
        let new = edit.after.iter().flat_map(|shown| hidden_in(shown, after));
        old.chain(new)
    });
    let redactor = Redactor::new(secrets.chain(recorded).collect());
    let text = unified(name, old, new, AROUND);
    text.lines().map(|line| redactor.config_line(line)).collect()
}

/// A line of it for the eye.
pub fn coloured(line: &str) -> String {
    let style = match line.as_bytes() {
        [b'-', b'-', b'-', b' ', ..] | [b'+', b'+', b'+', b' ', ..] => BOLD,
        [b'@', b'@', ..] => DIM,
        [b'-', ..] => GONE,
        [b'+', ..] => NEW,
        _ => return line.to_owned(),
    };
    styled(style, line)
}

/// The same without the content: how long both versions are.
pub fn sizes(name: &str, before: &[u8], after: &[u8]) -> String {
    format!("{name}: {} bytes before, {} bytes after; its content is not shown", before.len(), after.len())
}

/// What is in the text where the record of an edit has hidden values.
fn hidden_in(shown: &str, bytes: &[u8]) -> Vec<String> {
    let parts: Vec<&str> = shown.trim().split(HIDDEN).collect();
    let [lead, others @ ..] = parts.as_slice() else {
        return Vec::new();
    };
    let text = String::from_utf8_lossy(bytes);
    let between = |line: &str| -> Option<Vec<String>> {
        let mut rest = line.trim().strip_prefix(lead)?.to_owned();
        let mut values = Vec::new();
        for (n, part) in others.iter().enumerate() {
            let is_last = n + 1 == others.len();
            let end = if is_last { rest.strip_suffix(part)?.len() } else { rest.find(part)? };
            values.push(rest[..end].to_owned());
            rest = rest[end + part.len()..].to_owned();
        }
        Some(values)
    };
    text.lines().filter_map(between).flatten().collect()
}
