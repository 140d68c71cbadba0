//! What was shipped when a file was edited: the base of a merge.

use super::{Kept, Record, Records, Shipped, dpkg, text_with, ucf};
use crate::disk::Disk;
use crate::error::Error;
use crate::files::Loading;
use crate::state::{Entry, State};
use std::path::{Path, PathBuf};

/// The base of a file.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Base {
    /// The text.
    pub bytes: Vec<u8>,
    /// The file that held it, or holds it.
    pub from: PathBuf,
    /// The package and its version, in words, where that is known.
    pub title: Option<String>,
}

/// The base of a file for which `record` is what is shipped now: the text that was kept last and is another one; else any
/// text on this host that has a digest which was recorded earlier. `None` if there is none.
///
/// # Errors
///
/// If what was kept cannot be read.
pub fn base_of(
    kept: &Kept,
    file: &Path,
    record: Option<&Record>,
    entries: &[Entry],
) -> Result<Option<Base>, Error> {
    let now = record.map(|record| record.digest.as_str());
    for one in kept.all_of(file)? {
        if Some(one.digest.as_str()) == now {
            continue;
        }
        if let Some(bytes) = kept.text(&one.digest) {
            let record = Record { package: one.package, version: one.version, digest: one.digest, by: "" };
            return Ok(Some(Base { bytes, from: one.from, title: Some(record.title()) }));
        }
    }
    let Some(record) = record else { return Ok(None) };
    let earlier = ucf::earlier_digests(file).into_iter().chain(dpkg::earlier_digests(file));
    for digest in earlier.filter(|digest| *digest != record.digest) {
        let backups = entries.iter().map(|entry| entry.copy_of("before", file));
        if let Some((bytes, from)) = text_with(&digest, record, file, backups, kept) {
            return Ok(Some(Base { bytes, from, title: None }));
        }
    }
    Ok(None)
}

/// Keeps the shipped texts of a daemon's files, where they can be had on this host; how many are kept now. Takes no lock.
///
/// # Errors
///
/// If a record of the package manager cannot be read, or a text cannot be written.
pub fn keep_bases(
    disk: &dyn Disk,
    state: &State,
    daemon: &str,
    loading: &Loading,
    records: &Records,
    now_ms: i64,
) -> Result<usize, Error> {
    let entries = state.entries(disk, daemon)?;
    let kept = Kept::of(state);
    let mut count = 0;
    for loaded in loading.loaded.iter().filter(|loaded| !loaded.absent) {
        count += usize::from(keep_base(disk, &kept, &loaded.real, records, &entries, now_ms)?);
    }
    Ok(count)
}

/// Keeps the shipped text of one file; whether it is kept now.
///
/// # Errors
///
/// If it cannot be written.
pub fn keep_base(
    disk: &dyn Disk,
    kept: &Kept,
    file: &Path,
    records: &Records,
    entries: &[Entry],
    now_ms: i64,
) -> Result<bool, Error> {
    let live = disk.read(file).map_err(|error| Error::file("read", file, error))?.unwrap_or_default();
    let backups = entries.iter().map(|entry| entry.copy_of("before", file));
    let (record, bytes, from) = match records.find(file, &live, backups, kept) {
        Shipped::Unedited(record) => (record, live, file.to_owned()),
        Shipped::Text { record, bytes, from } => (record, bytes, from),
        Shipped::Unrecorded | Shipped::Edited(_) => return Ok(false),
    };
    kept.keep(disk, file, &record, (&bytes, &from), now_ms)?;
    Ok(true)
}
