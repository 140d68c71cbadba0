//! The files of Gypsum's own settings: the host's, and the one of the account.

use crate::accounts;
use crate::disk::walk;
use crate::error::Error;
use crate::profiles::finding_of;
use crate::trust::{self, Relied};
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::settings::{Settings, SettingsFile};
use std::io;
use std::path::{Path, PathBuf};

/// The settings of this host.
pub const HOST: &str = "/etc/gypsum/gypsum.toml";
/// The name of an account's own, in its folder for Gypsum.
const OWN: &str = "gypsum.toml";
/// A file of settings is not larger, in bytes.
const MOST_BYTES: usize = 1 << 20;

/// The files of settings as they are.
#[derive(Debug, Default)]
pub struct SettingsFiles {
    /// Where they are looked for, the deciding one last.
    pub places: Vec<PathBuf>,
    /// Those that could be read.
    pub read: Vec<SettingsFile>,
    /// What is wrong with the others.
    pub wrong: Vec<Finding>,
}

impl SettingsFiles {
    /// Reads them. One that is not there says nothing.
    pub fn load() -> Self {
        let own = accounts::settings_folder().map(|folder| folder.join(OWN));
        let places: Vec<PathBuf> = [Some(PathBuf::from(HOST)), own].into_iter().flatten().collect();
        let mut files = Self { places, ..Self::default() };
        for path in files.places.clone() {
            match read(&path) {
                Ok(found) => files.read.extend(found),
                Err(finding) => files.wrong.push(*finding),
            }
        }
        files
    }

    /// What is in effect; a file that is wrong says nothing.
    pub fn settings(&self) -> Settings {
        Settings::of(&self.read)
    }
}

fn read(path: &Path) -> Result<Option<SettingsFile>, Box<Finding>> {
    let unread = |error: &Error| {
        let told = Finding::new("settings", Severity::Fault, error.to_string());
        Box::new(Finding { firm: true, help: error.advice().map(|help| help.into_owned()), ..told })
    };
    match path.symlink_metadata() {
        Err(error) if matches!(error.kind(), io::ErrorKind::NotFound | io::ErrorKind::NotADirectory) => {
            return Ok(None);
        }
        Err(error) => return Err(unread(&Error::file("read", path, error))),
        Ok(_) => {}
    }
    let whole = |file| walk::read_whole(file, MOST_BYTES).map_err(|error| Error::file("read", path, error));
    let bytes = trust::open(Relied::Settings, path).and_then(whole).map_err(|error| unread(&error))?;
    let text = String::from_utf8(bytes)
        .map_err(|_| unread(&Error::usage(format!("{} is not UTF-8", path.display()))))?;
    let file = SettingsFile::read(path.to_owned(), &text);
    // Nobody can accept a file that says nothing.
    file.map(Some).map_err(|error| Box::new(Finding { firm: true, ..finding_of("settings", path, &error) }))
}
