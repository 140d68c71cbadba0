//! The dialect of a file, as the file itself shows it.

use super::Sighting;
use super::format::headers;
use crate::doc::{Dialect, Document, Family, Kind};
use std::collections::{BTreeMap, BTreeSet};

/// The dialect, and the names that are more than once in one block.
pub(super) struct Shown {
    pub dialect: Dialect,
    /// Names that are more than once in one block, as they are written.
    pub repeated: BTreeSet<String>,
}

/// What the file shows.
pub(super) fn shown(sighting: &Sighting) -> Shown {
    let mut dialect = sighting.form.dialect.clone();
    let text = String::from_utf8_lossy(&sighting.bytes);
    if !sighting.form.family.is_standard() {
        let continued = text.lines().any(|line| line.ends_with('\\') && !line.trim_start().starts_with('#'));
        if sighting.form.family == Family::Stanzas {
            dialect.groups = headers(&text);
        }
        dialect.continuation = dialect.continuation || continued;
    }
    let Ok(doc) = Document::read(sighting.bytes.clone(), sighting.form.family, dialect.clone()) else {
        return Shown { dialect, repeated: BTreeSet::new() };
    };
    let (mut count, mut names) = (BTreeMap::<(Option<u32>, String), usize>::new(), Vec::new());
    for (leaf, kind, _) in doc.tree().leaves() {
        let Some(parts) = doc.parts(leaf).filter(|_| kind == Kind::Setting) else { continue };
        let name = doc.name(&parts);
        let value = String::from_utf8_lossy(&parts.value.raw(doc.source())).trim_matches('"').to_owned();
        *count.entry((doc.tree().block_of(leaf), name.clone())).or_default() += 1;
        names.push((name, value));
    }
    dialect.includes.clear();
    for (name, value) in names.iter().filter(|(name, _)| is_include(name)) {
        if sighting.folders.iter().any(|folder| folder == value.trim_end_matches('/')) {
            dialect.include_folders.entry(name.clone()).or_insert_with(|| "*".to_owned());
        } else if sighting.existing.contains(value) || value.contains('*') {
            dialect.includes.push(name.clone());
        }
    }
    dialect.includes.sort();
    dialect.includes.dedup();
    let repeated = count.into_iter().filter(|(_, count)| *count > 1).map(|((_, name), _)| name).collect();
    Shown { dialect, repeated }
}

/// Whether a name says that another file is read.
fn is_include(name: &str) -> bool {
    let name: String = name.to_lowercase().chars().filter(char::is_ascii_alphanumeric).collect();
    // What a program prints is no file.
    name.starts_with("include")
        && !["shell", "command", "program", "exec"].iter().any(|word| name.contains(word))
}
