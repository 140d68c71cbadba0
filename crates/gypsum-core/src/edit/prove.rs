//! The proof of an edit: the result is read again, and its settings must differ from those before
//! by exactly what was asked for.

use super::block::Thing;
use super::confirm::confirm;
use super::context::File;
use super::expected::{AllExpected, Expected, Match, Within};
use crate::address::with_two_dots;
use crate::doc::{BlockId, Document, Family, Kind, LeafId};
use crate::finding::Finding;
use crate::witness::why_malformed;
use std::borrow::Cow;
use std::collections::BTreeMap;

/// Returns `after`, read, where it reads back as `file` with exactly these fates, else a finding.
pub fn prove(file: &File, all_expected: &AllExpected<'_>, after: Vec<u8>) -> Result<Document, Finding> {
    let old = &file.doc;
    let new = Document::read(after, old.family(), old.dialect().clone()).map_err(|_| {
        Finding::edit_error("too-large", "the file would grow beyond what can be read").in_file(&file.path)
    })?;
    let mut matches = Vec::new();
    match first_difference(old, &new, all_expected, &mut matches) {
        None => {
            if let Some(leaf) = matches.iter().find_map(|one| misplaced(old, &new, one)) {
                return Err(in_another_block(file, &new, leaf));
            }
            confirm(file, &new, &matches)?;
            Ok(new)
        }
        Some(leaf) => Err(misread(file, all_expected, &new, leaf)),
    }
}

/// What is new, where it is read in another block than it was meant for.
fn misplaced(old: &Document, new: &Document, one: &Match<'_>) -> Option<LeafId> {
    let Expected::Inserted { things, within: Within::Block(block) } = one.expected else { return None };
    // What is inside of the first one is in its order.
    let leaf = one.new.filter(|_| one.thing == things.first())?;
    (names_around(new, new.tree().block_of(leaf)) != names_around(old, *block)).then_some(leaf)
}

/// The names of a block and of those around it, the innermost first; an element of a list has none.
fn names_around(doc: &Document, block: Option<BlockId>) -> Vec<Option<String>> {
    let around = std::iter::successors(block, |block| doc.tree().block(*block).parent());
    let opens = around.map(|block| doc.tree().block(block).open());
    opens.map(|open| doc.parts(open).map(|parts| doc.name(&parts))).collect()
}

fn in_another_block(file: &File, new: &Document, leaf: LeafId) -> Finding {
    let name = new.parts(leaf).map_or_else(|| "this line".to_owned(), |parts| new.name(&parts));
    Finding::edit_error(
        "misread",
        format!("with this edit {name} would be read in another block than was asked for"),
    )
    .at(&file.path, new, leaf)
    .help("edit the lines themselves: gypsum edit")
}

/// What would be misread, where, and what to do instead.
fn misread(file: &File, all_expected: &AllExpected<'_>, new: &Document, leaf: Option<LeafId>) -> Finding {
    let old = &file.doc;
    let (before, broken) = (old.tree().broken().next(), new.tree().broken().next());
    if let (Some(before), Some(_), true) = (before, broken, old.family().is_standard()) {
        let (name, why) = (old.family().name(), why_malformed(old));
        let message = format!("this file is no {name}, so none of its settings can be edited{why}");
        return Finding::edit_error("misread", message)
            .at(&file.path, old, before)
            .help("correct this line first, in an editor: gypsum edit");
    }
    let (message, at) = match (broken.filter(|_| before.is_none()), leaf) {
        (Some(broken), _) => {
            let why = why_malformed(new);
            (format!("with this edit the file could not be read any more{why}"), Some(broken))
        }
        (None, Some(leaf)) => {
            let what = another_value(new, leaf);
            let message =
                format!("with this edit this line would be read as {what}, which is not what was asked for");
            (message, Some(leaf))
        }
        (None, None) => ("with this edit a setting would be read as part of another one".to_owned(), None),
    };
    let finding = Finding::edit_error("misread", message).help(instead_of(old, all_expected));
    match at {
        Some(leaf) => finding.at(&file.path, new, leaf),
        None => finding.in_file(&file.path),
    }
}

/// What a leaf is read as that was not expected to be there.
fn another_value(new: &Document, leaf: LeafId) -> String {
    let name = match new.tree().kind(leaf) {
        Kind::Setting | Kind::Open => new.parts(leaf).map(|parts| new.name(&parts)),
        Kind::Close | Kind::Comment | Kind::Blank | Kind::Opaque | Kind::Broken => None,
    };
    let name = name.filter(|name| !name.is_empty());
    name.map_or_else(|| "something else".to_owned(), |name| format!("another value of {name}"))
}

/// What to do instead of an edit that would be misread.
fn instead_of(old: &Document, all_expected: &AllExpected<'_>) -> String {
    let takes_away = all_expected
        .iter()
        .all(|(_, expected)| matches!(expected, Expected::Removed | Expected::RemovedTill(_)));
    let inserted = all_expected.iter().filter_map(|(_, expected)| match expected {
        Expected::Inserted { things, .. } => Some(things),
        _ => None,
    });
    let mut names = inserted.flatten().filter(|(kind, ..)| *kind == Kind::Setting);
    let two_dots =
        names.find_map(|(_, name, _)| with_two_dots(old, &String::from_utf8_lossy(name), |_| true));
    match two_dots {
        Some(meant) => format!("two dots lead into a block: {meant}"),
        None if takes_away => {
            "take away the block around it, or edit the lines themselves: gypsum edit".to_owned()
        }
        None => {
            "put quotes around the value, leave the character that means something here out of it, or edit the line itself: gypsum edit".to_owned()
        }
    }
}

/// What must be the next thing in the new file.
enum Wanted<'a> {
    Same(Kind, LeafId),
    New(Kind, &'a [u8], &'a [u8]),
}

fn first_difference<'a>(
    old: &Document,
    new: &Document,
    all_expected: &AllExpected<'a>,
    matches: &mut Vec<Match<'a>>,
) -> Option<Option<LeafId>> {
    let mut by_leaf: BTreeMap<Option<LeafId>, Vec<&'a Expected>> = BTreeMap::new();
    for (leaf, expected) in all_expected {
        by_leaf.entry(*leaf).or_default().push(expected);
    }
    let mut walk = Walk {
        old,
        new,
        there: new.tree().leaves().filter(|(_, kind, _)| counts(*kind)).map(|(id, ..)| id),
        matches,
    };
    if let Err(is) = walk.meets(None, born(by_leaf.get(&None))) {
        return Some(is);
    }
    let mut gone_till = 0;
    for (leaf, kind, _) in old.tree().leaves() {
        if leaf < gone_till {
            continue;
        }
        // Nearly all of them are none of this change's business.
        let Some(all_expected) = by_leaf.get(&Some(leaf)) else {
            if counts(kind)
                && let Err(is) = next_is(old, new, &mut walk.there, &Wanted::Same(kind, leaf))
            {
                return Some(is);
            }
            continue;
        };
        let is_fate = |expected: &&Expected| !matches!(expected, Expected::Inserted { .. });
        let fate = all_expected.iter().copied().find(is_fate);
        if let Some(Expected::RemovedTill(end)) = fate {
            gone_till = *end;
        }
        let own = match fate {
            Some(gone @ (Expected::Removed | Expected::RemovedTill(_))) => {
                walk.matches.push(Match { expected: gone, old: Some(leaf), new: None, thing: None });
                None
            }
            fate => wanted_of(old, leaf, kind, fate).map(|wanted| (wanted, fate.map(|fate| (fate, None)))),
        };
        if let Err(is) = walk.meets(Some(leaf), own.into_iter().chain(born(Some(all_expected)))) {
            return Some(is);
        }
    }
    walk.there.next().map(Some)
}

/// A thing that must come next, with what is expected of it; none where it is to stay.
type Next<'w, 'a> = (Wanted<'w>, Option<(&'a Expected, Option<&'a Thing>)>);

/// What is new behind a leaf.
fn born<'w, 'a: 'w>(all_expected: Option<&Vec<&'a Expected>>) -> impl Iterator<Item = Next<'w, 'a>> {
    let things = all_expected.into_iter().flatten().filter_map(|expected| match *expected {
        Expected::Inserted { things, .. } => Some(things.iter().map(move |thing| (*expected, thing))),
        _ => None,
    });
    things.flatten().map(|(expected, thing)| {
        let (kind, name, value) = thing;
        (Wanted::New(*kind, name, value), Some((expected, Some(thing))))
    })
}

/// What becomes of a leaf that is not removed; none where it does not count.
fn wanted_of<'w>(
    old: &'w Document,
    leaf: LeafId,
    kind: Kind,
    fate: Option<&'w Expected>,
) -> Option<Wanted<'w>> {
    match fate {
        Some(Expected::Uncommented { name, value }) => Some(Wanted::New(Kind::Setting, name, value)),
        Some(Expected::Set(value)) => {
            old.parts(leaf).map(|parts| Wanted::New(Kind::Setting, parts.name.of(old.source()), value))
        }
        _ => counts(kind).then_some(Wanted::Same(kind, leaf)),
    }
}

/// The new file beside the old one: what comes next in it, and what was found so far.
struct Walk<'w, 'a, I> {
    old: &'w Document,
    new: &'w Document,
    /// The leaves of the new file that are still to come.
    there: I,
    matches: &'w mut Vec<Match<'a>>,
}

impl<'a, I: Iterator<Item = LeafId>> Walk<'_, 'a, I> {
    /// Meets these things next, for the leaf `old`; else the leaf that is another thing.
    fn meets<'n>(
        &mut self,
        old: Option<LeafId>,
        things: impl IntoIterator<Item = Next<'n, 'a>>,
    ) -> Result<(), Option<LeafId>> {
        for (wanted, about) in things {
            let new = Some(next_is(self.old, self.new, &mut self.there, &wanted)?);
            self.matches.extend(about.map(|(expected, thing)| Match { expected, old, new, thing }));
        }
        Ok(())
    }
}

/// The next counting leaf where it is as wanted; else the leaf that is not, if there is one.
fn next_is(
    old: &Document,
    new: &Document,
    there: &mut impl Iterator<Item = LeafId>,
    wanted: &Wanted<'_>,
) -> Result<LeafId, Option<LeafId>> {
    let Some(id) = there.next() else {
        return Err(None);
    };
    let fits = match wanted {
        Wanted::Same(kind, leaf) => {
            let (was, is) = (old.tree().span(*leaf).of(old.source()), new.tree().span(id).of(new.source()));
            // Nearly all are the same to the byte.
            new.tree().kind(id) == *kind && (was == is || gist(old, *leaf, was) == gist(new, id, is))
        }
        Wanted::New(Kind::Close, ..) => new.tree().kind(id) == Kind::Close,
        Wanted::New(kind, name, value) => new.parts(id).is_some_and(|parts| {
            let read = new.value(&parts);
            new.tree().kind(id) == *kind
                && parts.name.of(new.source()) == *name
                && (same_value(&read, value)
                    || new.dialect().comments_anywhere && same_words(new, &read, value)
                    || *kind == Kind::Open && read.split_whitespace().eq(words(value)))
        }),
    };
    if fits { Ok(id) } else { Err(Some(id)) }
}

/// What must stay of a statement: all of it but the blanks around it, and in JSON the comma behind it.
fn gist<'a>(doc: &Document, leaf: LeafId, text: &'a [u8]) -> Cow<'a, [u8]> {
    let trimmed = text.trim_ascii();
    if doc.family() != Family::Json {
        return Cow::Borrowed(trimmed);
    }
    let start = doc.tree().span(leaf).start as usize;
    let end = match doc.tree().kind(leaf) {
        Kind::Setting => doc.parts(leaf).map_or(text.len(), |parts| parts.end as usize - start),
        _ => text.len() - text.trim_ascii_start().len() + 1,
    };
    let (own, rest) = text.split_at(end.min(text.len()));
    let rest = rest.trim_ascii();
    Cow::Owned([own.trim_ascii_start(), rest.strip_prefix(b",").unwrap_or(rest).trim_ascii()].concat())
}

fn words(value: &[u8]) -> impl Iterator<Item = &str> {
    std::str::from_utf8(value).unwrap_or_default().split_whitespace()
}

/// A value that was typed with quotes of its own reads back without them.
fn same_value(read: &str, asked: &[u8]) -> bool {
    let inner = match asked {
        [b'"', inner @ .., b'"'] | [b'\'', inner @ .., b'\''] => inner,
        _ => asked,
    };
    read.as_bytes() == asked || read.as_bytes() == inner
}

/// Words of which some were put in quotes are the same without them.
fn same_words(doc: &Document, read: &str, asked: &[u8]) -> bool {
    let bare = |text: &str| -> Vec<String> {
        let quote = |c: char| u8::try_from(c).is_ok_and(|byte| doc.dialect().is_quote(byte));
        text.split_whitespace().map(|word| word.trim_matches(quote).to_owned()).collect()
    };
    bare(read) == bare(&String::from_utf8_lossy(asked))
}

fn counts(kind: Kind) -> bool {
    !matches!(kind, Kind::Comment | Kind::Blank)
}
