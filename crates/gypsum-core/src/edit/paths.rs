//! The way to a statement as data has it: by names, and by number where several share one.

use crate::doc::{BlockId, Document, Family, Kind, LeafId, Parts, scalars};
use crate::text::Span;
use crate::witness::Named;
use std::borrow::Cow;
use std::collections::{BTreeMap, HashMap, HashSet};

type Name = Option<Vec<u8>>;

/// The ways to some statements of a document.
pub struct Paths {
    ways: HashMap<LeafId, Named>,
}

impl Paths {
    /// The ways to `leaves`.
    pub fn of(doc: &Document, leaves: impl Iterator<Item = LeafId>) -> Self {
        let wanted: HashSet<LeafId> = leaves.collect();
        if doc.family() == Family::Toml {
            return Self { ways: toml_ways(doc, &wanted) };
        }
        let tree = doc.tree();
        // Only blocks around what is wanted are looked into.
        let mut blocks: HashSet<Option<BlockId>> = HashSet::new();
        for leaf in &wanted {
            let mut at = tree.block_of(*leaf);
            blocks.insert(at);
            while let Some(block) = at {
                at = tree.block(block).parent();
                blocks.insert(at);
            }
        }
        // The names of those, and of the blocks around them: only what shares one is counted.
        let mut counts: BTreeMap<Option<BlockId>, Counts> = BTreeMap::new();
        let opened = blocks.iter().flatten().map(|block| tree.block(*block).open());
        let mut known: HashSet<LeafId> = opened.collect();
        known.extend(&wanted);
        for leaf in &known {
            if let Some(parts) = doc.parts(*leaf) {
                let name = name(doc, *leaf, tree.kind(*leaf), &parts);
                counts.entry(tree.block_of(*leaf)).or_default().add(name);
            }
        }
        let mut steps: HashMap<LeafId, (Name, usize)> = HashMap::new();
        for step in tree.walk() {
            if !matches!(step.kind, Kind::Setting | Kind::Open) {
                continue;
            }
            let Some(counts) = counts.get_mut(&step.block) else {
                continue;
            };
            if counts.unnamed.is_none()
                && json_name(doc, step.span).is_some_and(|name| !counts.named.contains_key(name))
            {
                continue;
            }
            let Some(parts) = doc.parts(step.leaf) else {
                continue;
            };
            let name = name(doc, step.leaf, step.kind, &parts);
            if let Some(count) = counts.of(name.as_deref()) {
                if known.contains(&step.leaf) {
                    steps.insert(step.leaf, (name.map(Cow::into_owned), *count));
                }
                *count += 1;
            }
        }
        let way = |leaf: LeafId| {
            let around = doc.path(leaf).into_iter().map(|block| tree.block(block).open());
            around.chain([leaf]).filter_map(|leaf| steps.get(&leaf).cloned()).collect()
        };
        Self { ways: wanted.iter().map(|leaf| (*leaf, way(*leaf))).collect() }
    }

    /// The way to `leaf`; one that leads nowhere for a leaf that was not asked about.
    pub fn path(&self, leaf: Option<LeafId>) -> Named {
        leaf.and_then(|leaf| self.ways.get(&leaf)).cloned().unwrap_or_default()
    }
}

/// The text in quotes with which a statement of JSON begins, where nothing in it is escaped: its name if it has one.
fn json_name(doc: &Document, span: Span) -> Option<&[u8]> {
    if doc.family() != Family::Json {
        return None;
    }
    let text = span.of(doc.source()).trim_ascii_start().strip_prefix(b"\"")?;
    let end = memchr::memchr2(b'"', b'\\', text)?;
    (text[end] == b'"').then(|| &text[..end])
}

/// How many were seen of each name that counts.
#[derive(Default)]
struct Counts {
    named: BTreeMap<Vec<u8>, usize>,
    unnamed: Option<usize>,
}

impl Counts {
    fn add(&mut self, name: Option<Cow<'_, [u8]>>) {
        match name {
            Some(name) => {
                self.named.entry(name.into_owned()).or_default();
            }
            None => self.unnamed = Some(0),
        }
    }

    fn of(&mut self, name: Option<&[u8]>) -> Option<&mut usize> {
        match name {
            Some(name) => self.named.get_mut(name),
            None => self.unnamed.as_mut(),
        }
    }
}

/// What a statement is called in the data; elements of a list are not called anything.
fn name<'a>(doc: &'a Document, leaf: LeafId, kind: Kind, parts: &Parts) -> Option<Cow<'a, [u8]>> {
    let source = doc.source();
    let raw = parts.name.of(source);
    let before = (parts.name.start as usize).checked_sub(1).and_then(|at| source.get(at)).copied();
    match doc.family() {
        Family::Json if before == Some(b'"') && (kind == Kind::Open || !parts.value.is_none()) => {
            Some(unescaped(Family::Json, raw, b'"'))
        }
        Family::Json => None,
        Family::Yaml => {
            let text = doc.tree().span(leaf).of(source).trim_ascii();
            if text.starts_with(b"-") && text.get(1).is_none_or(u8::is_ascii_whitespace) {
                return None;
            }
            match before {
                Some(quote @ (b'"' | b'\'')) => Some(unescaped(Family::Yaml, raw, quote)),
                _ => Some(Cow::Borrowed(raw)),
            }
        }
        _ => Some(Cow::Borrowed(raw)),
    }
}

fn unescaped(family: Family, raw: &[u8], quote: u8) -> Cow<'_, [u8]> {
    // What has no escape in it, nor a quote, is what it says.
    if memchr::memchr2(b'\\', quote, raw).is_none() && !raw.contains(&b'\n') {
        return Cow::Borrowed(raw);
    }
    Cow::Owned(scalars::meaning(family, &[&[quote], raw, &[quote]].concat()).into_owned())
}

/// In TOML headers say where in the data their keys are, whatever is above them.
fn toml_ways(doc: &Document, wanted: &HashSet<LeafId>) -> HashMap<LeafId, Named> {
    let mut ways = HashMap::new();
    let mut arrays: HashMap<Named, usize> = HashMap::new();
    let mut header: Named = Vec::new();
    for (leaf, kind, span) in doc.tree().leaves() {
        let Some(parts) = matches!(kind, Kind::Setting | Kind::Open).then(|| doc.parts(leaf)).flatten()
        else {
            continue;
        };
        let keys = toml_keys(parts.name.of(doc.source()));
        if kind == Kind::Setting {
            if wanted.contains(&leaf) {
                let way = header.iter().cloned().chain(keys.into_iter().map(|key| (Some(key), 0)));
                ways.insert(leaf, way.collect());
            }
            continue;
        }
        let element = span.of(doc.source()).trim_ascii().starts_with(b"[[");
        let last = keys.len().saturating_sub(1);
        header.clear();
        for (n, key) in keys.into_iter().enumerate() {
            header.push((Some(key), 0));
            if element && n == last {
                *arrays.entry(header.clone()).or_default() += 1;
            }
            if let Some(count) = arrays.get(&header).copied() {
                header.push((None, count.saturating_sub(1)));
            }
        }
        if wanted.contains(&leaf) {
            ways.insert(leaf, header.clone());
        }
    }
    ways
}

/// The keys of a dotted key, without quotes.
fn toml_keys(name: &[u8]) -> Vec<Vec<u8>> {
    let mut keys = Vec::new();
    let mut rest = name.trim_ascii();
    while let Some(first) = rest.first().copied() {
        let end = match first {
            b'"' | b'\'' => closing(rest, first),
            _ => memchr::memchr(b'.', rest).unwrap_or(rest.len()),
        };
        let key = rest[..end].trim_ascii();
        keys.push(scalars::meaning(Family::Toml, key).into_owned());
        let behind = rest[end..].trim_ascii_start();
        rest = behind.strip_prefix(b".").unwrap_or_default().trim_ascii_start();
    }
    keys
}

/// Behind the quote that closes the text in which `text` begins.
fn closing(text: &[u8], quote: u8) -> usize {
    let mut at = 1;
    while let Some(byte) = text.get(at) {
        match byte {
            b'\\' if quote == b'"' => at += 2,
            byte if *byte == quote => return at + 1,
            _ => at += 1,
        }
    }
    text.len()
}
