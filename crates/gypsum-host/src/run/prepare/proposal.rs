//! What is proposed: the request, with the files before and after.

use super::new_file::NewFile;
use crate::files::Loading;
use crate::run::request::ChangeRequest;
use crate::survey::Early;
use gypsum_core::edit::{File, LineDiff};

/// What is proposed.
pub(super) struct Proposal {
    pub request: ChangeRequest,
    /// The files as they are.
    pub before: Loading,
    /// What was looked up while they were read.
    pub early: Early,
    /// The files of the configuration as they will be.
    pub after: Vec<File>,
    /// The files that change, those besides the configuration among them.
    pub new_files: Vec<NewFile>,
    /// The edits, for the eye.
    pub edits: Vec<LineDiff>,
    /// The addresses of the settings that change; once they are checked, those in new blocks among them.
    pub changed: Vec<String>,
}

/// New versions of the files of a configuration.
pub(super) struct Drawn {
    pub after: Vec<File>,
    pub new_files: Vec<NewFile>,
    pub edits: Vec<LineDiff>,
}
