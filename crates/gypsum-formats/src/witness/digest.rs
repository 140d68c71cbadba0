//! An account without its length: what an edit is about is kept, and of the rest what tells whether it is the same.

use super::account::{Account, Entry, Named, Scalar};
use std::collections::{BTreeMap, HashMap};
use std::hash::{DefaultHasher, Hasher};
use std::ops::Range;

/// After so many entries of the rest it is noted what it came to, so that a difference is found by reading once more.
const STEP: usize = 4096;

/// So many bytes are hashed at once: many short texts are slow to be hashed one by one.
const GATHERED: usize = 8192;

/// The places in a file that an edit is about.
#[derive(Clone, Debug)]
pub struct Selector {
    nodes: Vec<Node>,
    /// How many places are asked for.
    asked: usize,
    /// Of each place the block that it is in, and its name; `None` for an element of a list.
    names: Vec<Option<(usize, Vec<u8>)>>,
}

/// A block, by what is looked for in it.
#[derive(Clone, Debug, Default)]
struct Node {
    named: BTreeMap<Vec<u8>, Called>,
    unnamed: Called,
    /// The places that end here: their numbers, and whether all that is inside belongs to them.
    ends: Vec<(usize, bool)>,
}

/// What is looked for under one name.
#[derive(Clone, Debug, Default)]
struct Called {
    /// So many were seen.
    seen: usize,
    /// Which of them are looked for, from 0, each with its node.
    wanted: HashMap<usize, usize>,
}

impl Default for Selector {
    fn default() -> Self {
        Self { nodes: vec![Node::default()], asked: 0, names: Vec::new() }
    }
}

impl Selector {
    /// One more place; `whole` where what is inside of it belongs to it. Its number, from 0.
    pub fn add(&mut self, way: &Named, whole: bool) -> usize {
        let mut node = 0;
        let mut last = None;
        for (name, nth) in way {
            last = name.as_ref().map(|name| (node, name.clone()));
            let changed_statements = self.nodes.len();
            let block = &mut self.nodes[node];
            let called = match name {
                Some(name) => block.named.entry(name.clone()).or_default(),
                None => &mut block.unnamed,
            };
            let next = *called.wanted.entry(*nth).or_insert(changed_statements);
            if next == changed_statements {
                self.nodes.push(Node::default());
            }
            node = next;
        }
        let number = self.asked;
        self.nodes[node].ends.push((number, whole));
        self.asked += 1;
        self.names.push(last);
        number
    }

    /// Of each place how many entries of its name its block has.
    fn counts(&self) -> Vec<usize> {
        let count = |(node, name): &(usize, Vec<u8>)| {
            self.nodes.get(*node)?.named.get(name).map(|called| called.seen)
        };
        self.names.iter().map(|one| one.as_ref().and_then(count).unwrap_or(1)).collect()
    }
}

/// What a file says, in short.
#[derive(Debug)]
pub struct Digest {
    /// What is at the places that were asked for.
    pub taken: Account,
    /// Where in that each place is; none for one that is not there.
    pub found: Vec<Option<usize>>,
    /// How many entries of its name the block of each place has.
    pub counts: Vec<usize>,
    /// What the rest comes to: after each step, and at its end.
    pub rest: Vec<u64>,
    /// The entries of the rest that were asked for, each with how deep it is.
    pub window: Vec<(Entry, usize)>,
}

impl Digest {
    /// The entries of the rest among which the first difference from another account is; none where there is none.
    pub fn first_difference(&self, other: &Self) -> Option<Range<usize>> {
        let steps = self.rest.iter().zip(&other.rest).position(|(a, b)| a != b);
        let step = steps.or_else(|| (self.rest.len() != other.rest.len()).then_some(0))?;
        Some(step * STEP..(step + 1) * STEP + 1)
    }
}

/// An open block.
#[derive(Debug)]
struct Level {
    /// Where the selector is in it.
    node: Option<usize>,
    /// How many blocks of the rest are around what is in it.
    depth: usize,
    /// Whether all in it belongs to a place that was asked for.
    taken: bool,
    /// Its place among what is taken.
    entry: Option<usize>,
    /// Its own entry, as long as nothing with a value was seen in it.
    hollow: Option<Entry>,
}

/// Takes in a file entry by entry.
#[derive(Debug)]
pub struct Digesting {
    selector: Selector,
    /// Whether blocks without a value in them are nothing.
    hollow: bool,
    levels: Vec<Level>,
    taken: Vec<Entry>,
    found: Vec<Option<usize>>,
    hasher: DefaultHasher,
    /// Entries of the rest that are not hashed yet.
    gathered: Vec<u8>,
    counted: usize,
    rest: Vec<u64>,
    wanted: Range<usize>,
    window: Vec<(Entry, usize)>,
}

/// A value, for a moment.
#[derive(Clone, Copy, Debug)]
pub struct Seen<'a> {
    pub name: Option<&'a [u8]>,
    pub value: Option<(super::Sort, super::Sort, &'a [u8])>,
    pub block: bool,
    pub line: u32,
}

impl Seen<'_> {
    pub fn entry(&self, end: usize) -> Entry {
        let value = self.value.map(|(sort, also, text)| Scalar { sort, also, text: text.to_vec() });
        Entry { name: self.name.map(<[u8]>::to_vec), value, block: self.block, line: self.line, end }
    }
}

impl Digesting {
    /// A digest of what `selector` asks for, with the entries number `wanted` of the rest.
    pub fn new(selector: Selector, hollow: bool, wanted: Range<usize>) -> Self {
        let found = vec![None; selector.asked];
        Self {
            selector,
            hollow,
            levels: Vec::new(),
            taken: Vec::new(),
            found,
            hasher: DefaultHasher::new(),
            gathered: Vec::new(),
            counted: 0,
            rest: Vec::new(),
            wanted,
            window: Vec::new(),
        }
    }

    /// One entry, which is a block as long as it is not closed.
    pub fn take(&mut self, seen: Seen<'_>) {
        let (around, mut taken) =
            self.levels.last().map_or((Some(0), false), |level| (level.node, level.taken));
        let node = around.and_then(|node| {
            let node = &mut self.selector.nodes[node];
            let called = match seen.name {
                Some(name) => node.named.get_mut(name)?,
                None => &mut node.unnamed,
            };
            called.seen += 1;
            called.wanted.get(&(called.seen - 1)).copied()
        });
        let (mut entry, mut marked) = (None, taken);
        for (number, whole) in node.map_or(&[][..], |node| &self.selector.nodes[node].ends) {
            marked = true;
            taken |= *whole;
            self.found[*number].get_or_insert(self.taken.len());
        }
        if marked {
            entry = Some(self.taken.len());
            self.taken.push(seen.entry(self.taken.len() + 1));
        }
        let empty = self.hollow && seen.block;
        let counts = !marked && !empty;
        if counts {
            self.fill();
        }
        let depth = self.levels.last().map_or(0, |level| level.depth);
        if counts {
            self.rest(&seen, depth);
        }
        if seen.block {
            let hollow = (!marked && empty).then(|| seen.entry(0));
            let deeper = depth + usize::from(counts);
            self.levels.push(Level { node, depth: deeper, taken, entry, hollow });
        }
    }

    /// The end of the innermost block; false where none is open.
    pub fn close(&mut self) -> bool {
        let Some(level) = self.levels.pop() else {
            return false;
        };
        let end = self.taken.len();
        if let Some(entry) = level.entry {
            self.taken[entry].end = end;
        }
        true
    }

    /// The blocks around a value are none that are empty.
    fn fill(&mut self) {
        if !self.hollow {
            return;
        }
        let mut deeper = 0;
        for n in 0..self.levels.len() {
            self.levels[n].depth += deeper;
            if let Some(entry) = self.levels[n].hollow.take() {
                let value = entry.value.as_ref().map(|value| (value.sort, value.also, value.text.as_slice()));
                let seen = Seen { name: entry.name.as_deref(), value, block: true, line: entry.line };
                let depth = self.levels[n].depth;
                self.rest(&seen, depth);
                self.levels[n].depth += 1;
                deeper += 1;
            }
        }
    }

    fn rest(&mut self, seen: &Seen<'_>, depth: usize) {
        let entry = &mut self.gathered;
        entry.extend_from_slice(&(depth as u32).to_le_bytes());
        entry.push(
            u8::from(seen.block) << 2 | u8::from(seen.name.is_some()) << 1 | u8::from(seen.value.is_some()),
        );
        if let Some(name) = seen.name {
            entry.extend_from_slice(&(name.len() as u32).to_le_bytes());
            entry.extend_from_slice(name);
        }
        if let Some((sort, also, text)) = seen.value {
            entry.extend_from_slice(&[sort as u8, also as u8]);
            entry.extend_from_slice(&(text.len() as u32).to_le_bytes());
            entry.extend_from_slice(text);
        }
        if entry.len() >= GATHERED {
            self.hasher.write(entry);
            entry.clear();
        }
        if self.wanted.contains(&self.counted) {
            self.window.push((seen.entry(0), depth));
        }
        self.counted += 1;
        if self.counted.is_multiple_of(STEP) {
            self.step();
        }
    }

    /// Notes what the rest comes to so far.
    fn step(&mut self) {
        self.hasher.write(&self.gathered);
        self.gathered.clear();
        self.rest.push(self.hasher.finish());
    }

    /// The digest; what is open ends with the file.
    pub fn finish(mut self) -> Digest {
        while self.close() {}
        self.gathered.extend_from_slice(&self.counted.to_le_bytes());
        self.step();
        Digest {
            taken: Account { entries: self.taken },
            found: self.found,
            counts: self.selector.counts(),
            rest: self.rest,
            window: self.window,
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::doc::{Dialect, Family};
    use crate::witness::{Changed, Digest, Selected, Witness, compare, rest_is_same};
    use proptest::prelude::*;
    use std::ops::Range;

    fn digest(
        family: Family,
        source: &str,
        selected: &Selected,
        window: Range<usize>,
        after: bool,
    ) -> Digest {
        let selector = if after { selected.after.clone() } else { selected.before.clone() };
        let witness = Witness::of(family).unwrap();
        witness.digest(source.as_bytes(), &Dialect::default(), selector, window).unwrap()
    }

    /// What differs beside what was asked for: the line, and what is said of it.
    fn found(family: Family, before: &str, after: &str, changed: &[Changed]) -> Option<(u32, String)> {
        let selected = Selected::of(changed);
        let read = |window: Range<usize>| {
            let old = digest(family, before, &selected, window.clone(), false);
            (old, digest(family, after, &selected, window, true))
        };
        let (old, new) = read(0..0);
        let witness = Witness::of(family).unwrap();
        match compare(witness, &Dialect::default(), &old, &new, changed, &selected) {
            Ok(()) => None,
            Err(Some(found)) => Some((found.line, found.what)),
            Err(None) => {
                let (old, new) = read(old.first_difference(&new).unwrap());
                let found = rest_is_same(&old, &new).unwrap_err();
                Some((found.line, found.what))
            }
        }
    }

    fn way(steps: &[&str]) -> Vec<(Option<Vec<u8>>, usize)> {
        steps.iter().map(|step| (Some(step.as_bytes().to_vec()), 0)).collect()
    }

    #[test]
    fn what_was_not_asked_for_is_found() {
        let set = |path: &[&str], value: &str| Changed::Set {
            before: way(path),
            after: way(path),
            value: value.into(),
        };
        let before = "a:\n  x: 1\n  y: 2\nb: 3\n";
        let asked = [set(&["a", "x"], "7")];
        let yaml = |after: &str| found(Family::Yaml, before, after, &asked);
        assert_eq!(yaml("a:\n  x: 7\n  y: 2\nb: 3\n"), None);
        assert_eq!(yaml("a:\n  x: 8\n  y: 2\nb: 3\n").unwrap().0, 2);
        assert_eq!(yaml("a:\n  x: 7\n  y: 4\nb: 3\n").unwrap().0, 3);
        assert_eq!(yaml("a:\n  x: 7\ny: 2\nb: 3\n").unwrap().0, 3);
        assert_eq!(yaml("a:\n  x: 7\n  y: 2\n"), Some((4, "b (a number) is lost".into())));
        assert_eq!(yaml("a:\n  y: 2\nb: 3\n").unwrap().1, "it does not see a..x");
        // Tables without a value are nothing; one that gets a value is.
        let toml = |before: &str, after: &str| found(Family::Toml, before, after, &[]);
        assert_eq!(toml("[a]\n[a.b]\n", "x = {}\n"), None);
        assert!(toml("[a]\n[a.b]\n", "[a]\n[a.b]\nc = 1\n").is_some());
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(8))]
        #[test]
        fn the_first_difference_is_found_in_a_long_file(count in 1usize..10_000, at: usize) {
            let at = at % count;
            let text = |odd: Option<usize>| -> String {
                (0..count).map(|n| format!("k{n}: {}\n", if odd == Some(n) { 1 } else { 0 })).collect()
            };
            let line = found(Family::Yaml, &text(None), &text(Some(at)), &[]).map(|(line, _)| line as usize);
            prop_assert_eq!(line, Some(at + 1));
            prop_assert_eq!(found(Family::Yaml, &text(None), &text(None), &[]), None);
        }
    }
}
