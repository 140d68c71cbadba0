//! What ucf keeps of the configuration files that packages make with it (ucf(1)): the digest of the last version that was
//! shipped, the package, and of small files the text.

use super::{Record, record_text};
use std::io;
use std::path::{Path, PathBuf};

const FOLDER: &str = "/var/lib/ucf";

/// The digests, and the packages.
pub(super) struct Hashes {
    hashes: String,
    registry: String,
}

impl Hashes {
    pub(super) fn read() -> io::Result<Self> {
        let read = |name: &str| record_text(&Path::new(FOLDER).join(name));
        Ok(Self { hashes: read("hashfile")?, registry: read("registry")? })
    }

    /// The record of a file; `None` if there is none.
    pub(super) fn record(&self, path: &Path) -> Option<Record> {
        record_in(&self.hashes, &self.registry, path)
    }
}

fn record_in(hashes: &str, registry: &str, path: &Path) -> Option<Record> {
    let path = path.to_str()?;
    // Both have two words a line, the path last.
    let first_of = |text: &str| {
        text.lines().find_map(|line| {
            let (first, file) = line.split_once(char::is_whitespace)?;
            (file.trim() == path).then(|| first.to_owned())
        })
    };
    let digest = first_of(hashes)?;
    Some(Record { package: first_of(registry), version: None, digest, by: "ucf" })
}

/// Digests that ucf recorded for a file earlier.
pub(super) fn earlier_digests(path: &Path) -> Vec<String> {
    let read = |n: u32| record_text(&Path::new(FOLDER).join(format!("hashfile.{n}"))).unwrap_or_default();
    let mut found: Vec<String> =
        (0..8).filter_map(|n| record_in(&read(n), "", path)).map(|record| record.digest).collect();
    found.dedup();
    found
}

/// Where the text of the last version that was shipped is, if it is kept.
pub(super) fn cached(path: &Path) -> PathBuf {
    let name = path.to_string_lossy().replace('/', ":");
    Path::new(FOLDER).join("cache").join(name)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_record_has_its_package_where_one_is_registered() {
        let hashes =
            "0123456789abcdef0123456789abcdef  /etc/tide.conf\nffffffffffffffffffffffffffffffff  /etc/quay\n";
        let found = |path: &str| record_in(hashes, "tide /etc/tide.conf\n", Path::new(path));
        let tide = found("/etc/tide.conf").unwrap();
        assert_eq!((tide.package.as_deref(), tide.digest.len()), (Some("tide"), 32));
        assert_eq!(found("/etc/quay").unwrap().package, None);
        assert_eq!(found("/etc/tide"), None);
        assert_eq!(cached(Path::new("/etc/a/b")), Path::new("/var/lib/ucf/cache/:etc:a:b"));
    }
}
