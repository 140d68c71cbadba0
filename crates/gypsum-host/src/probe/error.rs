//! Why a health check does not hold.

use crate::error::plain;
use gypsum_core::probe::Mismatch;
use std::io;
use std::time::Duration;

/// Why a health check does not hold.
#[derive(Debug, thiserror::Error)]
pub enum ProbeError {
    /// What was seen is not what was expected.
    #[error("{0}")]
    Unmet(String),
    /// No answer came in time.
    #[error("no answer within {} ms", .0.as_millis())]
    TimedOut(Duration),
    /// The kernel or the other end broke off.
    #[error("{}", words(said.as_deref(), source))]
    Io {
        /// What was tried, in words; `None` if the error itself says enough.
        said: Option<String>,
        /// The error.
        source: io::Error,
    },
    /// A proxy makes no tunnel, and says so with this status.
    #[error("the proxy answered {0}, and opens no tunnel")]
    Tunnel(u16),
    /// The server shuts this host out for a while, since it came too often.
    #[error("the server shuts out this host for a while, so it was not asked")]
    Penalty,
    /// This account may not ask there.
    #[error("this account may not use {0}, so it was not asked; root may")]
    NotAllowed(String),
    /// A program could not be run.
    #[error("{program} cannot be run: {}", plain(source))]
    NotRun {
        /// The program.
        program: String,
        /// Why.
        source: io::Error,
    },
}

fn words(said: Option<&str>, source: &io::Error) -> String {
    let error = plain(source);
    said.map_or(error.clone(), |said| format!("{said}: {error}"))
}

impl ProbeError {
    /// Whether it says nothing of the server: nobody was asked.
    pub fn is_unknown(&self) -> bool {
        matches!(self, Self::Penalty | Self::NotAllowed(_))
    }

    /// An I/O error that says enough.
    pub fn io(source: io::Error) -> Self {
        Self::Io { said: None, source }
    }

    /// An I/O error behind what was tried.
    pub fn tried(said: impl Into<String>, source: io::Error) -> Self {
        Self::Io { said: Some(said.into()), source }
    }
}

impl From<String> for ProbeError {
    fn from(said: String) -> Self {
        Self::Unmet(said)
    }
}

impl From<Mismatch> for ProbeError {
    fn from(why: Mismatch) -> Self {
        Self::Unmet(why.0)
    }
}

impl From<&str> for ProbeError {
    fn from(said: &str) -> Self {
        Self::Unmet(said.to_owned())
    }
}
