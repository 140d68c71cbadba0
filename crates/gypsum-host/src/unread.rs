//! Files that were written since the running service read them, and by whom.

use crate::disk::Disk;
use crate::evidence::Progress;
use crate::files::Loaded;
use crate::state::State;
use gypsum_core::change::Verdict;
use gypsum_core::profile::Activation;
use std::fs;
use std::time::{Duration, SystemTime};

/// Who left a file as it is now.
pub enum Writer {
    /// A change of Gypsum's, by its number, which the service has taken up since, or has not.
    Change { number: u32, is_loaded: bool },
    /// Another program or a person.
    Other,
    /// The records do not say: they cannot be read.
    Unknown,
}

/// Whether a file was written after a moment, in milliseconds since 1970; a file system may be a second behind.
pub fn is_newer(file: &Loaded, since_ms: i64) -> bool {
    let Ok(since) = u64::try_from(since_ms) else { return false };
    let since = SystemTime::UNIX_EPOCH + Duration::from_millis(since);
    let written = fs::metadata(&file.real).and_then(|meta| meta.modified()).ok();
    written.is_some_and(|written| written > since + Duration::from_secs(1))
}

/// Who left a file of a daemon as it is now.
pub fn written_by(daemon: &str, file: &Loaded, state: &State, disk: &dyn Disk) -> Writer {
    let Ok(now) = disk.content(&file.real) else { return Writer::Unknown };
    let mut is_loaded = false;
    let Ok(entries) = state.newest(disk, daemon) else {
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
        return if *left == now { Writer::Change { number: entry.number, is_loaded } } else { Writer::Other };
    }
    Writer::Other
}
