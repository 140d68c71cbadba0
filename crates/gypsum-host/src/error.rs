//! What keeps a command from being carried out. One kind, one exit status.

use crate::disk::keeping_out::Unsafe;
use gypsum_core::exit_status::ExitStatus;
use std::borrow::Cow;
use std::io;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use thiserror::Error as ErrorEnum;

/// Another error that is the cause of one.
pub type Source = Arc<dyn std::error::Error + Send + Sync>;

/// What went wrong, and what to do about it.
#[derive(Clone, Debug, ErrorEnum)]
pub enum Error {
    /// The command line or a profile is wrong.
    #[error("{message}")]
    Usage {
        /// What went wrong, with the word or name that it is about.
        message: String,
        /// What to do.
        help: Option<String>,
    },
    /// A check refuses it.
    #[error("{message}")]
    Refused {
        /// What was found.
        message: String,
        /// What to do.
        help: Option<String>,
    },
    /// Another change has this daemon or file.
    #[error("{message}")]
    Busy {
        /// Who has it.
        message: String,
        /// What to do.
        help: Option<String>,
    },
    /// An operation on a file failed.
    #[error("cannot {operation} {}: {}", path.display(), plain(source))]
    File {
        /// The operation, as in `cannot read FILE`.
        operation: String,
        /// The file.
        path: PathBuf,
        /// What the system says.
        source: Arc<io::Error>,
    },
    /// It could not be run for another reason; nothing was touched.
    #[error("{message}")]
    Cannot {
        /// What went wrong.
        message: String,
        /// What to do.
        help: Option<String>,
        /// Why, if another error says it.
        source: Option<Source>,
    },
}

impl Error {
    /// It could not be run.
    pub fn cannot(message: impl Into<String>) -> Self {
        Self::Cannot { message: message.into(), help: None, source: None }
    }

    /// It could not be run because of another error, whose words are its own.
    pub fn because(source: impl std::error::Error + Send + Sync + 'static) -> Self {
        Self::Cannot { message: source.to_string(), help: None, source: Some(Arc::new(source)) }
    }

    /// The command line or a profile is wrong.
    pub fn usage(message: impl Into<String>) -> Self {
        Self::Usage { message: message.into(), help: None }
    }

    /// A check refuses it.
    pub fn refused(message: impl Into<String>) -> Self {
        Self::Refused { message: message.into(), help: None }
    }

    /// Another change is in the way.
    pub fn busy(message: impl Into<String>) -> Self {
        Self::Busy { message: message.into(), help: None }
    }

    /// An operation on a file failed.
    pub fn file(operation: &str, path: &Path, source: io::Error) -> Self {
        if let Some(why) = Unsafe::of(&source) {
            let message = format!("cannot {operation} {} as root: {why}", path.display());
            return Self::Refused { message, help: Some(why.help()) };
        }
        Self::File { operation: operation.into(), path: path.into(), source: Arc::new(source) }
    }

    /// With what to do about it.
    pub fn help(mut self, text: impl Into<String>) -> Self {
        match &mut self {
            Self::Usage { help, .. }
            | Self::Refused { help, .. }
            | Self::Busy { help, .. }
            | Self::Cannot { help, .. } => *help = Some(text.into()),
            Self::File { .. } => {
                let message = self.to_string();
                return Self::Cannot { message, help: Some(text.into()), source: Some(Arc::new(self)) };
            }
        }
        self
    }

    /// What to do about it, if something can be said.
    pub fn advice(&self) -> Option<Cow<'_, str>> {
        match self {
            Self::Usage { help, .. }
            | Self::Refused { help, .. }
            | Self::Busy { help, .. }
            | Self::Cannot { help, .. } => help.as_deref().map(Cow::Borrowed),
            Self::File { source, .. } => advice_on(source).map(Cow::Borrowed),
        }
    }

    /// The exit status that it amounts to.
    pub fn status(&self) -> ExitStatus {
        match self {
            Self::Usage { .. } => ExitStatus::Usage,
            Self::Refused { .. } => ExitStatus::Refused,
            Self::Busy { .. } => ExitStatus::Busy,
            Self::File { .. } | Self::Cannot { .. } => ExitStatus::NotRun,
        }
    }
}

fn advice_on(error: &io::Error) -> Option<&'static str> {
    match error.kind() {
        io::ErrorKind::PermissionDenied if !rustix::process::geteuid().is_root() => {
            Some("this account may not do that; run it as root (sudo)")
        }
        // What another account owns is done as that account.
        io::ErrorKind::PermissionDenied
            if error.raw_os_error() == Some(rustix::io::Errno::ACCESS.raw_os_error()) =>
        {
            Some("the account that owns the folder may not do that (ls -ld), or a security module refuses it")
        }
        io::ErrorKind::PermissionDenied => {
            Some("root is refused here: the file may be immutable (lsattr) or its file system read-only")
        }
        io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => {
            Some("make room on that file system (df -h) and try again")
        }
        io::ErrorKind::ReadOnlyFilesystem => Some("the file system is mounted read-only"),
        // The system has said all that is known.
        _ => None,
    }
}

/// The words of an I/O error without the number behind them.
pub fn plain(error: &io::Error) -> String {
    let text = error.to_string();
    if error.get_ref().is_some() {
        return text;
    }
    text.split(" (os error").next().unwrap_or(&text).to_lowercase()
}
