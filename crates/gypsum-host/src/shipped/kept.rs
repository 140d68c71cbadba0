//! The shipped texts that are kept, by their digest, in the state folder: once a package manager was answered, the text
//! that was edited is nowhere else.

use super::{Record, digest::md5};
use crate::disk::Disk;
use crate::error::Error;
use crate::sealed;
use crate::state::State;
use gypsum_core::record::{Recorded, unseal};
use serde::{Deserialize, Serialize};
use std::io;
use std::path::{Path, PathBuf};

/// What is known of a kept text.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct KeptText {
    /// The configuration file that it was shipped as.
    pub file: PathBuf,
    /// The package, and its version.
    pub package: Option<String>,
    /// The version.
    pub version: Option<String>,
    /// Who recorded the digest.
    pub by: String,
    /// The digest (MD5, in hexadecimal).
    pub digest: String,
    /// The file that held it.
    pub from: PathBuf,
    /// When it was kept, in milliseconds since 1970.
    pub at_ms: i64,
}

/// The folder of the kept texts.
#[derive(Clone, Debug)]
pub struct Kept {
    folder: PathBuf,
}

impl Kept {
    /// The one of a state folder.
    pub fn of(state: &State) -> Self {
        Self { folder: state.root().join(".shipped") }
    }

    pub(super) fn text_at(&self, digest: &str) -> PathBuf {
        self.folder.join(digest)
    }

    fn record_at(&self, digest: &str, file: &Path) -> PathBuf {
        // A name of any length has a digest of one length.
        let name = md5(file.as_os_str().as_encoded_bytes());
        self.folder.join(format!("{digest}-{name}.json"))
    }

    /// Keeps a text; nothing is done if it is kept already. Takes no lock: a text never changes, and both files get their
    /// names when they are whole.
    ///
    /// # Errors
    ///
    /// If it cannot be written.
    pub fn keep(
        &self,
        disk: &dyn Disk,
        file: &Path,
        record: &Record,
        (bytes, from): (&[u8], &Path),
        now_ms: i64,
    ) -> Result<(), Error> {
        let at = self.record_at(&record.digest, file);
        let (text, kept) = (self.text_at(&record.digest), self.text(&record.digest));
        if kept.is_some() && at.exists() {
            return Ok(());
        }
        let failed = |error: io::Error| Error::file("keep the shipped text in", &self.folder, error);
        disk.make_folder(&self.folder).map_err(failed)?;
        if kept.is_none() {
            // What is there is damaged, or half of what was to be written.
            let whole = self.folder.join(format!("{}.{}~", record.digest, std::process::id()));
            let written = disk.remove(&whole).and_then(|()| disk.create(&whole, bytes, None));
            let written = written.and_then(|()| disk.sync_file(&whole)).and_then(|()| disk.remove(&text));
            written.and_then(|()| disk.rename_new(&whole, &text)).map_err(failed)?;
        }
        let record = KeptText {
            file: file.to_owned(),
            package: record.package.clone(),
            version: record.version.clone(),
            by: record.by.to_owned(),
            digest: record.digest.clone(),
            from: from.to_owned(),
            at_ms: now_ms,
        };
        sealed::replace(&at, &record).and_then(|()| disk.sync_folder(&self.folder)).map_err(failed)
    }

    /// Keeps a text if it is the one that is recorded.
    ///
    /// # Errors
    ///
    /// If it cannot be written.
    pub fn keep_if_recorded(
        &self,
        disk: &dyn Disk,
        file: &Path,
        record: &Record,
        bytes: &[u8],
        now_ms: i64,
    ) -> Result<(), Error> {
        match md5(bytes) == record.digest {
            true => self.keep(disk, file, record, (bytes, file), now_ms),
            false => Ok(()),
        }
    }

    /// The text with this digest, if it is kept and whole.
    pub fn text(&self, digest: &str) -> Option<Vec<u8>> {
        super::text_of(&self.text_at(digest)).filter(|bytes| md5(bytes) == digest)
    }

    /// What is kept of a file, the last kept first.
    ///
    /// # Errors
    ///
    /// If the folder cannot be read.
    pub fn all_of(&self, file: &Path) -> Result<Vec<KeptText>, Error> {
        let mut all = self.all()?;
        all.retain(|kept| kept.file == file);
        Ok(all)
    }

    /// All that is kept, the last kept first. A record that is damaged is passed over, with a word in the log.
    ///
    /// # Errors
    ///
    /// If the folder cannot be read.
    pub fn all(&self) -> Result<Vec<KeptText>, Error> {
        let failed = |error: io::Error| Error::file("read", &self.folder, error);
        let entries = match crate::disk::entries(&self.folder) {
            Ok(entries) => entries.unwrap_or_default(),
            Err(error) => return Err(failed(error)),
        };
        let mut found: Vec<KeptText> = Vec::new();
        for (name, _) in entries {
            let path = self.folder.join(&name);
            if path.extension().is_none_or(|end| end != "json") {
                continue;
            }
            let bytes = std::fs::read(&path).map_err(|error| Error::file("read", &path, error))?;
            match unseal::<KeptText>(&bytes) {
                Recorded::Whole(kept) => found.push(kept),
                other => {
                    tracing::warn!(path = %path.display(), ?other, "a record of a kept text is passed over")
                }
            }
        }
        found.sort_by_key(|kept| std::cmp::Reverse(kept.at_ms));
        Ok(found)
    }

    /// Where files are put aside that belong to no change.
    pub fn aside(&self) -> PathBuf {
        self.folder.join("put-aside")
    }
}

/// Moves a file into `folder`, under a name that is free there; where it is now.
///
/// # Errors
///
/// If it cannot be copied whole, or not be removed then.
pub fn put_aside(disk: &dyn Disk, path: &Path, folder: &Path) -> Result<PathBuf, Error> {
    let bytes = disk.read(path).map_err(|error| Error::file("read", path, error))?.unwrap_or_default();
    disk.make_folder(folder).map_err(|error| Error::file("make", folder, error))?;
    let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let free = (0..).map(|n| if n == 0 { name.clone() } else { format!("{name}.{n}") });
    let to = free.map(|name| folder.join(name)).find(|to| !to.exists()).unwrap_or_else(|| folder.join(&name));
    let moved = disk
        .create(&to, &bytes, Some(path))
        .and_then(|()| disk.sync_file(&to))
        .and_then(|()| disk.sync_folder(folder))
        .and_then(|()| disk.remove(path));
    moved.map_err(|error| Error::file("put aside", path, error))?;
    Ok(to)
}
