//! What a change does besides its edits.

use gypsum_core::change::Ownership;
use std::path::PathBuf;

/// What a change does beside its edits.
#[derive(Clone, Debug, Default)]
pub struct ExtraFiles {
    /// Files to be placed.
    pub companions: Vec<Companion>,
    /// Names of sites, modules or snippets, and whether each is to be on.
    pub switches: Vec<(String, bool)>,
    /// Files of the daemon that go.
    pub gone: Vec<PathBuf>,
    /// Whether the file that is meant may be made where it does not exist.
    pub new: bool,
}

impl ExtraFiles {
    /// Whether there is nothing of it.
    pub fn is_empty(&self) -> bool {
        self.companions.is_empty() && self.switches.is_empty() && self.gone.is_empty()
    }
}

/// A file that the configuration refers to.
#[derive(Clone, Debug)]
pub struct Companion {
    /// What it is to hold.
    pub bytes: Vec<u8>,
    /// Its name.
    pub to: PathBuf,
    /// Its owner and mode, where they were said.
    pub ownership: Ownership,
    /// The mode of the file that it comes from, where it comes from one.
    pub source_mode: Option<u32>,
}
