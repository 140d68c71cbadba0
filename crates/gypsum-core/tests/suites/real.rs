//! Real files of packages that are on this machine: those of the crates that this one is built with, and of the
//! system's packages. Nothing of them is kept.

use crate::cases::Case;
use std::fs;
use std::path::{Path, PathBuf};

/// So many files of a family are enough.
const ENOUGH: usize = 900;
/// Larger files take the other readers too long.
const LARGEST: u64 = 60_000;

/// Real files that end in one of `endings`.
pub fn files(endings: &[&str]) -> Vec<Case> {
    let cargo = std::env::var_os("CARGO_HOME").map(PathBuf::from);
    let home = std::env::var_os("HOME").map(|home| Path::new(&home).join(".cargo"));
    let mut roots: Vec<PathBuf> = cargo.or(home).into_iter().map(|home| home.join("registry/src")).collect();
    let gathered = std::env::var_os("GYPSUM_SUITES").map(|suites| Path::new(&suites).join("real"));
    roots.extend(gathered);
    let system = ["/usr/share", "/usr/lib", "/usr/local/lib", "/etc", "/var/lib/dpkg/info"];
    roots.extend(system.map(PathBuf::from));
    let mut found = Vec::new();
    for root in roots {
        gather(&root, endings, &mut found);
    }
    // Spread over all of them, the same ones each time.
    found.sort();
    let step = found.len().div_ceil(ENOUGH).max(1);
    let some = found.into_iter().step_by(step);
    some.filter_map(|path| {
        let source = fs::read(&path).ok()?;
        // Of other encodings the one with a byte a character is read, and no more.
        let head = String::from_utf8_lossy(&source[..source.len().min(200)]).to_lowercase();
        let encoded = head.split("encoding=").nth(1).unwrap_or_default();
        if !encoded.is_empty()
            && !["utf-8", "iso-8859-1", "us-ascii"].iter().any(|name| encoded[1..].starts_with(name))
        {
            return None;
        }
        Some(Case { name: path.display().to_string(), source, valid: true })
    })
    .collect()
}

fn gather(folder: &Path, endings: &[&str], found: &mut Vec<PathBuf>) {
    let Ok(entries) = fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let (path, Ok(kind)) = (entry.path(), entry.file_type()) else { continue };
        let ending = path.extension().and_then(|ending| ending.to_str()).unwrap_or_default();
        if kind.is_dir() {
            gather(&path, endings, found);
        } else if kind.is_file()
            && endings.contains(&ending)
            && entry.metadata().is_ok_and(|meta| (20..LARGEST).contains(&meta.len()))
        {
            found.push(path);
        }
    }
}
