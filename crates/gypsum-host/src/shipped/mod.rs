//! What the package of a file shipped: the text, where it can still be had on this host. A package manager records
//! digests alone, so whatever file has the recorded digest *is* the shipped text.

mod digest;
mod dpkg;
mod ucf;

use crate::children;
use crate::disk::walk::{open_to_read, read_whole};
use digest::md5;
use std::io;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// More of a file is not looked at, in bytes.
const MOST_BYTES: usize = 64 << 20;
/// How long a packed copy may take to be unpacked.
const LIMIT: Duration = Duration::from_secs(5);
/// What package managers add to the names of files that they put aside, or do not put in place.
const SIBLINGS: [&str; 8] =
    [".dpkg-dist", ".dpkg-old", ".dpkg-new", ".dpkg-bak", ".ucf-dist", ".ucf-old", ".ucf-new", ".orig"];

/// What a package manager keeps of a file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Record {
    /// The package.
    pub package: Option<String>,
    /// Its version.
    pub version: Option<String>,
    /// The digest of what it shipped (MD5, in hexadecimal).
    pub digest: String,
    /// Who keeps that record.
    pub by: &'static str,
}

/// What is known of the text that was shipped.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Shipped {
    /// No package manager has a record of the file.
    Unrecorded,
    /// The file is as it was shipped.
    Unedited(Record),
    /// The file was edited; this is what was shipped, and where it is.
    Text {
        /// The record.
        record: Record,
        /// The text.
        bytes: Vec<u8>,
        /// The file that holds it.
        from: PathBuf,
    },
    /// The file was edited, and nothing on this host holds what was shipped.
    Edited(Record),
}

/// What is known of what was shipped in place of the file at `path`, which holds `live`. `backups` are earlier copies of
/// it.
///
/// # Errors
///
/// If a package manager's record is there and cannot be read.
pub fn find(path: &Path, live: &[u8], backups: impl IntoIterator<Item = PathBuf>) -> io::Result<Shipped> {
    let record = match ucf::record(path)? {
        Some(record) => {
            let version = record.package.as_deref().map(dpkg::version_of).transpose()?.flatten();
            Some(Record { version, ..record })
        }
        None => dpkg::record(path)?,
    };
    let Some(record) = record else { return Ok(Shipped::Unrecorded) };
    if md5(live) == record.digest {
        return Ok(Shipped::Unedited(record));
    }
    let packages = record.package.iter().flat_map(|package| dpkg::copies(package, path));
    let candidates = siblings(path).chain([ucf::cached(path)]).chain(backups).chain(packages);
    for from in candidates {
        if let Some(bytes) = text_of(&from).filter(|bytes| md5(bytes) == record.digest) {
            return Ok(Shipped::Text { record, bytes, from });
        }
    }
    Ok(Shipped::Edited(record))
}

fn siblings(path: &Path) -> impl Iterator<Item = PathBuf> {
    let name = path.as_os_str().to_owned();
    SIBLINGS.iter().map(move |end| {
        let mut name = name.clone();
        name.push(end);
        PathBuf::from(name)
    })
}

/// The bytes of a file, unpacked where it is packed; `None` if there is no such file, or it cannot be read.
fn text_of(path: &Path) -> Option<Vec<u8>> {
    let bytes = open_to_read(path).and_then(|file| read_whole(file, MOST_BYTES)).ok()?;
    if path.extension().is_none_or(|end| end != "gz") {
        return Some(bytes);
    }
    let argv = ["/bin/gzip".to_owned(), "-dc".to_owned(), path.to_str()?.to_owned()];
    let ran = children::run(&argv, LIMIT).ok().filter(children::Ran::ok)?;
    Some(ran.out.into_bytes())
}
