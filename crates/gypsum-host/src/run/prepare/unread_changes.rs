//! Edits that the running service has not read yet: they would go live with this change.

use super::check::Checked;
use crate::disk::Disk;
use crate::files::Loaded;
use crate::service;
use crate::state::State;
use crate::unread::{Writer, is_newer, written_by};
use gypsum_core::finding::{Finding, Severity};

/// The rule of these findings.
const NEVER_LOADED: &str = "never-loaded";

impl Checked {
    /// Files that were changed since the running service read them: that would go live with this change.
    pub(super) fn unread_changes(&self, state: &State, disk: &dyn Disk) -> Option<Finding> {
        let since = self.found.since_ms.filter(|_| self.found.state.is_up())?;
        let changed = |file: &&Loaded| is_newer(file, since);
        let name = service::name_of(&self.service);
        let mut waiting = None;
        for file in self.proposal.before.loaded.iter().filter(|file| !file.absent).filter(changed) {
            let path = file.name.display().to_string();
            let hint = |message| Finding::new(NEVER_LOADED, Severity::Hint, message).in_file(&path);
            match written_by(&self.proposal.request.profile.daemon, file, state, disk) {
                // The service has it.
                Writer::Change { is_loaded: true, .. } => {}
                Writer::Change { number, is_loaded: false } => {
                    waiting = Some(hint(format!(
                        "change {number} of this file was not activated; it goes live with this change"
                    )));
                }
                Writer::Unknown => {
                    waiting = Some(hint(format!(
                        "it is not known whether {name} has read this file since its last edit: \
                         the records of earlier changes cannot be read"
                    )));
                }
                Writer::Other => {
                    let message = format!(
                        "this file was edited since {name} last read it; that edit goes live with this change"
                    );
                    let finding = Finding::warning(NEVER_LOADED, message).in_file(&path);
                    return Some(
                        finding.help("look at that edit; if this change is restored, it stays in the file"),
                    );
                }
            }
        }
        waiting
    }
}
