//! What the package of a file shipped: the text, where it can still be had on this host. A package manager records
//! digests alone, so whatever file has the recorded digest *is* the shipped text.

mod base;
mod digest;
mod dpkg;
pub mod hook;
mod kept;
mod package_file;
mod ucf;
mod waiting;

pub use base::{Base, base_of, keep_base, keep_bases};
pub use kept::{Kept, KeptText, put_aside};
pub use package_file::text_in_package;
pub use waiting::{Waiting, Waits, findings, waiting};

use crate::children;
use crate::disk::walk::{open_to_read, read_whole};
use digest::md5;
use std::fs;
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

impl Record {
    /// The package and its version, in words.
    pub fn title(&self) -> String {
        match (&self.package, &self.version) {
            (Some(package), Some(version)) => format!("{package} {version}"),
            (Some(package), None) => package.clone(),
            (None, _) => "its package".to_owned(),
        }
    }
}

/// How a file is recorded.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Standing {
    /// The record.
    pub record: Record,
    /// Whether the package has no such file any more.
    pub is_obsolete: bool,
    /// Whether the package is fully installed.
    pub is_installed: bool,
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

/// What package managers keep of all files.
pub struct Records {
    dpkg: dpkg::Status,
    ucf: ucf::Hashes,
}

impl Records {
    /// Reads them.
    ///
    /// # Errors
    ///
    /// If one is there and cannot be read.
    pub fn read() -> io::Result<Self> {
        Ok(Self { dpkg: dpkg::Status::read()?, ucf: ucf::Hashes::read()? })
    }

    /// How a file is recorded; `None` if no package has it.
    pub fn standing(&self, path: &Path) -> Option<Standing> {
        let of_ucf = self.ucf.record(path).map(|record| {
            let version = record.package.as_deref().and_then(|package| self.dpkg.version_of(package));
            let record = Record { version, ..record };
            Standing { record, is_obsolete: false, is_installed: true }
        });
        of_ucf.or_else(|| self.dpkg.standing(path))
    }

    /// What is known of what was shipped in place of the file at `path`, which holds `live`. `backups` are earlier
    /// copies of it, `kept` the texts that were kept.
    pub fn find(
        &self,
        path: &Path,
        live: &[u8],
        backups: impl IntoIterator<Item = PathBuf>,
        kept: &Kept,
    ) -> Shipped {
        let Some(Standing { record, .. }) = self.standing(path) else { return Shipped::Unrecorded };
        if md5(live) == record.digest {
            return Shipped::Unedited(record);
        }
        match text_with(&record.digest, &record, path, backups, kept) {
            Some((bytes, from)) => Shipped::Text { record, bytes, from },
            None => Shipped::Edited(record),
        }
    }
}

/// The text with a digest, and the file that holds it: any file on this host may.
fn text_with(
    digest: &str,
    record: &Record,
    path: &Path,
    backups: impl IntoIterator<Item = PathBuf>,
    kept: &Kept,
) -> Option<(Vec<u8>, PathBuf)> {
    let packages = record.package.iter().flat_map(|package| dpkg::copies(package, path));
    let own = std::iter::once(kept.text_at(digest));
    let candidates = own.chain(siblings(path)).chain([ucf::cached(path)]).chain(backups).chain(packages);
    let texts = candidates.filter_map(|from| Some((text_of(&from)?, from)));
    texts.into_iter().find(|(bytes, _)| md5(bytes) == digest)
}

/// The text of a record; empty where there is none.
fn record_text(path: &Path) -> io::Result<String> {
    match fs::read(path) {
        // These are long, and in UTF-8 nearly always: then nothing is copied.
        Ok(bytes) => Ok(String::from_utf8(bytes)
            .unwrap_or_else(|other| String::from_utf8_lossy(other.as_bytes()).into_owned())),
        Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(String::new()),
        Err(error) => Err(error),
    }
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
