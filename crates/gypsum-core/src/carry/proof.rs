//! The result is read again: its settings must be those of theirs with exactly what was decided done to them. Where the
//! format has a second reader, that one is asked, too.

use super::scope::{Item, Scope, Scoped, What};
use crate::doc::{Dialect, Document};
use crate::finding::Finding;
use crate::text::{Splice, apply};
use crate::witness::Witness;
use std::collections::BTreeMap;

/// A setting with the blocks around it, and its value.
type Entry = (Vec<String>, Vec<u8>, String);

/// What was decided, as settings that come and go.
#[derive(Debug, Default)]
pub struct Ledger {
    counts: BTreeMap<Entry, i64>,
}

impl Ledger {
    /// A setting comes.
    pub fn add(&mut self, path: Vec<String>, item: &Item) {
        *self.counts.entry((path, item.name.clone(), item.value.clone())).or_default() += 1;
    }

    /// A setting goes.
    pub fn remove(&mut self, path: Vec<String>, item: &Item) {
        *self.counts.entry((path, item.name.clone(), item.value.clone())).or_default() -= 1;
    }

    /// The setting `item` comes with what is written behind its name.
    pub fn add_written(&mut self, path: Vec<String>, scoped: &Scoped<'_>, item: &Item, behind: &[u8]) {
        let doc = scoped.doc;
        let name = doc.parts(item.leaf).map_or(item.span, |parts| parts.name);
        let text = [name.of(doc.source()), behind, b"\n"].concat();
        let read = Document::read(text, doc.family(), doc.dialect().clone());
        let value = read.ok().and_then(|read| Some(read.value(&read.parts(0)?))).unwrap_or_default();
        self.add(path, &Item { value, ..item.clone() });
    }

    /// A block comes, with all that is in it.
    pub fn add_block(&mut self, around: Vec<String>, scoped: &Scoped<'_>, item: &Item) {
        self.block(around, scoped, item, 1);
    }

    /// An item goes.
    pub fn remove_item(&mut self, scoped: &Scoped<'_>, scope: &Scope, item: &Item) {
        match item.what {
            What::Setting => self.remove(scoped.path(scope), item),
            What::Block(_) => self.block(scoped.path(scope), scoped, item, -1),
            What::Comment | What::Other => {}
        }
    }

    fn block(&mut self, mut path: Vec<String>, scoped: &Scoped<'_>, item: &Item, by: i64) {
        let What::Block(block) = item.what else { return };
        path.push(scoped.doc.title(block).to_owned());
        for one in &scoped.scope(Some(block)).items {
            match one.what {
                What::Setting => {
                    *self.counts.entry((path.clone(), one.name.clone(), one.value.clone())).or_default() +=
                        by;
                }
                What::Block(_) => self.block(path.clone(), scoped, one, by),
                What::Comment | What::Other => {}
            }
        }
    }
}

/// The result, where it reads as was decided.
pub fn proven(
    theirs: &Scoped<'_>,
    mine: &Scoped<'_>,
    splices: &[Splice],
    ledger: &Ledger,
) -> Result<Vec<u8>, Finding> {
    let old = theirs.doc;
    let cannot = |message: String| {
        Finding::edit_error("cannot-carry", message)
            .help("merge these files by hand: gypsum edit; the result holds your version as it is")
    };
    let bytes = apply(old.source(), splices)
        .ok_or_else(|| cannot("two of your settings go to the same place in the new version".to_owned()))?;
    let new = Document::read(bytes, old.family(), old.dialect().clone())
        .map_err(|error| cannot(error.to_string()))?;
    let broken = |doc: &Document| doc.tree().broken().count();
    if broken(&new) > broken(old) {
        return Err(cannot("the result could not be read any more".to_owned()));
    }
    let mut wanted = count(theirs);
    for (entry, by) in &ledger.counts {
        *wanted.entry(entry.clone()).or_default() += by;
    }
    let wanted = under_new_titles(wanted, ledger, new.dialect());
    let read = Scoped::of(&new, &|_| None);
    let found = count(&read);
    let differs = wanted.iter().find(|(entry, count)| found.get(*entry).copied().unwrap_or(0) != **count);
    let stray = found.iter().find(|(entry, _)| !wanted.contains_key(*entry));
    if let Some(((_, name, _), _)) = differs.or(stray) {
        let name = String::from_utf8_lossy(name);
        return Err(cannot(format!(
            "the result would be read with another value of {name} than was decided"
        )));
    }
    witnessed(&new, old, mine.doc, ledger).map_err(cannot)?;
    Ok(new.source().to_vec())
}

/// What is wanted, where a block is called by a setting in it that has another value now.
fn under_new_titles(
    wanted: BTreeMap<Entry, i64>,
    ledger: &Ledger,
    dialect: &Dialect,
) -> BTreeMap<Entry, i64> {
    let first = |value: &str| value.split_whitespace().next().unwrap_or_default().to_owned();
    let called_by = |(path, name, value): &Entry| {
        let title = path.last()?;
        let mut blocks = dialect.identified_by.iter().filter(|(_, by)| dialect.same(name, by.as_bytes()));
        blocks.find_map(|(block, _)| (*title == format!("{block} {}", first(value))).then_some(block))
    };
    let gone = ledger.counts.iter().filter(|(_, by)| **by < 0);
    let renamed = gone.filter_map(|(entry, _)| {
        let block = called_by(entry)?;
        let comes = |(other, by): &(&Entry, &i64)| **by > 0 && other.0 == entry.0 && other.1 == entry.1;
        let ((_, _, value), _) = ledger.counts.iter().find(comes)?;
        Some((entry.0.clone(), format!("{block} {}", first(value))))
    });
    let renamed: Vec<(Vec<String>, String)> = renamed.collect();
    let mut told = BTreeMap::new();
    for ((mut path, name, value), count) in wanted {
        if let Some((old, title)) = renamed.iter().find(|(old, _)| path.starts_with(old)) {
            path[old.len() - 1].clone_from(title);
        }
        *told.entry((path, name, value)).or_default() += count;
    }
    told
}

fn count(scoped: &Scoped<'_>) -> BTreeMap<Entry, i64> {
    let mut counts = BTreeMap::new();
    for scope in scoped.scopes() {
        let path = scoped.path(scope);
        for item in scope.items.iter().filter(|item| item.what == What::Setting) {
            *counts.entry((path.clone(), item.name.clone(), item.value.clone())).or_default() += 1;
        }
    }
    counts
}

/// By the second reader: all that the result says is in mine, in theirs or was decided, and all that both say is in the
/// result.
fn witnessed(new: &Document, theirs: &Document, mine: &Document, ledger: &Ledger) -> Result<(), String> {
    let Some(witness) = Witness::of(new.family()) else { return Ok(()) };
    let says = |doc: &Document| {
        let account = witness.read(doc.source(), doc.dialect()).ok()?;
        let entries = account.entries.into_iter().map(|one| (one.name, one.value.map(|value| value.text)));
        Some(entries.collect::<std::collections::BTreeSet<_>>())
    };
    // What the witness cannot read was so before.
    let (Some(theirs), Some(mine)) = (says(theirs), says(mine)) else { return Ok(()) };
    let Some(result) = says(new) else {
        return Err("a second reader cannot read the result".to_owned());
    };
    let name = |entry: &(Option<Vec<u8>>, Option<Vec<u8>>)| {
        String::from_utf8_lossy(entry.0.as_deref().unwrap_or_default()).into_owned()
    };
    let is_decided = |entry: &(Option<Vec<u8>>, Option<Vec<u8>>), comes: bool| {
        let (name, value) = (entry.0.as_deref().unwrap_or_default(), entry.1.as_deref().unwrap_or_default());
        let is_it = |own: &[u8], text: &str| own == name && text.as_bytes() == value;
        ledger.counts.iter().any(|((_, own, text), by)| *by != 0 && (*by > 0) == comes && is_it(own, text))
    };
    let is_known = |entry: &(Option<Vec<u8>>, Option<Vec<u8>>)| {
        theirs.contains(entry) || mine.contains(entry) || is_decided(entry, true)
    };
    if let Some(stray) = result.iter().find(|entry| !is_known(entry)) {
        return Err(format!(
            "a second reader finds {} in the result with a value that none of the files has",
            name(stray)
        ));
    }
    let is_lost = |entry: &&(Option<Vec<u8>>, Option<Vec<u8>>)| {
        mine.contains(*entry) && !result.contains(*entry) && !is_decided(entry, false)
    };
    match theirs.iter().find(is_lost) {
        Some(lost) => {
            Err(format!("a second reader does not find {} in the result, which both have", name(lost)))
        }
        None => Ok(()),
    }
}
