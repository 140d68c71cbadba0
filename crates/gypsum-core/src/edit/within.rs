//! Edits of a part of a value: an option in a list of options, an element of a list.

use super::ask::{Amount, Edit, Where};
use super::context::ResolvedEdit;
use super::context::{EditContext, Resolution};
use super::edit_error::{ambiguous, in_one_piece, no_block_yet, no_quantity};
use super::expected::Expected;
use super::find::{blocks_named, find_active};
use super::list::Elements;
use super::option::{Ask, Options};
use super::quoting::quoted;
use crate::address::{Address, address_of};
use crate::doc::{Document, Family, Kind, LeafId, Parts};
use crate::finding::Finding;
use crate::text::{Span, Splice, apply};
use std::ops::Range;

/// Whether a value has words that are options: `-v`, `name=value`.
fn holds_options(value: &str) -> bool {
    value.split_whitespace().any(|word| word.starts_with('-') || word.contains('='))
}

impl EditContext<'_> {
    /// The edit as one of an option inside a value, where its last step can only mean that; none where the
    /// steps before it name no setting.
    pub(super) fn option(&self, edit: &Edit) -> Resolution {
        let (address, ask) = match edit {
            Edit::Set { address, value } => (address, Ask::Set(value)),
            Edit::Add { address, value: Some(value), .. } => (address, Ask::Set(value)),
            Edit::Add { address, value: None, .. } => (address, Ask::Flag),
            Edit::Scale { address, by } => (address, Ask::Scale(by)),
            Edit::Delete(address) => (address, Ask::Removed),
            _ => return Ok(None),
        };
        let Some((outer, last)) = address.around() else {
            return Ok(None);
        };
        if !blocks_named(self.files, &outer).is_empty() {
            return Ok(None);
        }
        let mut holders = find_active(self.files, &outer);
        holders.retain(|(n, _)| self.is_meant(*n));
        let holds = |(n, leaf): &(usize, LeafId)| {
            let doc = &self.files[*n].doc;
            let parts = doc.parts(*leaf);
            parts
                .and_then(|parts| Options::of(doc, &parts))
                .is_some_and(|all| !all.find(&last.words).is_empty())
        };
        // Where a name is assigned twice, the option is changed where it is, and else added at the end.
        let with: Vec<_> = holders.iter().copied().filter(holds).collect();
        let (n, leaf) = match (with.as_slice(), holders.last()) {
            (_, None) => return Ok(None),
            ([], Some(last)) => *last,
            ([one], _) => *one,
            (several, _) => return Err(ambiguous(self.files, &outer, several, self.guide, None)),
        };
        let doc = &self.files[n].doc;
        let value = doc.parts(leaf).map(|parts| doc.value(&parts)).unwrap_or_default();
        let is_standard = doc.family().is_standard();
        let refused = |finding: Finding| finding.about(address).at(&self.files[n].path, doc, leaf);
        let whole = || address_of(doc, leaf).to_string();
        if is_standard && value.starts_with(['{', '[']) || value.starts_with('{') && value.ends_with('}') {
            return Err(refused(in_one_piece(&whole(), &value)));
        }
        // A value of a standard format holds options only where it shows that it does: else a block is meant.
        if is_standard && with.is_empty() && !holds_options(&value) && !last.words.starts_with('-') {
            return Err(refused(no_block_yet(&whole(), &value)));
        }
        let options = doc.parts(leaf).and_then(|parts| Options::of(doc, &parts));
        let options = options.ok_or_else(|| no_quantity(edit, "it has no value to hold options"))?;
        let here = address_of(doc, leaf).then(&last.words).to_string();
        let splices = options
            .splices(&last.words, ask)
            .map_err(|finding| finding.about(&here).at(&self.files[n].path, doc, leaf))?;
        Ok(Some(part(n, leaf, splices, here)))
    }

    /// The edit as one of a list, where the value is one; none where it is not. All edits of one list are done
    /// with the first of them.
    pub(super) fn list(&self, edit: &Edit) -> Resolution {
        let Edit::Scale { address, by: by @ (Amount::Plus(element) | Amount::Minus(element)) } = edit else {
            return Ok(None);
        };
        let Some((n, leaf)) = self.one(address)? else {
            return self.block_of_elements(address, element, matches!(by, Amount::Plus(_)));
        };
        let doc = &self.files[n].doc;
        let Some((parts, hull)) =
            doc.parts(leaf).and_then(|parts| Some((parts.clone(), parts.value.hull()?)))
        else {
            return Ok(None);
        };
        let same = |other: &&Edit| matches!(other, Edit::Scale { address: its, by: Amount::Plus(_) | Amount::Minus(_) } if its == address);
        let all: Vec<&Edit> = self.edits.iter().filter(same).collect();
        let bracketed = Elements::of(doc.source(), hull, remark_in(doc)).is_some();
        // A record has columns.
        let is_told = (self.guide.described)(address.name()) || doc.family() == Family::Records;
        let shown = || if is_told { None } else { parting(&doc.value(&parts)) };
        let separator = (self.guide.list)(address.name()).or_else(shown);
        if !bracketed && separator.is_none() {
            return Ok(None);
        }
        if all.first().is_some_and(|first| !std::ptr::eq(*first, edit)) {
            return Ok(Some(Vec::new()));
        }
        let done = match &separator {
            Some(separator) if !bracketed => change_words(doc, &parts, separator, &all),
            _ => change_list(doc, hull, &all),
        };
        let splices = done.map_err(|finding| finding.about(address).at(&self.files[n].path, doc, leaf))?;
        Ok(Some(part(n, leaf, splices, address_of(doc, leaf).to_string())))
    }

    /// A list that is written as a block of bare names, one an element.
    fn block_of_elements(&self, address: &Address, element: &str, more: bool) -> Resolution {
        let blocks = blocks_named(self.files, address);
        let [(n, block)] = blocks.as_slice() else {
            return Ok(None);
        };
        let doc = &self.files[*n].doc;
        let range = doc.tree().block(*block);
        let own = ((range.open() + 1)..range.end()).filter(|leaf| doc.tree().block_of(*leaf) == Some(*block));
        let statements = own.filter(|leaf| matches!(doc.tree().kind(*leaf), Kind::Setting | Kind::Open));
        let bare = |leaf: LeafId| doc.parts(leaf).is_some_and(|parts| parts.value.is_none());
        if !self.is_meant(*n) || !statements.clone().all(bare) {
            return Ok(None);
        }
        let text = |leaf: LeafId| doc.parts(leaf).map(|parts| doc.name(&parts));
        let standing = statements.into_iter().find(|leaf| text(*leaf).as_deref() == Some(element));
        match (standing, more) {
            (Some(_), true) => Ok(Some(Vec::new())),
            (None, true) => {
                let edit =
                    Edit::Add { address: address.clone().then(element), value: None, spot: Where::Last };
                self.place(&edit, &Vec::new()).map(Some)
            }
            (Some(leaf), false) => {
                let address = address_of(doc, leaf);
                self.place(&Edit::Delete(address), &Vec::new()).map(Some)
            }
            (None, false) => Err(not_in(element).about(address).at(&self.files[*n].path, doc, range.open())),
        }
    }
}

fn part(file: usize, leaf: LeafId, splices: Vec<Splice>, address: String) -> Vec<ResolvedEdit> {
    if splices.is_empty() {
        return Vec::new();
    }
    vec![ResolvedEdit { file, leaf: Some(leaf), expected: Expected::Part, splices, address, lines: None }]
}

/// What parts the words of a value that looks like a list of several: a comma between each, or blanks alone. With a number
/// in it blanks may part anything.
fn parting(value: &str) -> Option<String> {
    if value.contains(['"', '\'', '\\', '(', '[', '{', '$', '`']) {
        return None;
    }
    if value.contains(',') {
        let blank = if value.contains(", ") { ", " } else { "," };
        let is_word = |word: &str| !word.is_empty() && !word.contains(char::is_whitespace);
        return value.split(',').all(|word| is_word(word.trim())).then(|| blank.to_owned());
    }
    let has_number = value.split_whitespace().any(|word| word.starts_with(|c: char| c.is_ascii_digit()));
    (value.split_whitespace().nth(1).is_some() && !has_number).then(|| " ".to_owned())
}

/// The mark that begins a comment inside a list.
fn remark_in(doc: &Document) -> &'static [u8] {
    if doc.family() == Family::Json { b"//" } else { b"#" }
}

/// What an edit does to a list: the element, and whether it is one more.
fn asked(edit: &Edit) -> Option<(&str, bool)> {
    match edit {
        Edit::Scale { by: Amount::Plus(element), .. } => Some((element, true)),
        Edit::Scale { by: Amount::Minus(element), .. } => Some((element, false)),
        _ => None,
    }
}

fn change_list(doc: &Document, hull: Span, edits: &[&Edit]) -> Result<Vec<Splice>, Finding> {
    let end = doc.source().len() - hull.end as usize;
    let mut source = doc.source().to_vec();
    for (element, more) in edits.iter().copied().filter_map(asked) {
        let span = Span::new(hull.start as usize, source.len() - end);
        let broken = || Finding::edit_error("misread", "the list cannot be read once it is changed");
        let list = Elements::of(&source, span, remark_in(doc)).ok_or_else(broken)?;
        let means = |span: &Span| {
            let raw = span.of(&source);
            raw == element.as_bytes() || *doc.family().meaning(raw, doc.dialect()) == *element.as_bytes()
        };
        let splices = match (list.spans.iter().position(means), more) {
            (Some(_), true) => continue,
            (None, true) => {
                let like = list.spans.last().map(|span| span.of(&source));
                list.added(&source, &quoted(doc, element, like)?)
            }
            (Some(n), false) => list.removed(&source, n),
            (None, false) => return Err(not_in(element)),
        };
        source = apply(&source, &splices).ok_or_else(broken)?;
    }
    let text = source[hull.start as usize..source.len() - end].to_vec();
    Ok(if text == hull.of(doc.source()) { Vec::new() } else { vec![Splice { span: hull, text }] })
}

/// Words more or less in a value that is a list by its profile, or by what it looks like.
fn change_words(
    doc: &Document,
    parts: &Parts,
    separator: &str,
    edits: &[&Edit],
) -> Result<Vec<Splice>, Finding> {
    let old = doc.value(parts);
    let mut value = old.clone();
    for (word, more) in edits.iter().copied().filter_map(asked) {
        let words = words_of(&value, separator);
        let found = words.iter().position(|range| value[range.clone()] == *word);
        match (found, more) {
            (Some(_), true) => {}
            (None, false) => return Err(not_in(word)),
            (None, true) if words.is_empty() => word.clone_into(&mut value),
            (None, true) => value = format!("{value}{}{word}", between(&value, separator)),
            (Some(_), false) => {
                while let Some(gone) = without(&value, word, separator) {
                    value = gone;
                }
            }
        }
    }
    if value == old { Ok(Vec::new()) } else { super::apply::value_splices(doc, parts, &value) }
}

/// Where the words of a list are. Behind a mark and a blank in `separator` each of both parts words; a mark alone leaves
/// blanks within them.
fn words_of(value: &str, separator: &str) -> Vec<Range<usize>> {
    let mark = separator.trim();
    let by_blanks = mark.is_empty() || separator != mark;
    let parts = |c: char| mark.contains(c) || by_blanks && c.is_whitespace();
    let mut at = 0;
    let mut words = Vec::new();
    for piece in value.split(parts) {
        let lead = piece.len() - piece.trim_start().len();
        let word = piece.trim();
        if !word.is_empty() {
            words.push(at + lead..at + lead + word.len());
        }
        // Behind the character that ended it.
        at += piece.len();
        at += value[at..].chars().next().map_or(0, char::len_utf8);
    }
    words
}

/// What parts words in this list: `a, b`, `a,b`, or `a b`.
fn between<'a>(value: &str, separator: &'a str) -> &'a str {
    let mark = separator.trim();
    let is_marked = !mark.is_empty() && value.contains(mark);
    match words_of(value, separator).len() {
        _ if is_marked && !value.contains(&format!("{mark} ")) => mark,
        2.. if !is_marked && !mark.is_empty() && separator != mark => " ",
        _ => separator,
    }
}

/// The list without the first such word, and all else as it is; `None` where it has none.
fn without(value: &str, word: &str, separator: &str) -> Option<String> {
    let words = words_of(value, separator);
    let n = words.iter().position(|range| value[range.clone()] == *word)?;
    let (start, end) = match (words.get(n + 1), n.checked_sub(1).and_then(|before| words.get(before))) {
        (Some(next), _) => (words[n].start, next.start),
        (None, Some(last)) => (last.end, words[n].end),
        (None, None) => (words[n].start, words[n].end),
    };
    Some(format!("{}{}", &value[..start], &value[end..]))
}

fn not_in(element: &str) -> Finding {
    Finding::edit_error("not-there", format!("{element} is not in the list"))
        .help("`gypsum show` lists what is")
}

#[cfg(test)]
mod tests {
    use super::{between, without, words_of};

    fn split<'a>(value: &'a str, separator: &str) -> Vec<&'a str> {
        words_of(value, separator).into_iter().map(|range| &value[range]).collect()
    }

    #[test]
    fn a_list_is_parted_as_its_daemon_reads_it() {
        assert_eq!(split("a, b  c,d", ", "), ["a", "b", "c", "d"]);
        assert_eq!(split("a b, c", ","), ["a b", "c"]);
        assert_eq!(split("  a\tb ", " "), ["a", "b"]);
        assert_eq!(split("", ", "), [""; 0]);
        assert_eq!(split("größe, länge", ","), ["größe", "länge"]);
    }

    #[test]
    fn a_word_is_added_as_the_list_has_it_and_goes_alone() {
        for (value, separator, wanted) in [
            ("a b", ", ", " "),
            ("a, b", ", ", ", "),
            ("a,b", ", ", ","),
            ("a", ", ", ", "),
            ("a b", " ", " "),
            ("a b", ",", ","),
        ] {
            assert_eq!(between(value, separator), wanted, "{value:?} {separator:?}");
        }
        let gone = |value: &str, word: &str| without(value, word, ", ");
        assert_eq!(gone("127.0.0.0/8 [::1]/128", "[::1]/128").as_deref(), Some("127.0.0.0/8"));
        assert_eq!(gone("a, b c, d", "b").as_deref(), Some("a, c, d"));
        assert_eq!(gone("a", "a").as_deref(), Some(""));
        assert_eq!(gone("ab", "a"), None);
    }
}
