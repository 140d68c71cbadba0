//! The way to a statement as data has it: by names, and by number where several share one.

use crate::doc::{BlockId, Document, Family, Kind, LeafId, Parts, scalars};
use crate::witness::Named;
use std::collections::{HashMap, HashSet};

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
        let mut counts: HashMap<(Option<BlockId>, Name), usize> = HashMap::new();
        let mut steps: HashMap<LeafId, (Name, usize)> = HashMap::new();
        for (leaf, kind, _) in tree.leaves() {
            if !matches!(kind, Kind::Setting | Kind::Open) {
                continue;
            }
            let block = tree.block_of(leaf);
            let opens = tree.opened_by(leaf).is_some_and(|block| blocks.contains(&Some(block)));
            if !(blocks.contains(&block) || opens) {
                continue;
            }
            let Some(parts) = doc.parts(leaf) else {
                continue;
            };
            let name = name(doc, leaf, kind, &parts);
            let count = counts.entry((block, name.clone())).or_default();
            if wanted.contains(&leaf) || opens {
                steps.insert(leaf, (name, *count));
            }
            *count += 1;
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

/// What a statement is called in the data; elements of a list are not called anything.
fn name(doc: &Document, leaf: LeafId, kind: Kind, parts: &Parts) -> Name {
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
                _ => Some(raw.to_vec()),
            }
        }
        _ => Some(raw.to_vec()),
    }
}

fn unescaped(family: Family, raw: &[u8], quote: u8) -> Vec<u8> {
    scalars::meaning(family, &[&[quote], raw, &[quote]].concat()).into_owned()
}

/// In TOML headers say where in the data their keys are, whatever stands above them.
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
