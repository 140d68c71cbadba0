//! Two accounts held against each other: what differs must be what was asked for.

use super::Witness;
use super::account::{Account, Entry, Named, Scalar, Sort};
use super::digest::{Digest, Selector};
use crate::doc::Dialect;

/// One thing that an edit changes, as the tree has it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Changed {
    /// What is at one place before has another value, at another place after.
    Set {
        /// Where it is before the edit.
        before: Named,
        /// Where it is after the edit.
        after: Named,
        /// The value that was asked for.
        value: Vec<u8>,
    },
    /// What is at this place is gone, with all in it.
    Removed(Named),
    /// This is new, with this value.
    Inserted {
        /// Where it is after the edit.
        after: Named,
        /// The value that was asked for; `None` for a bare name.
        value: Option<Vec<u8>>,
        /// Whether it is written as it was while it was commented out.
        as_written: bool,
    },
    /// This block is new; what it holds is inserted, too.
    InsertedBlock(Named),
}

/// Where the accounts differ in another way than was asked for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Disagreement {
    /// The line of it, in the edited file where `after` holds; 0 where it is not known.
    pub line: u32,
    /// Whether the line is one of the edited file.
    pub after: bool,
    /// What the second reader says of it.
    pub what: String,
}

/// The places of both versions that an edit is about.
#[derive(Clone, Debug, Default)]
pub struct Selected {
    /// Those in the file as it was.
    pub before: Selector,
    /// Those in the edited file.
    pub after: Selector,
    /// Of each change its place before, and its place after.
    places: Vec<(Option<usize>, Option<usize>)>,
}

impl Selected {
    /// The places that `changed` is about.
    pub fn of(changed: &[Changed]) -> Self {
        let mut selected = Self::default();
        for change in changed {
            let (before, after) = (&mut selected.before, &mut selected.after);
            let place = match change {
                Changed::Set { before: from, after: to, .. } => {
                    (Some(before.add(from, true)), Some(after.add(to, true)))
                }
                Changed::Removed(at) => (Some(before.add(at, true)), None),
                Changed::Inserted { after: to, .. } => (None, Some(after.add(to, true))),
                Changed::InsertedBlock(to) => (None, Some(after.add(to, false))),
            };
            selected.places.push(place);
        }
        selected
    }
}

/// Whether `before` and `after` differ by exactly what `changed` says.
///
/// # Errors
///
/// The first place at which they do not; none where it is in what neither says anything new about.
pub fn compare(
    witness: Witness,
    dialect: &Dialect,
    before: &Digest,
    after: &Digest,
    changed: &[Changed],
    selected: &Selected,
) -> Result<(), Option<Disagreement>> {
    for (change, (old, new)) in changed.iter().zip(&selected.places) {
        let place_of = *new;
        let old = old.map(|place| before.found[place]);
        let new = new.map(|place| after.found[place]);
        match change {
            Changed::Removed(at) => {
                old.flatten().ok_or_else(|| missing(at, false))?;
            }
            Changed::Set { before: from, after: to, value } => {
                let from = old.flatten().ok_or_else(|| missing(from, false))?;
                let to = new.flatten().ok_or_else(|| missing(to, true))?;
                let (was, is) = (&before.taken.entries[from], &after.taken.entries[to]);
                if !is_asked(witness, dialect, value, Some(was), &after.taken, to) {
                    return Err(Some(other_value(is)));
                }
            }
            Changed::Inserted { after: to, value, as_written } => {
                let count = place_of.and_then(|place| after.counts.get(place)).copied().unwrap_or(1);
                if count > 1 && witness.has_unique_names() {
                    return Err(Some(there_already(to)));
                }
                let to = new.flatten().ok_or_else(|| missing(to, true))?;
                let is = &after.taken.entries[to];
                let fits = match value {
                    None => is.value.is_none() && is.end == to + 1,
                    Some(value) => {
                        is_asked(witness, dialect, value, None, &after.taken, to)
                            || *as_written && reads_as(is, value)
                    }
                };
                if !fits {
                    return Err(Some(other_value(is)));
                }
            }
            Changed::InsertedBlock(to) => {
                new.flatten().ok_or_else(|| missing(to, true))?;
            }
        }
    }
    if before.rest == after.rest { Ok(()) } else { Err(None) }
}

/// What neither account says anything new about must be the same, in the same order and as deep.
///
/// # Errors
///
/// The first place at which the windows of both differ.
pub fn rest_is_same(before: &Digest, after: &Digest) -> Result<(), Disagreement> {
    let (mut old, mut new) = (before.window.iter(), after.window.iter());
    loop {
        match (old.next(), new.next()) {
            (None, None) => return Ok(()),
            (Some((a, depth_a)), Some((b, depth_b)))
                if depth_a == depth_b && (&a.name, &a.value, a.block) == (&b.name, &b.value, b.block) => {}
            (Some((a, _)), Some((b, _))) => {
                let what = format!("{} where {} was", spelled(b), spelled(a));
                return Err(Disagreement { line: b.line, after: true, what });
            }
            (Some((a, _)), None) => {
                return Err(Disagreement {
                    line: a.line,
                    after: false,
                    what: format!("{} is lost", spelled(a)),
                });
            }
            (None, Some((b, _))) => {
                return Err(Disagreement {
                    line: b.line,
                    after: true,
                    what: format!("{} is new", spelled(b)),
                });
            }
        }
    }
}

fn missing(at: &Named, after: bool) -> Option<Disagreement> {
    Some(Disagreement { line: 0, after, what: format!("it does not see {}", path(at)) })
}

/// The way to a place, for a person.
fn path(at: &Named) -> String {
    let name = |(name, nth): &(Option<Vec<u8>>, usize)| match name {
        Some(name) => String::from_utf8_lossy(name).into_owned(),
        None => format!("element {}", nth + 1),
    };
    at.iter().map(name).collect::<Vec<_>>().join("..")
}

/// What is new has a name that its block has already.
fn there_already(at: &Named) -> Disagreement {
    Disagreement { line: 0, after: true, what: format!("{} would be there twice", path(at)) }
}

fn other_value(entry: &Entry) -> Disagreement {
    Disagreement { line: entry.line, after: true, what: format!("it reads {}", spelled(entry)) }
}

/// An entry, for a person; never its value, which may be a secret.
fn spelled(entry: &Entry) -> String {
    let name = entry.name.as_deref().map(String::from_utf8_lossy);
    let sort = match entry.value.as_ref().map(|value| value.sort) {
        _ if entry.block => "a block",
        None => "a bare name",
        Some(Sort::Text) => "a text",
        Some(Sort::Number) => "a number",
        Some(Sort::Flag) => "true or false",
        Some(Sort::Null) => "no value",
        Some(Sort::Other) => "other content",
    };
    match name {
        Some(name) if !name.is_empty() => format!("{name} ({sort})"),
        _ => sort.to_owned(),
    }
}

/// Whether the entry at `at` has the value that was asked for, as the sort that it is to have.
fn is_asked(
    witness: Witness,
    dialect: &Dialect,
    asked: &[u8],
    was: Option<&Entry>,
    account: &Account,
    at: usize,
) -> bool {
    let entry = &account.entries[at];
    let text = Scalar::text(asked);
    let as_text = entry.end == at + 1 && entry.value.as_ref() == Some(&text);
    let typed = String::from_utf8_lossy(asked);
    let alone = witness.value_alone(&typed, dialect);
    let as_typed = alone.as_ref().is_some_and(|alone| same_value(alone, account, at));
    let empty = asked.is_empty() && entry.value.is_none() && entry.end == at + 1;
    // A list does not become a text, nor a text a list, without quotes of one's own.
    let null = was.is_some_and(|was| was.value.as_ref().is_some_and(|value| value.sort == Sort::Null));
    if !null && was.is_some_and(|was| was.block != entry.block) {
        return false;
    }
    if !witness.has_sorts() {
        if witness.expands() {
            let is = entry.value.as_ref();
            let may = is.is_some_and(|is| is.sort == Sort::Text)
                || was.is_some_and(|was| sort_of(was) == Some(Sort::Other));
            return may && is.is_some_and(|is| is.text == asked) && entry.end == at + 1;
        }
        let other = was.and_then(|was| was.value.as_ref()).is_some_and(|value| value.sort == Sort::Other);
        return !other && (as_text || as_typed || empty);
    }
    let first = alone.as_ref().and_then(|alone| alone.entries.first());
    let quoted = matches!(asked, [q @ (b'"' | b'\''), .., end] if q == end);
    let sort_was = was.map(|entry| entry.value.as_ref().map_or(Sort::Other, |value| value.sort));
    let also_was = was.and_then(|entry| entry.value.as_ref()).map(|value| value.also);
    match (sort_was, first.and_then(|entry| entry.value.as_ref())) {
        // Quotes of one's own say that it is a text.
        (_, Some(value)) if quoted && value.sort == Sort::Text => as_typed || as_text,
        // A text for new readers and a number for old ones may stay both.
        (Some(Sort::Text), Some(_)) if also_was != Some(Sort::Text) => as_text || as_typed,
        (Some(Sort::Text), _) => as_text,
        (Some(sort @ (Sort::Number | Sort::Flag)), Some(value)) => {
            as_typed && (value.sort == sort || value.also == sort && also_was != Some(sort))
        }
        // A tag, an alias or a date may be meant, or its text.
        (_, Some(value)) if value.sort == Sort::Other => as_typed || as_text,
        (_, Some(value)) if value.sort != Sort::Text => as_typed,
        (_, None) if first.is_some() => as_typed,
        // What was commented out over several lines is compared as it is written.
        (None, Some(_)) => as_typed || as_text,
        _ => as_text,
    }
}

/// Whether an entry has this text, whatever its sort.
fn reads_as(entry: &Entry, text: &[u8]) -> bool {
    !entry.block && entry.value.as_ref().is_some_and(|value| value.text == text)
}

fn sort_of(entry: &Entry) -> Option<Sort> {
    entry.value.as_ref().map(|value| value.sort)
}

/// Whether `alone` is what is at `at`, but for its name.
fn same_value(alone: &Account, account: &Account, at: usize) -> bool {
    let inside = &account.entries[at..account.entries[at].end];
    alone.entries.len() == inside.len()
        && alone.entries.iter().zip(inside).enumerate().all(|(n, (a, b))| {
            (n == 0 || a.name == b.name) && a.value == b.value && a.block == b.block && a.end == b.end - at
        })
}
