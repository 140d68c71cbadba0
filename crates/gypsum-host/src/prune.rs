//! Old changes go, so that their copies do not fill the disk.

use crate::disk::{Disk, RealDisk};
use crate::error::Error;
use crate::evidence::{Evidence, Progress};
use crate::locks::{Locks, Thing};
use crate::settings::SettingsFiles;
use crate::state::{Entry, State};
use gypsum_core::change::Verdict;
use std::fs;
use std::io;
use std::path::Path;
use std::time::{Duration, Instant};

/// So many are removed at the most while somebody waits.
const AT_ONCE: usize = 20;
/// So long one that nobody waits for waits for its turn.
const TURN: Duration = Duration::from_secs(30);

/// Whether somebody waits for it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Haste {
    /// Somebody does: a few are removed, and the next change goes on with it.
    Waited,
    /// Nobody does.
    AtLeisure,
}

/// Removes the oldest changes of `daemon` beyond what the settings say; returns how many. The last one
/// that was kept and healthy stays, as does every one that is open, stuck or cannot be read. No change waits for it; one
/// process at a time does it.
///
/// # Errors
///
/// If the folder cannot be read, or a change not be removed.
pub fn prune(state: &State, daemon: &str, haste: Haste) -> Result<usize, Error> {
    let Some(_lock) = lock(&Thing::old_changes(&state.of_daemon(daemon)), haste)? else { return Ok(0) };
    let disk = &RealDisk;
    let settings = SettingsFiles::load().settings();
    let (most_changes, most_bytes) = (settings.changes, settings.bytes);
    let (mut kept, mut bytes, mut is_good_kept, mut removed) = (0, 0u64, false, Vec::new());
    for entry in state.entries(disk, daemon)?.into_iter().rev() {
        if kept < most_changes && bytes < most_bytes {
            bytes += size_of(&entry.folder).map_err(|error| Error::file("measure", &entry.folder, error))?;
        }
        // The last change stays whatever it takes.
        if kept == 0 || kept < most_changes && bytes < most_bytes {
            kept += 1;
            is_good_kept = is_good_kept || is_good(&entry.evidence(disk)?);
        } else {
            removed.push(entry);
        }
    }
    let mut done = 0;
    // The oldest first: an interrupted removal leaves no gap.
    let most = if haste == Haste::Waited { AT_ONCE } else { usize::MAX };
    let last_good = if is_good_kept { None } else { last_good(&removed)? };
    for entry in removed.into_iter().rev() {
        if done == most {
            break;
        }
        if Some(entry.number) == last_good || !may_go(&entry.evidence(disk)?) {
            continue;
        }
        fs::remove_dir_all(&entry.folder).map_err(|error| Error::file("remove", &entry.folder, error))?;
        done += 1;
    }
    if done > 0 {
        let folder = state.of_daemon(daemon);
        disk.sync_folder(&folder).map_err(|error| Error::file("sync", &folder, error))?;
    }
    Ok(done)
}

/// The lock of those who remove; `None` if another process has it. One that nobody waits for comes after the other:
/// that one may have listed the folder before the last change was in it.
fn lock(old_changes: &Thing, haste: Haste) -> Result<Option<Locks>, Error> {
    let begun = Instant::now();
    loop {
        match Locks::take(std::slice::from_ref(old_changes), "removing old changes") {
            Err(Error::Busy { .. }) if haste == Haste::AtLeisure && begun.elapsed() < TURN => {
                std::thread::sleep(Duration::from_millis(100));
            }
            Err(Error::Busy { .. }) => return Ok(None),
            lock => return lock.map(Some),
        }
    }
}

/// The newest of these that was kept and healthy; they are given newest first.
fn last_good(entries: &[Entry]) -> Result<Option<u32>, Error> {
    for entry in entries {
        if is_good(&entry.evidence(&RealDisk)?) {
            return Ok(Some(entry.number));
        }
    }
    Ok(None)
}

fn is_good(evidence: &Evidence) -> bool {
    let is_kept = matches!(evidence.progress, Progress::Ended(Verdict::Kept));
    is_kept && evidence.report.as_ref().is_some_and(|report| report.healthy == Some(true))
}

/// What is open, stuck or cannot be read may be all that is left of something.
fn may_go(evidence: &Evidence) -> bool {
    match evidence.progress {
        Progress::NotBegun | Progress::Ended(_) => true,
        Progress::Open(..) | Progress::Unknown | Progress::Newer(..) => false,
    }
}

/// The bytes of all files in a folder, and in those below it.
fn size_of(folder: &Path) -> io::Result<u64> {
    let mut bytes = 0;
    for entry in fs::read_dir(folder)? {
        let entry = entry?;
        let meta = entry.metadata()?;
        bytes += if meta.is_dir() { size_of(&entry.path())? } else { meta.len() };
    }
    Ok(bytes)
}
