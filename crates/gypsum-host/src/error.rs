//! What keeps a command from being carried out, and the exit status that it amounts to.

use std::fmt;
use std::io;
use std::path::Path;

/// The kind of a trouble; one kind, one exit status.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ErrorKind {
    /// It could not be run; nothing was touched.
    Cannot,
    /// The command line or a profile is wrong.
    Usage,
    /// A check refuses it.
    Refused,
    /// Another change has this daemon or file.
    Busy,
}

impl ErrorKind {
    /// The exit status of the command.
    pub fn status(self) -> u8 {
        match self {
            Self::Cannot => 1,
            Self::Usage => 2,
            Self::Refused => 3,
            Self::Busy => 6,
        }
    }
}

/// What went wrong, and what to do about it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Error {
    /// Its kind.
    pub kind: ErrorKind,
    /// What went wrong, with the file or name it is about.
    pub message: String,
    /// What to do.
    pub help: Option<String>,
}

impl Error {
    fn new(kind: ErrorKind, message: impl Into<String>) -> Self {
        Self { kind, message: message.into(), help: None }
    }

    /// It could not be run.
    pub fn cannot(message: impl Into<String>) -> Self {
        Self::new(ErrorKind::Cannot, message)
    }

    /// The command line or a profile is wrong.
    pub fn usage(message: impl Into<String>) -> Self {
        Self::new(ErrorKind::Usage, message)
    }

    /// A check refuses it.
    pub fn refused(message: impl Into<String>) -> Self {
        Self::new(ErrorKind::Refused, message)
    }

    /// Another change is in the way.
    pub fn busy(message: impl Into<String>) -> Self {
        Self::new(ErrorKind::Busy, message)
    }

    /// An operation on a file failed.
    pub fn file(what: &str, path: &Path, source: &io::Error) -> Self {
        let error = Self::cannot(format!("cannot {what} {}: {}", path.display(), plain(source)));
        match source.kind() {
            io::ErrorKind::PermissionDenied if !rustix::process::geteuid().is_root() => {
                error.help("this account may not do that; run it as root (sudo)")
            }
            io::ErrorKind::PermissionDenied => error.help(
                "root is refused here: the file may be immutable (lsattr) or its file system read-only",
            ),
            io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => {
                error.help("make room on that file system (df -h) and try again")
            }
            io::ErrorKind::ReadOnlyFilesystem => error.help("the file system is mounted read-only"),
            _ => error,
        }
    }

    /// With what to do about it.
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }
}

/// The words of an I/O error without the number behind them.
pub fn plain(error: &io::Error) -> String {
    let text = error.to_string();
    text.split(" (os error").next().unwrap_or(&text).to_lowercase()
}

impl fmt::Display for Error {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(&self.message)
    }
}

impl std::error::Error for Error {}
