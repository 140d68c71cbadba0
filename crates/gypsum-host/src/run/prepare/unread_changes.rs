//! Edits that the running service has not read yet: they would go live with this change.

use super::check::Checked;
use crate::disk::Disk;
use crate::evidence::Progress;
use crate::files::Loaded;
use crate::service;
use crate::state::State;
use gypsum_core::change::Verdict;
use gypsum_core::finding::{Finding, Severity};
use gypsum_core::profile::Activation;
use std::fs;
use std::time::{Duration, SystemTime};

/// The rule of these findings.
const NEVER_LOADED: &str = "never-loaded";

/// Who left a file as it is now.
enum Writer {
    /// A change of Gypsum's, by its number, which the service has taken up since, or has not.
    Change { number: u32, is_loaded: bool },
    /// Another program or a person.
    Other,
    /// The records do not say: they cannot be read.
    Unknown,
}

impl Checked {
    /// Files that were changed since the running service read them: that would go live with this change.
    pub(super) fn unread_changes(&self, state: &State, disk: &dyn Disk) -> Option<Finding> {
        let since = self.found.since_ms.filter(|_| self.found.state.is_up())?;
        let since = SystemTime::UNIX_EPOCH + Duration::from_millis(u64::try_from(since).ok()?);
        let changed = |file: &&Loaded| {
            let written = fs::metadata(&file.real).and_then(|meta| meta.modified()).ok();
            written.is_some_and(|written| written > since + Duration::from_secs(1))
        };
        let name = service::name_of(&self.service);
        let mut waiting = None;
        for file in self.proposal.before.loaded.iter().filter(|file| !file.absent).filter(changed) {
            let path = file.name.display().to_string();
            let hint = |message| Finding::new(NEVER_LOADED, Severity::Hint, message).in_file(&path);
            match self.written_by(file, state, disk) {
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

    fn written_by(&self, file: &Loaded, state: &State, disk: &dyn Disk) -> Writer {
        let Ok(now) = disk.content(&file.real) else { return Writer::Unknown };
        let mut is_loaded = false;
        let Ok(entries) = state.newest(disk, &self.proposal.request.profile.daemon) else {
            return Writer::Unknown;
        };
        for entry in entries {
            let Ok(entry) = entry else { return Writer::Unknown };
            let Ok(evidence) = entry.evidence(disk) else { return Writer::Unknown };
            let (Progress::Ended(verdict), Some(plan)) = (evidence.progress, evidence.plan) else {
                continue;
            };
            is_loaded |= plan.touch_service && plan.activation != Activation::None;
            let Some(planned) = plan.files.iter().find(|planned| planned.path == file.real) else {
                continue;
            };
            let left = if verdict == Verdict::Kept { &planned.after } else { &planned.before };
            // Otherwise it was written on since.
            return if *left == now {
                Writer::Change { number: entry.number, is_loaded }
            } else {
                Writer::Other
            };
        }
        Writer::Other
    }
}
