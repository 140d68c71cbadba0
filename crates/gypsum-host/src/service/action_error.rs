//! Why an action on a service failed.

use crate::error::{Error, plain};
use std::io;
use std::time::Duration;

/// Why an action on a service, or a command of a profile, failed.
#[derive(Debug, thiserror::Error)]
pub enum ActionError {
    /// The profile does not say how.
    #[error("its profile names no {0}")]
    NotInProfile(&'static str),
    /// The profile names a signal that is not sent.
    #[error("{0} is no signal that a profile may send (HUP, USR1, USR2)")]
    NoSuchSignal(String),
    /// No process is known that could be signalled.
    #[error("no main process is known")]
    NoMainProcess,
    /// A process without a service manager has no such action.
    #[error("a process without a service manager cannot {0}")]
    Unsupported(&'static str),
    /// It runs, and was to be started.
    #[error("it runs already, as process {0}")]
    AlreadyRuns(u32),
    /// The kernel refused the signal.
    #[error("process {pid} cannot be signalled: {}", plain(source))]
    Signal {
        /// The process.
        pid: u32,
        /// Why.
        source: io::Error,
    },
    /// The program could not be run.
    #[error("{program} cannot be run: {}", plain(source))]
    NotRun {
        /// The program, with its words.
        program: String,
        /// Why.
        source: io::Error,
    },
    /// It did not end in time.
    #[error("{what} did not end within {}s", limit.as_secs())]
    TimedOut {
        /// The command or the process.
        what: String,
        /// The time that it had.
        limit: Duration,
    },
    /// The person, or the end of the session, stopped it.
    #[error("it was interrupted before it ended")]
    Interrupted,
    /// It ended with a failure; these are its last words.
    #[error("{0}")]
    Failed(String),
    /// The service manager did not read the unit files.
    #[error("systemd did not read its unit files again: {0}")]
    NotReread(String),
    /// The unit cannot be started any more.
    #[error(transparent)]
    Unusable(#[from] Error),
    /// Something is left of a service that was stopped.
    #[error("{0}")]
    Left(String),
}
