//! One file as it is to be.

use crate::run::drafts::TypedFile;
use gypsum_core::change::Ownership;
use gypsum_core::text::{Bytes, LineShift};
use std::path::PathBuf;

/// One file as it is to be.
#[derive(Clone, Debug)]
pub(super) struct NewFile {
    /// The file itself, links followed.
    pub real: PathBuf,
    /// What it holds; `None` if there is none.
    pub before: Option<Bytes>,
    /// What it is to hold; `None` if it is to be gone.
    pub after: Option<Bytes>,
    /// How its lines move.
    pub shifts: Vec<LineShift>,
    /// Owner and mode, where they are not to stay.
    pub ownership: Option<Ownership>,
}

impl NewFile {
    /// What it holds before.
    pub fn before(&self) -> Option<&[u8]> {
        self.before.as_ref().map(|bytes| bytes.as_slice())
    }

    /// What it is to hold.
    pub fn after(&self) -> Option<&[u8]> {
        self.after.as_ref().map(|bytes| bytes.as_slice())
    }

    /// As something that was typed, for a draft.
    pub fn typed(&self) -> Option<TypedFile> {
        TypedFile::new(self.real.clone(), self.before.clone(), self.after.clone())
    }
}
