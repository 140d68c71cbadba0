//! Two accounts held against each other: what differs must be what was asked for.

use super::Witness;
use super::account::{Account, Entry, Scalar, Sort};
use crate::doc::Dialect;
use std::collections::HashMap;

/// The way to an entry from the outside in: each step the name, and which of those that share it within the
/// same block, from 0.
pub type Named = Vec<(Option<Vec<u8>>, usize)>;

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

/// Whether `before` and `after` differ by exactly what `changed` says.
///
/// # Errors
///
/// The first place at which they do not.
pub fn compare(
    witness: Witness,
    dialect: &Dialect,
    before: &Account,
    after: &Account,
    changed: &[Changed],
) -> Result<(), Disagreement> {
    let (old, new) = (Index::of(before, changed.len()), Index::of(after, changed.len()));
    let mut gone = vec![false; before.entries.len()];
    let mut fresh = vec![false; after.entries.len()];
    for change in changed {
        match change {
            Changed::Removed(at) => mark(&mut gone, before, old.find(at).ok_or_else(|| missing(at, false))?),
            Changed::Set { before: from, after: to, value } => {
                let from = old.find(from).ok_or_else(|| missing(from, false))?;
                let to = new.find(to).ok_or_else(|| missing(to, true))?;
                let (was, is) = (&before.entries[from], &after.entries[to]);
                if !is_asked(witness, dialect, value, Some(was), after, to) {
                    return Err(other_value(is));
                }
                // Notes of its own, such as an anchor, would be lost without a word.
                mark(&mut gone, before, from);
                mark(&mut fresh, after, to);
            }
            Changed::Inserted { after: to, value, as_written } => {
                let to = new.find(to).ok_or_else(|| missing(to, true))?;
                let fits = match value {
                    None => after.entries[to].value.is_none() && after.entries[to].end == to + 1,
                    Some(value) => {
                        is_asked(witness, dialect, value, None, after, to)
                            || *as_written && reads_as(&after.entries[to], value)
                    }
                };
                if !fits {
                    return Err(other_value(&after.entries[to]));
                }
                mark(&mut fresh, after, to);
            }
            Changed::InsertedBlock(to) => {
                let to = new.find(to).ok_or_else(|| missing(to, true))?;
                fresh[to] = true;
            }
        }
    }
    rest_is_same(before, &gone, after, &fresh, witness)
}

fn mark(seen: &mut [bool], account: &Account, at: usize) {
    seen[at..account.entries[at].end].fill(true);
}

/// What neither account says anything new about must be the same, in the same order and as deep.
fn rest_is_same(
    before: &Account,
    gone: &[bool],
    after: &Account,
    fresh: &[bool],
    witness: Witness,
) -> Result<(), Disagreement> {
    let hollow = witness.ignores_hollow();
    let (mut old, mut new) = (Rest::new(before, gone, hollow), Rest::new(after, fresh, hollow));
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

/// The entries that are not marked, each with how deep it stands.
struct Rest<'a> {
    account: &'a Account,
    marked: &'a [bool],
    hollow: bool,
    at: usize,
    open: Vec<usize>,
}

impl<'a> Rest<'a> {
    fn new(account: &'a Account, marked: &'a [bool], hollow: bool) -> Self {
        Self { account, marked, hollow, at: 0, open: Vec::new() }
    }

    fn next(&mut self) -> Option<(&'a Entry, usize)> {
        loop {
            let at = self.at;
            let entry = self.account.entries.get(at)?;
            self.at += 1;
            while self.open.last().is_some_and(|end| *end <= at) {
                self.open.pop();
            }
            if self.marked[at] || self.hollow && self.is_hollow(at) {
                continue;
            }
            let depth = self.open.len();
            if entry.end > at + 1 {
                self.open.push(entry.end);
            }
            return Some((entry, depth));
        }
    }

    /// A block in which nothing is left that has a value.
    fn is_hollow(&self, at: usize) -> bool {
        let entry = &self.account.entries[at];
        entry.block
            && (at + 1..entry.end).all(|inner| self.marked[inner] || self.account.entries[inner].block)
    }
}

fn missing(at: &Named, after: bool) -> Disagreement {
    let name = |(name, nth): &(Option<Vec<u8>>, usize)| match name {
        Some(name) => String::from_utf8_lossy(name).into_owned(),
        None => format!("element {}", nth + 1),
    };
    let path = at.iter().map(name).collect::<Vec<_>>().join("..");
    Disagreement { line: 0, after, what: format!("it does not see {path}") }
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

/// Whether `alone` is what stands at `at`, but for its name.
fn same_value(alone: &Account, account: &Account, at: usize) -> bool {
    let inside = &account.entries[at..account.entries[at].end];
    alone.entries.len() == inside.len()
        && alone.entries.iter().zip(inside).enumerate().all(|(n, (a, b))| {
            (n == 0 || a.name == b.name) && a.value == b.value && a.block == b.block && a.end == b.end - at
        })
}

/// Where entries are, by the block that they are in and their name.
type Places<'a> = HashMap<(Option<usize>, Option<&'a [u8]>), Vec<usize>>;

/// Finds entries by the way to them: a few by walking there, many by an index.
struct Index<'a> {
    account: &'a Account,
    places: Option<Places<'a>>,
}

/// So many are found by walking.
const FEW: usize = 8;

impl<'a> Index<'a> {
    fn of(account: &'a Account, asked: usize) -> Self {
        if asked <= FEW {
            return Self { account, places: None };
        }
        let mut places = Places::new();
        let mut open: Vec<(usize, usize)> = Vec::new();
        for (at, entry) in account.entries.iter().enumerate() {
            while open.last().is_some_and(|(_, end)| *end <= at) {
                open.pop();
            }
            let parent = open.last().map(|(parent, _)| *parent);
            places.entry((parent, entry.name.as_deref())).or_default().push(at);
            if entry.end > at + 1 {
                open.push((at, entry.end));
            }
        }
        Self { account, places: Some(places) }
    }

    fn find(&self, at: &Named) -> Option<usize> {
        let mut parent = None;
        for (name, nth) in at {
            parent = Some(match &self.places {
                Some(places) => *places.get(&(parent, name.as_deref()))?.get(*nth)?,
                None => self.walk(parent, name.as_deref(), *nth)?,
            });
        }
        parent
    }

    /// The `nth` entry of this name within `parent`.
    fn walk(&self, parent: Option<usize>, name: Option<&[u8]>, nth: usize) -> Option<usize> {
        let entries = &self.account.entries;
        let (mut at, end) = match parent {
            Some(parent) => (parent + 1, entries[parent].end),
            None => (0, entries.len()),
        };
        let mut left = nth;
        while at < end {
            if entries[at].name.as_deref() == name {
                if left == 0 {
                    return Some(at);
                }
                left -= 1;
            }
            at = entries[at].end;
        }
        None
    }
}
