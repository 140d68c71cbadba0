//! What a person named of a daemon that has no profile, remembered after a change of it was kept.

use super::State;
use crate::disk::walk::{open_to_read, read_whole};
use crate::error::Error;
use crate::sealed;
use gypsum_core::record::{Recorded, unseal};
use serde::{Deserialize, Serialize};
use std::fs;
use std::io;
use std::path::PathBuf;

/// What the names of these records end with.
const END: &str = ".named";
/// More than this no such record has, in bytes.
const MOST_BYTES: usize = 1 << 20;

/// A daemon as it was named on the command line.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct NamedDaemon {
    /// Its configuration file.
    pub file: PathBuf,
    /// The family of its format, as it is typed.
    pub format: String,
    /// The unit that runs it.
    pub unit: Option<String>,
    /// Its checker, as it was typed.
    pub checker: Option<String>,
    /// Its health checks, as they were typed.
    pub health: Vec<String>,
}

impl State {
    fn named_at(&self, daemon: &str) -> PathBuf {
        self.root.join(format!("{daemon}{END}"))
    }

    /// What is remembered of a daemon.
    ///
    /// # Errors
    ///
    /// If there is a record that cannot be read.
    pub fn named(&self, daemon: &str) -> Result<Option<NamedDaemon>, Error> {
        let path = self.named_at(daemon);
        let bytes = match open_to_read(&path).and_then(|file| read_whole(file, MOST_BYTES)) {
            Ok(bytes) => bytes,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(None),
            Err(error) => return Err(Error::file("read", &path, error)),
        };
        let why = match unseal(&bytes) {
            Recorded::Whole(named) => return Ok(Some(named)),
            Recorded::Damaged(why) => format!("is damaged: {why}"),
            Recorded::Newer(_) => "was written by a newer Gypsum".to_owned(),
            Recorded::Absent => "is empty".to_owned(),
        };
        Err(Error::cannot(format!("what was remembered of {daemon} {why}"))
            .help(format!("gypsum daemons --forget {daemon}, and name its file again: --file PATH")))
    }

    /// Remembers how a daemon was named.
    ///
    /// # Errors
    ///
    /// If it cannot be written.
    pub fn remember(&self, daemon: &str, named: &NamedDaemon) -> Result<(), Error> {
        let path = self.named_at(daemon);
        sealed::replace(&path, named).map_err(|error| Error::file("write", &path, error))
    }

    /// Forgets how a daemon was named; its changes stay. Returns whether there was anything.
    ///
    /// # Errors
    ///
    /// If it cannot be removed.
    pub fn forget(&self, daemon: &str) -> Result<bool, Error> {
        let path = self.named_at(daemon);
        match fs::remove_file(&path) {
            Ok(()) => Ok(true),
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(false),
            Err(error) => Err(Error::file("remove", &path, error)),
        }
    }

    /// The names of all daemons of which something is remembered.
    ///
    /// # Errors
    ///
    /// If the state folder cannot be read.
    pub fn all_named(&self) -> Result<Vec<String>, Error> {
        let failed = |error| Error::file("read", &self.root, error);
        let entries = match fs::read_dir(&self.root) {
            Ok(entries) => entries,
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
            Err(error) => return Err(failed(error)),
        };
        let mut names = Vec::new();
        for entry in entries {
            let name = entry.map_err(failed)?.file_name();
            names.extend(name.to_str().and_then(|name| name.strip_suffix(END)).map(str::to_owned));
        }
        names.sort();
        Ok(names)
    }
}
