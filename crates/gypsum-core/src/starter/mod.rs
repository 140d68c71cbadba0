//! A profile to begin with, for a daemon that has none: what was seen of it on this host, written as a profile. What is
//! guessed says so.

mod dialect;
mod file_format;
mod format;
mod text;

pub use file_format::{FileFormat, STYLE_BYTES};
pub use format::{Guess, guess};
pub use text::profile_text;

use crate::profile::Argv;

/// What was seen of a daemon.
#[derive(Clone, Debug)]
pub struct Sighting {
    /// Its name, as its administrators say it.
    pub daemon: String,
    /// Its configuration file.
    pub file: String,
    /// How that was found, in words; `None` if the person named it.
    pub found_by: Option<String>,
    /// The file's content.
    pub bytes: Vec<u8>,
    /// The form that it is written in.
    pub form: FileFormat,
    /// Why that form; `None` if the person named it.
    pub because: Option<&'static str>,
    /// The unit that runs it.
    pub unit: Option<String>,
    /// Whether the person wants it reloaded, and not restarted.
    pub reload: bool,
    /// The account that the service manager runs it as, where that is not root.
    pub account: Option<String>,
    /// What checks its files.
    pub checker: Option<SeenChecker>,
    /// Where it listens: `address:port`, for clients of this host.
    pub listens: Vec<String>,
    /// The Unix sockets that it listens on.
    pub sockets: Vec<String>,
    /// The paths that exist, of all that the file names.
    pub existing: Vec<String>,
    /// The paths that exist and are folders.
    pub folders: Vec<String>,
}

/// A checker that was tried.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SeenChecker {
    /// The command, with `{file}` in place of the file, where it names one.
    pub run: Argv,
    /// Where it was found, in words.
    pub from: String,
    /// Whether it refused a name that nobody knows.
    pub knows_names: bool,
}
