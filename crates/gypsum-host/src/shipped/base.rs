//! What was shipped when a file was edited: the base of a merge.

use super::{Kept, KeptText, Record, Records, Shipped, dpkg, text_with, ucf};
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
    let mut all = kept.all_of(file)?;
    if let (true, Some(record)) = (all.is_empty(), record) {
        all = of_old_name(kept, record)?;
    }
    for one in all {
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

/// What is kept of the one file that a package had and that is gone: the file was renamed.
fn of_old_name(kept: &Kept, record: &Record) -> Result<Vec<KeptText>, Error> {
    let mut all = kept.all()?;
    all.retain(|one| one.package.is_some() && one.package == record.package && !one.file.exists());
    let is_one = all.iter().all(|one| one.file == all[0].file);
    Ok(if is_one { all } else { Vec::new() })
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::disk::RealDisk;
    use crate::shipped::digest::md5;
    use std::fs;

    fn record(text: &str) -> Record {
        let digest = md5(text.as_bytes());
        Record { package: Some("tide".into()), version: Some("1".into()), digest, by: "dpkg" }
    }

    fn kept_in(folder: &Path) -> Kept {
        Kept::of(&State::at(Some(folder)).unwrap())
    }

    fn keep(kept: &Kept, file: &Path, text: &str, at_ms: i64) {
        kept.keep(&RealDisk, file, &record(text), (text.as_bytes(), file), at_ms).unwrap();
    }

    fn found(kept: &Kept, file: &Path, now: &str) -> Option<String> {
        let base = base_of(kept, file, Some(&record(now)), &[]).unwrap();
        base.map(|base| String::from_utf8(base.bytes).unwrap())
    }

    #[test]
    fn the_base_is_what_was_kept_last_and_is_not_shipped_now() {
        let folder = tempfile::tempdir().unwrap();
        let kept = kept_in(folder.path());
        let file = folder.path().join("tide.conf");
        assert_eq!(found(&kept, &file, "third"), None);
        for (at_ms, text) in [(1, "first"), (2, "second"), (3, "third"), (3, "third")] {
            keep(&kept, &file, text, at_ms);
        }
        assert_eq!(found(&kept, &file, "third").as_deref(), Some("second"));
        assert_eq!(found(&kept, &file, "fourth").as_deref(), Some("third"));
        assert_eq!(kept.all_of(&file).unwrap().len(), 3, "each text once");
        let mode = std::os::unix::fs::PermissionsExt::mode(
            &fs::metadata(folder.path().join(".shipped")).unwrap().permissions(),
        );
        assert_eq!(mode & 0o777, 0o700);
    }

    #[test]
    fn what_is_damaged_is_no_base_and_is_kept_anew() {
        let folder = tempfile::tempdir().unwrap();
        let kept = kept_in(folder.path());
        let file = folder.path().join("tide.conf");
        keep(&kept, &file, "first", 1);
        let text = folder.path().join(".shipped").join(md5(b"first"));
        fs::write(&text, "fir").unwrap();
        assert_eq!(found(&kept, &file, "second"), None, "half of a text is none");
        keep(&kept, &file, "first", 2);
        assert_eq!(found(&kept, &file, "second").as_deref(), Some("first"));
        for entry in fs::read_dir(folder.path().join(".shipped")).unwrap() {
            let path = entry.unwrap().path();
            if path.extension().is_some_and(|end| end == "json") {
                fs::write(path, "{").unwrap();
            }
        }
        assert_eq!(found(&kept, &file, "second"), None, "a damaged record is passed over");
    }

    /// The package has the file under another name now.
    #[test]
    fn a_renamed_file_has_the_base_of_the_old_name() {
        let folder = tempfile::tempdir().unwrap();
        let kept = kept_in(folder.path());
        let (old, new) = (folder.path().join("old.conf"), folder.path().join("new.conf"));
        keep(&kept, &old, "first", 1);
        assert_eq!(found(&kept, &new, "second").as_deref(), Some("first"));
        fs::write(&old, "it is there still").unwrap();
        assert_eq!(found(&kept, &new, "second"), None);
        fs::remove_file(&old).unwrap();
        keep(&kept, &folder.path().join("other.conf"), "other", 2);
        assert_eq!(found(&kept, &new, "second"), None, "it could be either");
    }
}
