//! Names of earlier versions of the daemon, by what the profile knows of them.

use super::Versions;
use super::scope::Scoped;

/// What became of a name.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Former {
    /// It has another name, and means the same.
    Renamed(Vec<u8>),
    /// Something else does its work, in words.
    Replaced(String),
    /// It is gone.
    Gone,
    /// It is read, and has no effect.
    Ignored,
}

/// What became of `name`; `None` where it is still a name, as far as is known.
pub fn former(versions: &Versions<'_>, theirs: &Scoped<'_>, name: &[u8]) -> Option<Former> {
    let profile = versions.profile;
    let dialect = theirs.doc.dialect();
    let same = |known: &String| dialect.same(known.as_bytes(), name);
    let found = match profile.heirs.iter().find(|(known, _)| same(known)) {
        Some((_, heir)) if heir.is_empty() => Former::Gone,
        Some((_, heir)) if heir.contains(' ') => Former::Replaced(heir.clone()),
        Some((_, heir)) => Former::Renamed(dialect.folded(heir.as_bytes())),
        None if profile.ignored.iter().any(same) => Former::Ignored,
        None => return None,
    };
    let knows = |name: &[u8]| (versions.knows)(&String::from_utf8_lossy(name));
    let is_former = !theirs.mentions(name) && knows(name) != Some(true);
    let heir_exists = match &found {
        Former::Renamed(heir) => knows(heir) != Some(false),
        Former::Replaced(_) | Former::Gone | Former::Ignored => true,
    };
    (is_former && heir_exists).then_some(found)
}
